package run

import (
	"fmt"
	"time"

	"woolsignal/core/agent"
	"woolsignal/core/flow"
)

// Errand is something the outside world is asked to do for a run. Exactly one
// of Recall, Ask and Call is set. Its answer comes back as an [Event] with the
// same Step, Turn and CallID.
type Errand struct {
	Run    string
	Step   string
	Turn   int    // which turn of the agent, from 1, for Ask
	CallID string // which call of the agent; "" for a tool step
	Again  bool   // it may have been sent before, by a service that stopped since

	Recall *Recall
	Ask    *Ask
	Call   *Call
}

// Key is the same each time the errand is sent, and no other errand's.
func (e Errand) Key() string {
	return fmt.Sprintf("%s:%s:%d:%s", e.Run, e.Step, e.Turn, e.CallID)
}

// Recall asks for what a thread remembers.
type Recall struct {
	Memory string // the thread's key
	Turns  int    // how many exchanges at most
}

// Ask asks a model for the next message of a conversation.
type Ask struct {
	Model    string
	System   string
	Messages []agent.Message
	Tools    []Offer
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
}

// Event is something that happened outside. Exactly one field but Step, Turn
// and CallID is set.
type Event struct {
	Step   string
	Turn   int
	CallID string

	Start    bool
	Recalled *Recalled
	Answered *Answered
	Returned *Returned
	Decided  *Decided
	Stopped  *Stop
	Lost     bool // nobody knows whether the call happened, and it must not be repeated
}

// Recalled is what a thread remembers.
type Recalled struct{ Messages []agent.Message }

// Answered is a model's message, or why there is none.
type Answered struct {
	Message agent.Message
	Turn    agent.Turn // Model, Input, Output and Cost are used
	Error   string
}

// Returned is a tool's result, or why there is none.
type Returned struct {
	Result any
	Error  string
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
