package run

import (
	"fmt"
	"time"

	"woolsignal/core/agent"
	"woolsignal/core/flow"
)

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
	Unsure   map[string]Sent    `json:"unsure,omitempty"` // calls that may have happened and whose steps begin again, by path
	Response *Response          `json:"response,omitempty"`
	Labels   []string           `json:"labels,omitempty"`
	Result   any                `json:"result,omitempty"` // what a called workflow gives
	Spent    Totals             `json:"spent"`
	Held     int64              `json:"held"` // about how many bytes of values it took in
}

// Frame is a block of steps that was entered.
type Frame struct {
	Name   string  `json:"name,omitempty"` // as [flow.Step.Blocks] names blocks, with the number of an item or round
	Steps  []*Step `json:"steps,omitempty"`
	Status Status  `json:"status,omitempty"` // "" while it is open
	Gives  any     `json:"gives,omitempty"`
	Error  string  `json:"error,omitempty"`
}

// Step is one step that began. Its path is its place in the tree: the index
// in its block, and for a step inside another "2/c0/1".
type Step struct {
	Path       string       `json:"path"`
	Status     Status       `json:"status"`
	Began      time.Time    `json:"began"`
	Ended      time.Time    `json:"ended,omitzero"`
	Input      any          `json:"input,omitempty"`
	Output     any          `json:"output,omitempty"`
	Error      string       `json:"error,omitempty"`
	Block      string       `json:"block,omitempty"`  // the block a decision took
	Reason     string       `json:"reason,omitempty"` // why, where a model weighed it
	Confidence float64      `json:"confidence,omitempty"`
	Inside     []*Frame     `json:"inside,omitempty"`
	Agent      *agent.State `json:"agent,omitempty"` // an agent at work, or a question to a model
	Sent       bool         `json:"sent,omitempty"`  // the call behind a question to a model is on its way
	Reviews    []string     `json:"reviews,omitempty"`
	Tries      int          `json:"tries,omitempty"`    // failed ones before this
	Sending    int64        `json:"sending,omitempty"`  // which sending of its call this is; no other step or try has the number
	Effect     Effect       `json:"effect,omitempty"`   // of a call that failed
	Resend     flow.Resend  `json:"resend,omitempty"`   // how its call may be sent again
	Until      time.Time    `json:"until,omitzero"`     // when it goes on by itself
	Deadline   time.Time    `json:"deadline,omitzero"`  // when it has taken too long
	Hearing    *Hearing     `json:"hearing,omitempty"`  // the signal it waits for
	Asking     *Asking      `json:"asking,omitempty"`   // how far a question in the conversation is
	Child      string       `json:"child,omitempty"`    // the run of the workflow it called
	Recorded   bool         `json:"recorded,omitempty"` // taken over from another run
}

// Sent is a call as it was sent.
type Sent struct {
	Number int64          `json:"number"`
	Args   map[string]any `json:"args"`
}

// open tells whether something may still happen to the step.
func (s *Step) open() bool {
	if s.Status == Failed { // what is done instead may still be under way
		f := s.block("f")
		return f != nil && f.Status == ""
	}
	return s.Status == Running || s.Status == Waiting || s.Status == Uncertain || s.Status == Again
}

// block finds a block of the step that was entered; nil where it was not.
func (s *Step) block(name string) *Frame {
	if i := blockIndex(name); i >= 0 { // items, rounds and ways are entered in order
		if i < len(s.Inside) && s.Inside[i].Name == name {
			return s.Inside[i]
		}
		return nil
	}
	for i := len(s.Inside) - 1; i >= 0; i-- {
		if s.Inside[i].Name == name {
			return s.Inside[i]
		}
	}
	return nil
}

// NewState is a run before its first entry.
func NewState(id string) *State {
	return &State{Form: Form, ID: id, Status: Queued, Root: &Frame{}, Reviews: map[string]*Review{}}
}

