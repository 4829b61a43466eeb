package run

import (
	"slices"
	"time"

	"woolsignal/core/agent"
	"woolsignal/core/flow"
	"woolsignal/core/money"
)

// Status is how far a run or a step is.
type Status string

// The states of a run; a step may also be skipped, uncertain, or about to
// begin again.
const (
	Queued    Status = "queued"
	Running   Status = "running"
	Waiting   Status = "waiting"
	Done      Status = "done"
	Failed    Status = "failed"
	Stopped   Status = "stopped"
	Skipped   Status = "skipped"
	Uncertain Status = "uncertain"
	Again     Status = "again"
)

// Ended tells whether nothing more will happen.
func (s Status) Ended() bool { return s == Done || s == Failed || s == Stopped }

// Form numbers the form of entries and snapshots. Who reads one of another
// form refuses it: a journal is never guessed at.
const Form = 1

// FormError says that a record or snapshot is of a form this version does not
// know.
type FormError struct{ What string }

func (e *FormError) Error() string {
	return e.What + ", which another version of Wool Signal wrote; start that one to go on with this run"
}

// Entry is one advance of a run as the journal keeps it: everything that
// followed from one event, at one time.
type Entry struct {
	Form    int       `json:"v"`   // [Form] of who wrote it
	Seq     int64     `json:"seq"` // from 1
	At      time.Time `json:"at"`
	Records []Record  `json:"records"`
}

// What a record can say.
const (
	DidAccept   = "accepted"        // a signal was taken in
	DidStart    = "started"         // the run began to move
	DidBegin    = "step_began"      // a step began and waits for something
	DidSend     = "step_sent"       // what a model filled in is on its way
	DidEnd      = "step_ended"      // a step gave its output, failed, was skipped or cancelled
	DidTake     = "case_taken"      // a block was entered
	DidLeave    = "block_left"      // … and left again
	DidLimit    = "step_limited"    // from when on a step has taken too long
	DidPause    = "step_paused"     // a step goes on at a time
	DidRetry    = "step_retried"    // a failed step begins again at a time
	DidWake     = "step_woken"      // … and that time came
	DidListen   = "listening"       // a step waits for a signal
	DidDeaf     = "listened"        // … and no longer
	DidChild    = "child_started"   // a called workflow has its run
	DidDrop     = "child_dropped"   // … or is no longer wanted
	DidRecall   = "recalled"        // an agent read its memory
	DidAsk      = "model_asked"     // a model's turn began
	DidAnswer   = "model_answered"  // … and ended
	DidCall     = "call"            // a tool call of an agent changed its state
	DidReview   = "review_asked"    // a person is asked
	DidDecide   = "review_answered" // … and answered
	DidSay      = "said"            // words in the conversation
	DidRespond  = "responded"       // the caller's answer is known
	DidRemember = "remembered"      // a thread's memory grew
	DidAsking   = "asking"          // how far a question in the conversation is
	DidHear     = "answer_heard"    // somebody answered it
	DidFact     = "fact_kept"       // a fact was kept
	DidLabel    = "labelled"        // the run was marked
	DidFinish   = "finished"        // the run ended
)

// Record is one thing that happened. Do says which; the other fields belong
// to one or another of them.
type Record struct {
	Do         string          `json:"do"`
	Step       string          `json:"step,omitempty"`
	Status     Status          `json:"status,omitempty"`
	Signal     *Signal         `json:"signal,omitempty"`
	Origin     *Origin         `json:"origin,omitempty"`
	Begun      *Begun          `json:"begun,omitempty"`
	Input      any             `json:"input,omitempty"`
	Output     any             `json:"output,omitempty"`
	Error      string          `json:"error,omitempty"`
	Block      string          `json:"block,omitempty"`
	Confidence float64         `json:"confidence,omitempty"`
	Effect     Effect          `json:"effect,omitempty"`  // of a call that failed
	Sending    int64           `json:"sending,omitempty"` // the number a call keeps; 0 is a new one
	Resend     flow.Resend     `json:"resend,omitempty"`  // how the call may be sent again
	Until      time.Time       `json:"until,omitzero"`
	Hearing    *Hearing        `json:"hearing,omitempty"`
	Child      string          `json:"child,omitempty"`
	Recorded   bool            `json:"recorded,omitempty"`
	Agent      *agent.State    `json:"agent,omitempty"`
	Said       []agent.Message `json:"said,omitempty"`
	Text       string          `json:"text,omitempty"`
	About      string          `json:"about,omitempty"`
	Name       string          `json:"name,omitempty"`
	Labels     []string        `json:"labels,omitempty"`
	Facts      []string        `json:"facts,omitempty"`
	Offered    []string        `json:"offered,omitempty"` // tools, to an agent in its turn
	Turn       *agent.Turn     `json:"turn,omitempty"`
	Call       *agent.Call     `json:"call,omitempty"`
	Review     *Review         `json:"review,omitempty"`
	Answer     *Response       `json:"answer,omitempty"`
	Message    *Message        `json:"message,omitempty"`
	Asking     *Asking         `json:"asking,omitempty"`
}

