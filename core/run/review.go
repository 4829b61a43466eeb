package run

import (
	"maps"
	"time"

	"woolsignal/core/agent"
	"woolsignal/core/money"
)

// ReviewKind is what a person is asked about.
type ReviewKind string

// The kinds of review.
const (
	OfStep       ReviewKind = "step"       // a decision that was written into the workflow
	OfApproval   ReviewKind = "approval"   // whether an agent may use a tool
	OfDoubt      ReviewKind = "uncertain"  // whether a call happened
	OfConnection ReviewKind = "connection" // a connection that is missing
	OfAdvice     ReviewKind = "advice"     // an agent brings somebody in
)

// Choices of a review that asks about a tool.
const (
	Approve = "approve"
	Decline = "decline"
)

// AnswerIt is the choice of a review by which an agent brings somebody in: what they
// write along with it is what the agent reads.
const AnswerIt = "answer"

// Choices of a review that asks for a missing connection.
const (
	GoOn   = "go on"
	GiveUp = "give up"
)

// Choices of a review about a call that may or may not have happened.
const (
	Happened  = "it happened"
	SendAgain = "send it again"
	DidNot    = "it did not happen"
)

// Withdrawn is the choice of a review whose run was stopped.
const Withdrawn = "withdrawn"

// Review is a question put to a person.
type Review struct {
	ID      string         `json:"id"`
	Ask     string         `json:"ask"` // whom: a person's e-mail, a role or a team
	Kind    ReviewKind     `json:"kind"`
	Title   string         `json:"title"`           // one line
	Why     string         `json:"why"`             // why somebody is asked
	Show    any            `json:"show,omitempty"`  // what they need to see
	Thing   *agent.Thing   `json:"thing,omitempty"` // what it is about, before and after
	Tool    string         `json:"tool,omitempty"`  // the tool that waits
	Price   money.Micros   `json:"price,omitempty"` // what a call in doubt costs, if it happened
	Needs   string         `json:"needs,omitempty"` // the connection that is missing
	Call    string         `json:"call,omitempty"`  // the agent's call that waits
	Edit    map[string]any `json:"edit,omitempty"`  // values they may change
	Held    map[string]any `json:"held,omitempty"`  // values they see and may not change
	Choices []string       `json:"choices"`         // the first goes on with it
	Choice  string         `json:"choice,omitempty"`
	Edited  map[string]any `json:"edited,omitempty"` // the values after they changed some
	By      string         `json:"by,omitempty"`     // name
	Note    string         `json:"note,omitempty"`
	Asked   time.Time      `json:"asked"`
	Decided time.Time      `json:"decided,omitzero"`
}

// args are a call's arguments as they were changed.
func (r *Review) args() map[string]any {
	all := maps.Clone(r.Edited)
	maps.Copy(all, r.Held)
	return all
}

// open tells whether nobody has decided yet.
func (r *Review) open() bool { return r.Choice == "" }

// ofStep tells whether it holds up the step itself rather than a call of an
// agent in it.
func (r *Review) ofStep() bool { return r.Call == "" }
