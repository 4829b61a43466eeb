package run

import (
	"time"

	"woolsignal/core/agent"
	"woolsignal/core/flow"
	"woolsignal/core/money"
)

// BlockName names a block of a step; see [flow.BlockName].
type BlockName = flow.BlockName

// State is a run, folded from its journal.
type State struct {
	Form     int                `json:"v"` // [Form] of who wrote it, as a snapshot
	ID       string             `json:"id"`
	Status   Status             `json:"status"`
	Because  string             `json:"because,omitempty"` // why it ended as it did
	Signal   *Signal            `json:"signal"`
	Origin   *Origin            `json:"origin,omitempty"` // nil for a run a signal started
	Begun    *Begun             `json:"begun,omitempty"`
	Accepted time.Time          `json:"accepted"`
	Started  time.Time          `json:"started,omitzero"`
	Ended    time.Time          `json:"ended,omitzero"`
	Seq      int64              `json:"seq"` // of the last entry
	Root     *Frame             `json:"root"`
	Reviews  map[string]*Review `json:"reviews,omitempty"`
	// calls that may have happened and whose steps begin again, by path
	Unsure   map[string]Sent `json:"unsure,omitempty"`
	Response *Response       `json:"response,omitempty"`
	Labels   []string        `json:"labels,omitempty"`
	Result   any             `json:"result,omitempty"` // what a called workflow gives
	Spent    Totals          `json:"spent"`
	Kept     bool            `json:"kept,omitempty"`  // an agent of it kept what it is to remember
	Facts    int             `json:"facts,omitempty"` // how many it kept so far
	// follow-ups of its conversation that its agents set, and how many there were so far
	FollowUps []FollowUp    `json:"follow_ups,omitempty"`
	Set       int           `json:"set,omitempty"`
	Ahead     time.Duration `json:"ahead,omitempty"` // how much later than it is the time is taken to be, in a try
	Held      int64         `json:"held"`            // about how many bytes of values it took in
}

// Frame is a block of steps that was entered.
type Frame struct {
	Name   BlockName `json:"name,omitzero"` // as [flow.Step.Blocks] names blocks, with the number of an item or round
	Steps  []*Step   `json:"steps,omitempty"`
	Status Status    `json:"status,omitempty"` // "" while it is open
	Gives  any       `json:"gives,omitempty"`
	Error  string    `json:"error,omitempty"`
}

// Step is one step that began. Its path is its place in the tree: the index
// in its block, and for a step inside another 2/case-1/1; see [flow.CutPath].
type Step struct {
	Path       string       `json:"path"`
	Status     Status       `json:"status"`
	Began      time.Time    `json:"began"`
	Ended      time.Time    `json:"ended,omitzero"`
	Input      any          `json:"input,omitempty"`
	Output     any          `json:"output,omitempty"`
	Error      string       `json:"error,omitempty"`
	Block      BlockName    `json:"block,omitzero"`   // the block a decision took
	Reason     string       `json:"reason,omitempty"` // why, where a model weighed it
	Confidence float64      `json:"confidence,omitempty"`
	Inside     []*Frame     `json:"inside,omitempty"`
	Agent      *agent.State `json:"agent,omitempty"` // an agent at work, or a question to a model
	Sent       bool         `json:"sent,omitempty"`  // the call behind a question to a model is on its way
	Reviews    []string     `json:"reviews,omitempty"`
	Tries      int          `json:"tries,omitempty"` // failed ones before this
	// which sending of its call this is; no other step or try has the number
	Sending  int64       `json:"sending,omitempty"`
	Effect   Effect      `json:"effect,omitempty"`   // of a call that failed
	Resend   flow.Resend `json:"resend,omitempty"`   // how its call may be sent again
	Until    time.Time   `json:"until,omitzero"`     // when it goes on by itself
	Deadline time.Time   `json:"deadline,omitzero"`  // when it has taken too long
	Hearing  *Hearing    `json:"hearing,omitempty"`  // the signal it waits for
	Asking   *Asking     `json:"asking,omitempty"`   // how far a question in the conversation is
	Child    string      `json:"child,omitempty"`    // the run of the workflow it called
	Recorded bool        `json:"recorded,omitempty"` // taken over from another run
	Held     Held        `json:"held,omitempty"`     // its call was held back
	// Pending are its calls the other side works on, by the agent's call; "" is its own.
	Pending map[string]InWork `json:"pending,omitempty"`
	// Cost is what its calls of tools and runs cost, beside what its models did.
	Cost money.Micros `json:"cost,omitempty"`
	// InVain is what was spent on what came to nothing: of models, and of tries before this one.
	InVain money.Micros `json:"in_vain,omitempty"`
}

