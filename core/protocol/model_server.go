package protocol

import "woolsignal/core/flow"

// ModelServer offers models over a widely spoken protocol.
type ModelServer struct {
	onTheWeb
	Protocol string // Completions or Messages
	Offers   []flow.Named[flow.Model]
}

// The protocols of model servers.
const (
	Completions = "chat-completions"
	Messages    = "messages"
)

// Fields are what it may say.
func (m *ModelServer) Fields() []flow.Field {
	return []flow.Field{
		{Name: "protocol", Into: &m.Protocol, Choices: []string{Completions, Messages}, Default: Completions,
			Help: "The protocol it speaks.", Example: Completions},
		{Name: "models", Into: flow.MapOf(&m.Offers), Missing: "no model is named",
			Help:    "Its models, by the names agents and steps use.",
			Example: `{medium: {name: "…", input_price: 0.40}}`},
	}
}

// Models are those it offers.
func (m *ModelServer) Models() []flow.Named[flow.Model] { return m.Offers }
