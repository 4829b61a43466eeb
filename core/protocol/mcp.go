package protocol

import "woolsignal/core/flow"

// MCP reaches a server of the Model Context Protocol: at the connection's
// address, or as a process of an owner's allow-list.
type MCP struct {
	Command string   // the name of an allowed command; "" is the address
	Offer   []string // tools offered; empty offers all
}

// Schemes are those of the web; none for a process.
func (c *MCP) Schemes() ([]string, string) {
	if c.Command != "" {
		return nil, ""
	}
	return []string{"http", "https"}, "https://sensors.example/mcp"
}

// Places name the process a secret is given to, where it is one.
func (c *MCP) Places() []string {
	if c.Command == "" {
		return nil
	}
	return []string{"the command " + c.Command}
}

// Fields are what it may say.
func (c *MCP) Fields() []flow.Field {
	return []flow.Field{
		{Name: "command", Into: &c.Command,
			Help:    "A process to start instead, by the name whoever runs the service allowed it under.",
			Example: "sensors"},
		{Name: "offer", Into: &c.Offer, Help: "The tools that are offered; all where it is missing.",
			Example: "[read]"},
	}
}
