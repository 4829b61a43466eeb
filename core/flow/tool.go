package flow

import (
	"cmp"

	"woolsignal/core/money"
)

// Resend says how a call may be sent again when nobody knows whether it
// arrived.
type Resend string

const (
	// ResendSafe calls change nothing, or change the same thing to the same value.
	ResendSafe Resend = "safe"
	// ResendKey calls carry an idempotency key the peer honours.
	ResendKey Resend = "idempotency_key"
	// ResendOwnID calls create a thing whose id we choose, so a second one is refused.
	ResendOwnID Resend = "own_id"
	// ResendNever calls are left for a person to settle.
	ResendNever Resend = "never"
)

// Tool describes one operation of a connection: the schema of its arguments
// and result and the annotations of the Model Context Protocol.
type Tool struct {
	Name        string         `json:"name"` // connection/operation
	Title       string         `json:"title"`
	Description string         `json:"description"`
	Connection  string         `json:"connection"`
	Input       map[string]any `json:"input"`            // JSON Schema of the arguments
	Output      map[string]any `json:"output,omitempty"` // JSON Schema of the result; nil where unknown

	ReadOnly    bool   `json:"readOnlyHint"`
	Destructive bool   `json:"destructiveHint"`
	Idempotent  bool   `json:"idempotentHint"`
	OpenWorld   bool   `json:"openWorldHint"`
	Resend      Resend `json:"resend"`
	// Price is what a call costs, and ResultPrice what each of its results does, in
	// the workspace's currency.
	Price       float64 `json:"price,omitempty"`
	ResultPrice float64 `json:"result_price,omitempty"`
	Shows       bool    `json:"shows,omitempty"` // what a call is about can be looked at before it is made
	Draft       string  `json:"draft,omitempty"` // the tool drafts use in its place
	Says        string  `json:"says,omitempty"`  // what the other side claims of it, in words; nobody has confirmed it
}

// Priced tells whether calls of it cost anything.
func (t Tool) Priced() bool { return t.Price > 0 || t.ResultPrice > 0 }

// Cost is what a call cost that gave something: of its results, the items of what it
// gave, or of the longest list in it.
func (t Tool) Cost(result any) money.Micros {
	return money.FromUnits(t.Price + t.ResultPrice*float64(results(result)))
}

func results(v any) int {
	switch v := v.(type) {
	case []any:
		return len(v)
	case map[string]any:
		most := 0
		for _, inner := range v {
			if list, is := inner.([]any); is {
				most = max(most, len(list))
			}
		}
		return most
	}
	return 0
}

// SentAgain is how a call of the tool may be sent again: never, where nothing
// is known of it.
func (t Tool) SentAgain() Resend { return cmp.Or(t.Resend, ResendNever) }
