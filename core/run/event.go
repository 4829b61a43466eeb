package run

import (
	"time"

	"woolsignal/core/agent"
	"woolsignal/core/flow"
	"woolsignal/core/money"
)

// Event is something that happened outside a run: one of the types here.
type Event interface{ event() }

// Arrive is the signal of a new run, and what the run is among others.
type Arrive struct {
	Signal   *Signal
	Origin   *Origin // nil where a signal from outside starts it
	Begun    *Begun
	Recorded []Record // what steps did in another run, so that this one begins behind them; see [Recorded]
}

// Begin lets a queued run move.
type Begin struct{}

// Tick says that the time of something may have come.
type Tick struct{}

// Stop is a person's wish that a run goes no further.
type Stop struct{ By, Note string }

// Break says why a run cannot go on at all, whoever would want it to.
type Break struct{ Why string }

// Decided is a person's decision about a review.
type Decided struct {
	Review string
	Choice string
	Edited map[string]any // nil where nothing was changed
	By     string
	Note   string
}

// Heard is a signal a step may have waited for.
type Heard struct {
	Trial  bool // it came to a draft or a try: what is live does not hear it, and a try hears nothing else
	Step   string
	Signal *Signal
	From   Deliverer // what delivered it
}

// Answer is what an errand came to.
type Answer struct {
	Ticket
	Reply Reply
}

func (*Arrive) event()  {}
func (*Begin) event()   {}
func (*Tick) event()    {}
func (*Stop) event()    {}
func (*Break) event()   {}
func (*Decided) event() {}
func (*Heard) event()   {}
func (*Answer) event()  {}

// Reply is what an errand can come to: one of the types here.
type Reply interface{ reply() }

// Recalled is what a thread remembers, and what there is to choose from, or why that
// cannot be said.
type Recalled struct {
	Messages []agent.Message
	Facts    []string
	Choices  [][]flow.Choice
	Holder   string // the agent that had the conversation last
	Error    string
}

// Answered is a model's message, or why there is none.
type Answered struct {
	Message agent.Message
	Turn    agent.Turn // Model, Input, Output and Cost are used
	Error   string
	Heard   string // what was heard of it in the conversation as it came; "" where nobody did
}

// Returned is the result of a tool, a script or a called workflow, or why
// there is none.
type Returned struct {
	Result   any
	Error    string
	NotFound bool   // the tool says that there is no such thing
	Effect   Effect // what is known of a call with an Error; "" is that nothing was done
	Cost     money.Micros
	Child    string // the run of its own that did it, which has that cost on its own account
}

// Looked is what a call is about, or why that cannot be said.
type Looked struct {
	Before, After any // nil is that there is none
	Error         string
	Refused       bool // … for good, as the call itself would be: nobody need be asked
}

// Pending says that the other side works on a call, and when it is to be asked again.
type Pending struct {
	Ref   string // by which the other side knows it
	After time.Duration
}

// ChildBegan is the id of the run of a called workflow.
type ChildBegan struct{ Run string }

// Missing says what connection a call needs that is not there yet.
type Missing struct {
	Connection string
	Of         string // who can give it: a person's e-mail, or a role
	Why        string
}

// Lost says why nobody knows whether a call happened that must not be
// repeated, in one sentence.
type Lost struct{ Why string }

func (*Recalled) reply()   {}
func (*Answered) reply()   {}
func (*Returned) reply()   {}
func (*ChildBegan) reply() {}
func (*Missing) reply()    {}
func (*Pending) reply()    {}
func (*Looked) reply()     {}
func (*Lost) reply()       {}
