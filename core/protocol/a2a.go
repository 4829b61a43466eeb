package protocol

import (
	"time"

	"woolsignal/core/flow"
)

// A2A reaches an agent elsewhere by the Agent2Agent protocol 1.0, over JSON-RPC. Its
// agent card stands below the connection's address.
type A2A struct {
	onTheWeb
	Offer  []string // skills offered; empty offers all
	Within time.Duration
}

// Fields are what it may say.
func (a *A2A) Fields() []flow.Field {
	return []flow.Field{
		{Name: "offer", Into: &a.Offer, Help: "The skills that are offered; all where it is missing.",
			Example: "[book]"},
		{Name: "within", Into: &a.Within, Default: "3d", Help: "How long one task may take; then it is called off.",
			Example: "2h"},
	}
}