// Fold builds a state from a journal.
func Fold(id string, entries []Entry) (*State, error) {
	s := NewState(id)
	for _, e := range entries {
		if err := s.Apply(e); err != nil {
			return nil, err
		}
	}
	return s, nil
}

// Apply puts one entry into the state. It fails where the entry cannot
// follow what the state holds.
func (s *State) Apply(e Entry) error {
	if e.Seq != s.Seq+1 {
		return fmt.Errorf("run %s: entry %d cannot follow entry %d", s.ID, e.Seq, s.Seq)
	}
	for _, r := range e.Records {
		if err := s.put(r, e.At); err != nil {
			return fmt.Errorf("run %s, entry %d: %w", s.ID, e.Seq, err)
		}
	}
	s.Seq = e.Seq
	s.settle()
	return nil
}

// put assigns what one record says.
func (s *State) put(r Record, at time.Time) error {
	if !r.whole() {
		return fmt.Errorf("the record %q of step %q is not whole", r.Do, r.Step)
	}
	s.Held += int64(weight(r))
	switch r.Do {
	case DidAccept:
		s.Signal, s.Origin, s.Begun, s.Accepted = r.Signal, r.Origin, r.Begun, at
		return nil
	case DidStart:
		s.Started, s.Status = at, Running
		return nil
	case DidRespond:
		s.Response = r.Answer
		return nil
	case DidFinish:
		s.Status, s.Because, s.Ended, s.Result = r.Status, r.Error, at, r.Output
		return nil
	case DidLabel:
		s.Labels = append(s.Labels, r.Labels...)
		return nil
	case DidSay, DidHear, DidRemember, DidFact:
		return nil // for the conversation and the memory; the state needs neither
	case DidBegin, DidEnd, DidTake, DidListen:
	default:
		if s.Step(r.Step) == nil {
			return fmt.Errorf("%s for the step %q, which never began", r.Do, r.Step)
		}
	}
	step, err := s.ensure(r.Step, at)
	if err != nil {
		return err
	}
	return s.putStep(step, r, at)
}

// putStep assigns what a record says of one step.
func (s *State) putStep(step *Step, r Record, at time.Time) error {
	switch r.Do {
	case DidBegin:
		step.Status, step.Input, step.Effect, step.Sending, step.Resend = Running, r.Input, "", s.sending(r), r.Resend
		if r.Agent != nil {
			fresh := *r.Agent // the record must stay as it was written
			step.Agent = &fresh
		}
	case DidSend:
		step.Input, step.Sent, step.Sending, step.Resend = r.Input, true, s.sending(r), r.Resend
	case DidEnd:
		step.Status, step.Output, step.Error, step.Ended, step.Until, step.Deadline = r.Status, r.Output, r.Error, at, time.Time{}, time.Time{}
		step.Recorded, step.Effect = r.Recorded, r.Effect
		if r.Effect == "" {
			delete(s.Unsure, r.Step)
		}
		if r.Input != nil {
			step.Input = r.Input
		}
	case DidTake:
		name := r.Block
		if step.Status == "" || step.Status == Again {
			step.Status = Running
		}
		if name[0] == 'c' || name[0] == 'u' {
			step.Block, step.Reason, step.Confidence = name, r.Text, r.Confidence
		}
		if step.block(name) != nil {
			return fmt.Errorf("the block %q of step %q is entered twice", name, r.Step)
		}
		step.Inside = append(step.Inside, &Frame{Name: name})
	case DidLeave:
		frame := step.block(r.Block)
		if frame == nil {
			return fmt.Errorf("the block %q of step %q was never entered", r.Block, r.Step)
		}
		frame.Status, frame.Gives, frame.Error = r.Status, r.Output, r.Error
	case DidLimit:
		step.Deadline = r.Until
	case DidPause:
		step.Status, step.Until = Waiting, r.Until
	case DidRetry:
		s.unsure(step)
		*step = Step{Path: step.Path, Status: Waiting, Began: step.Began, Error: step.Error, Reviews: step.Reviews, Tries: step.Tries + 1, Until: r.Until}
	case DidWake:
		step.Status, step.Until = Again, time.Time{}
	case DidListen:
		heard := *r.Hearing
		step.Status, step.Hearing, step.Until = Waiting, &heard, r.Until
	case DidDeaf:
		step.Hearing, step.Until = nil, time.Time{}
	case DidAsking:
		asking := *r.Asking
		step.Asking = &asking
	case DidChild:
		step.Child = r.Child
	case DidDrop:
		step.Child = ""
	case DidReview:
		review := *r.Review
		s.Reviews[review.ID] = &review
		step.Reviews = append(step.Reviews, review.ID)
		if review.Kind == "uncertain" && review.Call == "" {
			step.Status, step.Deadline = Uncertain, time.Time{}
		} else if review.Kind == "step" || review.Kind == OfConnection && review.Call == "" {
			step.Status = Waiting
		}
	case DidDecide:
		review := *r.Review
		s.Reviews[review.ID] = &review
		if step.Status == Uncertain || review.Kind == OfConnection && review.Call == "" {
			step.Status = Running
		}
	default:
		if err := putAgent(step, r, at); err != nil {
			return err
		}
		if r.Do == DidAnswer {
			s.Spent.Input, s.Spent.Output, s.Spent.Cost = s.Spent.Input+r.Turn.Input, s.Spent.Output+r.Turn.Output, s.Spent.Cost+r.Turn.Cost
		}
	}
	return nil
}

