package run

import (
	"strconv"
	"time"

	"woolsignal/core/agent"
	"woolsignal/core/flow"
)

// Errand is something the outside world is asked to do for a run. Exactly one
// of its last fields is set. The answer comes back as an [Event] with the same
// Step, Sending, Turn and CallID.
type Errand struct {
	Run     string
	Step    string
	Sending int64  // which sending of the step this belongs to
	Turn    int    // which turn of the model, from 1, for Ask; which of the calls of one step
	CallID  string // which call of the agent; "" for a tool step
	Again   bool   // it may have been sent before, by a service that stopped since

	Recall *Recall
	Ask    *Ask
	Call   *Call
	Script *Script
	Start  *Start
	Listen *Listen
	Cancel *Cancel
}

// Key is the same each time the errand is sent, and no other errand's. A call
// that may have happened and is tried again keeps its number, and so its key.
// A Cancel has the key of the Start it is about.
func (e Errand) Key() string {
	key := e.Run + ":" + e.Step + ":" + strconv.FormatInt(e.Sending, 10)
	if e.Start != nil || e.Cancel != nil {
		return key
	}
	return key + ":" + strconv.Itoa(e.Turn) + ":" + e.CallID
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

// Cancel asks for a called run to be stopped, by the key it was started with:
// which run that is may not be known yet.
type Cancel struct{ By string }

// Event is something that happened outside. Exactly one field but Step,
// Sending, Turn and CallID is set.
type Event struct {
	Step    string
	Sending int64
	Turn    int
	CallID  string

	Start    bool
	Recalled *Recalled
	Answered *Answered
	Returned *Returned
	Decided  *Decided
	Stopped  *Stop
	Broken   string   // why the run cannot go on at all, whoever would want it to
	Started  string   // the id of the called run
	Heard    *Signal  // a candidate for the step that listens
	From     string   // what delivered it, with Heard
	Tick     bool     // the time of something may have come
	Missing  *Missing // a connection the call needs is not there yet
	Lost     *Lost    // nobody knows whether the call happened, and it must not be repeated
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
	NotFound bool   // the tool says that there is no such thing
	Effect   Effect // what is known of a call with an Error; "" is that nothing was done
}

// Lost says why nobody knows whether a call happened, in one sentence.
type Lost struct{ Why string }

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

// Answer is the event that answers the errand, for one of its last fields to
// be set.
func (e Errand) Answer() Event {
	return Event{Step: e.Step, Sending: e.Sending, Turn: e.Turn, CallID: e.CallID}
}
