package run

import (
	"fmt"
	"time"

	"woolsignal/core/agent"
	"woolsignal/core/flow"
)

// Errand is something the outside world is asked to do for a run. Exactly one
// of its last fields is set. The answer comes back as an [Event] with the same
// Step, Try, Turn and CallID.
type Errand struct {
	Run    string
	Step   string
	Try    int    // how often the step failed before
	Turn   int    // which turn of the model, from 1, for Ask
	CallID string // which call of the agent; "" for a tool step
	Again  bool   // it may have been sent before, by a service that stopped since

	Recall *Recall
	Ask    *Ask
	Call   *Call
	Script *Script
	Start  *Start
	Listen *Listen
	Cancel *Cancel
}

// Key is the same each time the errand is sent, and no other errand's. A tool
// that is tried again after a failure keeps its key: the call that seemed to
// fail may have happened.
func (e Errand) Key() string {
	if e.Start != nil {
		return fmt.Sprintf("%s:%s:%d", e.Run, e.Step, e.Try)
	}
	return fmt.Sprintf("%s:%s:%d:%s", e.Run, e.Step, e.Turn, e.CallID)
}

// Recall asks for what a thread remembers.
type Recall struct {
	Memory string   // the thread's key
	Turns  int      // how many exchanges at most
	About  []string // whose facts are wanted too
}

// Ask asks a model for the next message of a conversation.
type Ask struct {
	Model    string
	System   string
	Messages []agent.Message
	Tools    []Offer
	Answer   map[string]any // JSON Schema of the answer; nil takes any words
	Within   time.Duration
}

// Offer is a tool as the model sees it.
type Offer struct {
	Name        string // connection/operation
	Description string
	Schema      map[string]any
}

// Call asks for one use of a tool.
type Call struct {
	Tool   string
	Args   map[string]any
	Resend flow.Resend
	For    string // e-mail of the person the run serves; "" is nobody known
}

// Script asks for a script to be run.
type Script struct {
	Code   string
	Inputs map[string]any
	Within time.Duration
}

// Start asks for a run of another workflow. Its answer is Started, and once
// the run ended, Returned.
type Start struct {
	Workflow string
	Inputs   map[string]any
	Draft    bool // it uses the connections that stand in for drafts
}

// Listen asks for signals that came since a time and that nobody heard.
type Listen struct {
	Source, Key string
	Since       time.Time
}

// Cancel asks for a called run to be stopped.
type Cancel struct{ Run, By string }

// Event is something that happened outside. Exactly one field but Step, Try,
// Turn and CallID is set.
type Event struct {
	Step   string
	Try    int
	Turn   int
	CallID string

	Start    bool
	Recalled *Recalled
	Answered *Answered
	Returned *Returned
	Decided  *Decided
	Stopped  *Stop
	Started  string   // the id of the called run
	Heard    *Signal  // a candidate for the step that listens
	Tick     bool     // the time of something may have come
	Missing  *Missing // a connection the call needs is not there yet
	Lost     bool     // nobody knows whether the call happened, and it must not be repeated
}

// Recalled is what a thread remembers.
type Recalled struct {
	Messages []agent.Message
	Facts    []string
}

// Answered is a model's message, or why there is none.
type Answered struct {
	Message agent.Message
	Turn    agent.Turn // Model, Input, Output and Cost are used
	Error   string
}

// Missing says what a call lacks.
type Missing struct {
	Connection string
	Of         string // who can give it: a person's e-mail, or a role
	Why        string
}

// Returned is a tool's result, or why there is none.
type Returned struct {
	Result   any
	Error    string
	NotFound bool // the tool says that there is no such thing
}

// Stop is a person's wish that a run goes no further.
type Stop struct{ By, Note string }

// Decided is a person's decision about a review.
type Decided struct {
	Review string
	Choice string
	Edited map[string]any // nil where nothing was changed
	By     string
	Note   string
}