// InWork is a call the other side works on.
type InWork struct {
	Tool  string    `json:"tool"`
	Ref   string    `json:"ref"`
	Until time.Time `json:"until,omitzero"` // when it is asked again; zero while it is being asked
}

// rests tells whether a call is in work, and nobody is being asked about it.
func (s *Step) rests(call string) bool { return !s.Pending[call].Until.IsZero() }

// Sent is a call as it was sent.
type Sent struct {
	Number int64          `json:"number"`
	Args   map[string]any `json:"args"`
}

// open tells whether something may still happen to the step.
func (s *Step) open() bool {
	if s.Status == Failed { // what is done instead may still be under way
		f := s.block(flow.Instead)
		return f != nil && f.Status == ""
	}
	return s.Status == Running || s.Status == Waiting || s.Status == Uncertain || s.Status == Retrying
}

// block finds a block of the step that was entered; nil where it was not.
func (s *Step) block(name BlockName) *Frame {
	if i := name.Number - 1; i >= 0 && i < len(s.Inside) && s.Inside[i].Name == name {
		return s.Inside[i] // items, rounds and ways are entered in order
	}
	for i := len(s.Inside) - 1; i >= 0; i-- {
		is := s.Inside[i].Name
		if is == name {
			return s.Inside[i]
		}
		if is.Word == name.Word && is.Number < name.Number {
			return nil // no later one of the word was entered
		}
	}
	return nil
}

// NewState is a run before its first entry.
func NewState(id string) *State {
	return &State{Form: Form, ID: id, Status: Queued, Root: &Frame{}, Reviews: map[string]*Review{}}
}

// Totals sums up what a run used.
type Totals struct {
	Input  int          `json:"input_tokens"`
	Output int          `json:"output_tokens"`
	Cost   money.Micros `json:"cost"`
	Below  money.Micros `json:"below,omitempty"` // what the runs it called cost, beside
}

// All is what it and the runs it called cost.
func (t Totals) All() money.Micros { return t.Cost + t.Below }

// rest tells running from waiting: a run waits when nothing this process
// does can move it, only people, time, a signal or another run.
func (s *State) rest() {
	if s.Status.Ended() || s.Status == Queued {
		return
	}
	s.Status = Waiting
	awaited := false
	s.eachOpen(func(step *Step) {
		awaited = true
		if step.busy() {
			s.Status = Running
		}
	})
	if !awaited {
		s.Status = Running
	}
}

// busy tells whether something is under way for the step itself.
func (s *Step) busy() bool {
	switch {
	case s.Status != Running || len(s.Inside) > 0 || s.Child != "":
		return false
	case s.Agent == nil || s.Sent:
		return !s.rests("")
	case s.Agent.Thinking() || !s.Agent.Ready:
		return true
	}
	for _, c := range s.Agent.Calls {
		if c.State == agent.Running && c.Child == "" && !s.rests(c.ID) || c.State == agent.Looking ||
			c.State == agent.Weighing ||
			c.Back != nil && c.Back.Phase == agent.BackPosting {
			return true
		}
	}
	return false
}

// Wake is when the run goes on by itself; zero where it does not.
func (s *State) Wake() time.Time {
	var wake time.Time
	s.eachOpen(func(step *Step) {
		times := []time.Time{step.Until, step.Deadline}
		for _, p := range step.Pending {
			times = append(times, p.Until)
		}
		for _, t := range times {
			if !t.IsZero() && (wake.IsZero() || t.Before(wake)) {
				wake = t
			}
		}
	})
	return wake
}

// Draft tells whether the run follows what is written rather than what is
// live; it uses the connections that stand in for drafts.
func (s *State) Draft() bool { return s.Signal.Draft || s.Origin != nil && s.Origin.Kind == OfTry }
