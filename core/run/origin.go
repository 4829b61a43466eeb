package run

import "woolsignal/core/money"

// Origin tells where a run comes from that no signal from outside started.
type Origin struct {
	Run  string   `json:"run,omitempty"`  // the run that called this one, or that this one repeats
	Step string   `json:"step,omitempty"` // the step that called it, or that it repeats from
	Call int64    `json:"call,omitempty"` // which sending of the step called it
	Ask  string   `json:"ask,omitempty"`  // … and which call of an agent in it
	Line []string `json:"line,omitempty"` // the workflows and agents that wait for it, the first one first
	// Under are the workflows whose days and months what it spends counts in, beside its own:
	// those that called it, directly or by others, whether they wait for it or not.
	Under []string `json:"under,omitempty"`
	// Budgets are what it may spend beside its own: those of the runs that wait for it.
	Budgets []Allowance    `json:"budgets,omitempty"`
	Kind    string         `json:"kind"`            // call, again or try
	Given   map[string]any `json:"given,omitempty"` // the values a tried step sees
	Held    bool           `json:"held,omitempty"`  // nothing outside is changed
	Trial   Trial          `json:"trial,omitzero"`
}

// Awaited tells whether a run waits for the one that comes from it.
func (o *Origin) Awaited() bool { return o != nil && len(o.Line) > 0 }

// Allowance is what a run and all it calls may spend together.
type Allowance struct {
	Run  string       `json:"run"`  // "" is the run itself
	What string       `json:"what"` // whose it is, in words
	Most money.Micros `json:"most"`
}

// What an [Origin] can be.
const (
	OfCall  = "call"
	OfAgain = "again"
	OfTry   = "try"
)

// Begun is what a run is among others, as it was taken in: all that lists and
// searches know of it beside what its journal says.
type Begun struct {
	Workflow   string       `json:"workflow"`
	Definition string       `json:"definition"`        // by content
	Thread     Conversation `json:"thread,omitzero"`   // its conversation
	Key        string       `json:"key,omitempty"`     // what its workflow's limits tell it apart by
	Delivery   Deliverer    `json:"delivery,omitzero"` // what delivered its signal, for telling repeats
	Cause      string       `json:"cause,omitempty"`   // the run that brought it about
	Links      int          `json:"links,omitempty"`   // runs before it that brought one another about
}
