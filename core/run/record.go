package run

import (
	"time"

	"woolsignal/core/agent"
	"woolsignal/core/money"
)

// Status is how far a run or a step is.
type Status string

// The states of a run; a step may also be uncertain.
const (
	Queued    Status = "queued"
	Running   Status = "running"
	Waiting   Status = "waiting"
	Done      Status = "done"
	Failed    Status = "failed"
	Stopped   Status = "stopped"
	Uncertain Status = "uncertain"
)

// Ended tells whether nothing more will happen.
func (s Status) Ended() bool { return s == Done || s == Failed || s == Stopped }

// Entry is one advance of a run as the journal keeps it: everything that
// followed from one event, at one time.
type Entry struct {
	Seq     int64     `json:"seq"` // from 1
	At      time.Time `json:"at"`
	Records []Record  `json:"records"`
}

// What a record can say.
const (
	DidAccept   = "accepted"        // a signal was taken in
	DidStart    = "started"         // the run began to move
	DidBegin    = "step_began"      // a step began and waits for something
	DidEnd      = "step_ended"      // a step gave its output, or failed
	DidTake     = "case_taken"      // a decision went one way
	DidRecall   = "recalled"        // an agent read its memory
	DidAsk      = "model_asked"     // an agent's turn began
	DidAnswer   = "model_answered"  // … and ended
	DidCall     = "call"            // a tool call of an agent changed its state
	DidReview   = "review_asked"    // a person is asked
	DidDecide   = "review_answered" // … and answered
	DidSay      = "said"            // words in the conversation
	DidRespond  = "responded"       // the caller's answer is known
	DidRemember = "remembered"      // a thread's memory grew
	DidFinish   = "finished"        // the run ended
)

// Record is one thing that happened. Do says which; the other fields belong
// to one or another of them.
type Record struct {
	Do     string          `json:"do"`
	Step   string          `json:"step,omitempty"`
	Status Status          `json:"status,omitempty"`
	Signal *Signal         `json:"signal,omitempty"`
	Input  any             `json:"input,omitempty"`
	Output any             `json:"output,omitempty"`
	Error  string          `json:"error,omitempty"`
	Case   *int            `json:"case,omitempty"`
	Agent  *agent.State    `json:"agent,omitempty"`
	Said   []agent.Message `json:"said,omitempty"`
	Text   string          `json:"text,omitempty"`
	Turn   *agent.Turn     `json:"turn,omitempty"`
	Call   *agent.Call     `json:"call,omitempty"`
	Review *Review         `json:"review,omitempty"`
	Answer *Response       `json:"answer,omitempty"`
}

// whole tells whether a record holds what its kind needs.
func (r Record) whole() bool {
	switch r.Do {
	case DidAccept:
		return r.Signal != nil
	case DidTake:
		return r.Case != nil && *r.Case >= 0
	case DidReview, DidDecide:
		return r.Review != nil
	}
	return true
}

// Review is a question put to a person.
type Review struct {
	ID      string         `json:"id"`
	Of      string         `json:"of"`             // whom: a person's e-mail, a role or a team
	Kind    string         `json:"kind"`           // step, approval or uncertain
	Title   string         `json:"title"`          // one line
	Why     string         `json:"why"`            // why somebody is asked
	Show    any            `json:"show,omitempty"` // what they need to see
	Tool    string         `json:"tool,omitempty"` // the tool that waits
	Call    string         `json:"call,omitempty"` // the agent's call that waits
	Edit    map[string]any `json:"edit,omitempty"` // values they may change
	Choices []string       `json:"choices"`        // the first goes on with it
	Choice  string         `json:"choice,omitempty"`
	Edited  map[string]any `json:"edited,omitempty"` // the values after they changed some
	By      string         `json:"by,omitempty"`     // name
	Note    string         `json:"note,omitempty"`
	Asked   time.Time      `json:"asked"`
	Decided time.Time      `json:"decided,omitzero"`
}

// Response is what the caller of a webhook is answered.
type Response struct {
	Status  int               `json:"status"`
	Headers map[string]string `json:"headers,omitempty"`
	Body    any               `json:"body,omitempty"`
}

// Totals sums up what a run used.
type Totals struct {
	Input  int          `json:"input_tokens"`
	Output int          `json:"output_tokens"`
	Cost   money.Micros `json:"cost"`
}