// happenings are what a record can say.
var happenings = []string{DidAccept, DidStart, DidBegin, DidSend, DidEnd, DidTake, DidLeave, DidLimit, DidPause, DidRetry, DidWake, DidListen, DidDeaf, DidChild, DidDrop,
	DidRecall, DidAsk, DidAnswer, DidCall, DidReview, DidDecide, DidSay, DidRespond, DidRemember, DidAsking, DidHear, DidFact, DidLabel, DidFinish}

// known tells whether this version knows what a record says.
func (r Record) known() bool { return slices.Contains(happenings, r.Do) }

// whole tells whether a record holds what its kind needs.
func (r Record) whole() bool {
	switch r.Do {
	case DidAccept:
		return r.Signal != nil
	case DidTake:
		return r.Block != ""
	case DidLeave:
		return r.Block != ""
	case DidReview, DidDecide:
		return r.Review != nil
	case DidListen:
		return r.Hearing != nil
	case DidAsking:
		return r.Asking != nil
	case DidHear:
		return r.Signal != nil
	}
	return true
}

// Effect says what is known of the effect of a call that did not go well.
type Effect string

// What can be known. Without any of these, nothing was done.
const (
	Unsure    Effect = "unsure"   // it may or may not have happened
	TookPlace Effect = "happened" // it happened, and what it gave is lost
)

// Origin tells where a run comes from that no signal from outside started.
type Origin struct {
	Run   string         `json:"run,omitempty"`   // the run that called this one, or that this one repeats
	Step  string         `json:"step,omitempty"`  // the step that called it, or that it repeats from
	Call  int64          `json:"call,omitempty"`  // which sending of the step called it
	Kind  string         `json:"kind"`            // call, rerun or try
	Given map[string]any `json:"given,omitempty"` // the values a tried step sees
	Held  bool           `json:"held,omitempty"`  // nothing outside is changed
}

// Begun is what a run is among others, as it was taken in: all that lists and
// searches know of it beside what its journal says.
type Begun struct {
	Workflow   string `json:"workflow"`
	Definition string `json:"definition"`         // by content
	Thread     string `json:"thread,omitempty"`   // its conversation
	Key        string `json:"key,omitempty"`      // what its workflow's limits tell it apart by
	Delivery   string `json:"delivery,omitempty"` // what delivered its signal, for telling repeats
	Cause      string `json:"cause,omitempty"`    // the run that brought it about
	Links      int    `json:"links,omitempty"`    // runs before it that brought one another about
}

// What an [Origin] can be.
const (
	OfCall  = "call"
	OfRerun = "rerun"
	OfTry   = "try"
)

// Hearing is a signal a step waits for.
type Hearing struct {
	Source     string `json:"source"` // as a signal's source says it
	Key        string `json:"key"`
	AlsoStarts bool   `json:"also_starts,omitempty"`
}

// Review is a question put to a person.
type Review struct {
	ID      string         `json:"id"`
	Of      string         `json:"of"`              // whom: a person's e-mail, a role or a team
	Kind    string         `json:"kind"`            // step, approval, uncertain or connection
	Title   string         `json:"title"`           // one line
	Why     string         `json:"why"`             // why somebody is asked
	Show    any            `json:"show,omitempty"`  // what they need to see
	Tool    string         `json:"tool,omitempty"`  // the tool that waits
	Needs   string         `json:"needs,omitempty"` // the connection that is missing
	Call    string         `json:"call,omitempty"`  // the agent's call that waits
	Edit    map[string]any `json:"edit,omitempty"`  // values they may change
	Choices []string       `json:"choices"`         // the first goes on with it
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