// putAgent assigns what a record says of an agent at work, or of a question
// to a model.
func putAgent(step *Step, r Record, at time.Time) error {
	if step.Agent == nil {
		return fmt.Errorf("%s for the step %q, which is no agent", r.Do, r.Step)
	}
	switch {
	case r.Do == DidRecall:
		step.Agent.PutRecalled(r.Said, r.Text)
		step.Agent.PutFacts(r.Facts)
	case r.Do == DidAsk:
		step.Agent.Messages = append(step.Agent.Messages, r.Said...) // what was wrong with the answer before
		step.Agent.PutAsked(at, r.Offered)
	case r.Do == DidAnswer && step.Agent.Thinking() && len(r.Said) == 1 && r.Turn != nil:
		step.Agent.PutAnswered(r.Said[0], *r.Turn)
	case r.Do == DidCall && r.Call != nil:
		step.Agent.PutCall(*r.Call)
	default:
		return fmt.Errorf("the record %q of step %q does not fit", r.Do, r.Step)
	}
	return nil
}

// sending numbers a call: by the entry that sends it, or with the number it
// had where it is the same call once more.
func (s *State) sending(r Record) int64 {
	if r.Sending != 0 {
		return r.Sending
	}
	return s.Seq + 1
}

// unsure keeps, of a step that begins again, the calls in it that may have
// happened: should the same be called once more, it has the same number.
func (s *State) unsure(step *Step) {
	if args, ok := step.Input.(map[string]any); ok && step.Effect == Unsure {
		if s.Unsure == nil {
			s.Unsure = map[string]Sent{}
		}
		s.Unsure[step.Path] = Sent{step.Sending, args}
	}
	for _, frame := range step.Inside {
		for _, inner := range frame.Steps {
			s.unsure(inner)
		}
	}
}

// settle tells running from waiting: a run waits when nothing this process
// does can move it, only people, time, a signal or another run.
func (s *State) settle() {
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
		return true
	case s.Agent.Thinking() || !s.Agent.Ready:
		return true
	}
	for _, c := range s.Agent.Calls {
		if c.State == agent.Running {
			return true
		}
	}
	return false
}

// Wake is when the run goes on by itself; zero where it does not.
func (s *State) Wake() time.Time {
	var wake time.Time
	s.eachOpen(func(step *Step) {
		for _, t := range []time.Time{step.Until, step.Deadline} {
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
