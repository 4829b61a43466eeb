package protocol

import "woolsignal/core/flow"

// The protocols there are. Importing this package registers them, in the order
// they are shown.
func init() {
	for _, k := range []struct {
		name, help string
		new        func() flow.Reaching
	}{
		{"model_server", "Models over the chat-completions protocol.", func() flow.Reaching { return &ModelServer{} }},
		{"caldav", "Calendars (RFC 4791).", func() flow.Reaching { return &CalDAV{} }},
		{"openapi", "The operations an API's description names.", func() flow.Reaching { return &OpenAPI{} }},
		{"signing_key", "A key that verifies what arrives.", func() flow.Reaching { return &SigningKey{} }},
		{"mailbox", "Mail, read over IMAP (RFC 9051) and sent over SMTP (RFC 5321).",
			func() flow.Reaching { return &Mailbox{} }},
		{"webdav", "Files (RFC 4918).", func() flow.Reaching { return &WebDAV{} }},
		{"a2a", "The skills of an agent elsewhere, by the Agent2Agent protocol.",
			func() flow.Reaching { return &A2A{} }},
		{"mcp", "The tools of a server of the Model Context Protocol.", func() flow.Reaching { return &MCP{} }},
		{"sql", "A PostgreSQL or SQLite database.", func() flow.Reaching { return &SQL{} }},
		{"web", "Public pages and feeds of some hosts.", func() flow.Reaching { return &Web{} }},
		{"search", "A search page that an OpenSearch 1.1 description describes.",
			func() flow.Reaching { return &Search{} }},
		{"chat_server", "A team's chat: rooms, threads and private messages.",
			func() flow.Reaching { return &ChatServer{} }},
		{"http", "Any request to one host.", func() flow.Reaching { return &HTTP{} }},
	} {
		flow.RegisterProtocol(k.name, k.help, k.new)
	}
}

// onTheWeb is embedded by protocols spoken over HTTP.
type onTheWeb struct{}

// Schemes are those of the web.
func (onTheWeb) Schemes() ([]string, string) { return []string{"http", "https"}, "https://…" }

// nowhere is embedded by what has no address.
type nowhere struct{}

// Schemes are none.
func (nowhere) Schemes() ([]string, string) { return nil, "" }
