package protocol

import "woolsignal/core/flow"

// ModelServer offers models over a widely spoken protocol.
type ModelServer struct {
	onTheWeb
	Protocol string // chat-completions
	Offers   []flow.Named[flow.Model]
}

// Fields are what it may say.
func (m *ModelServer) Fields() []flow.Field {
	return []flow.Field{
		{Name: "protocol", Into: &m.Protocol, Choices: []string{"chat-completions"}, Default: "chat-completions",
			Help: "The protocol it speaks.", Example: "chat-completions"},
		{Name: "models", Into: flow.MapOf(&m.Offers), Missing: "no model is named",
			Help:    "Its models, by the names agents and steps use.",
			Example: `{medium: {name: "…", input_price: 0.40}}`},
	}
}

// Models are those it offers.
func (m *ModelServer) Models() []flow.Named[flow.Model] { return m.Offers }
