package run

import (
	"fmt"
	"strconv"
	"strings"
	"time"

	"woolsignal/core/agent"
)

// State is a run, folded from its journal.
type State struct {
	ID       string             `json:"id"`
	Status   Status             `json:"status"`
	Because  string             `json:"because,omitempty"` // why it ended as it did
	Signal   *Signal            `json:"signal"`
	Accepted time.Time          `json:"accepted"`
	Started  time.Time          `json:"started,omitzero"`
	Ended    time.Time          `json:"ended,omitzero"`
	Seq      int64              `json:"seq"` // of the last entry
	Root     *Frame             `json:"root"`
	Reviews  map[string]*Review `json:"reviews,omitempty"`
	Response *Response          `json:"response,omitempty"`
}

// Frame is a block of steps that was entered.
type Frame struct {
	Steps []*Step `json:"steps"`
}

// Step is one step that began. Its path is its place in the tree: the index
// in its block, and for a step inside a case "2/c0/1".
type Step struct {
	Path    string            `json:"path"`
	Status  Status            `json:"status"`
	Began   time.Time         `json:"began"`
	Ended   time.Time         `json:"ended,omitzero"`
	Input   any               `json:"input,omitempty"`
	Output  any               `json:"output,omitempty"`
	Error   string            `json:"error,omitempty"`
	Case    *int              `json:"case,omitempty"`   // the case a decision took
	Inside  map[string]*Frame `json:"inside,omitempty"` // blocks by name: c0 is the first case
	Agent   *agent.State      `json:"agent,omitempty"`
	Reviews []string          `json:"reviews,omitempty"`
}

// NewState is a run before its first entry.
func NewState(id string) *State {
	return &State{ID: id, Status: Queued, Root: &Frame{}, Reviews: map[string]*Review{}}
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
	switch r.Do {
	case DidAccept:
		s.Signal, s.Accepted = r.Signal, at
		return nil
	case DidStart:
		s.Started, s.Status = at, Running
		return nil
	case DidRespond:
		s.Response = r.Answer
		return nil
	case DidFinish:
		s.Status, s.Because, s.Ended = r.Status, r.Error, at
		return nil
	case DidSay, DidRemember:
		return nil // for the conversation and the memory; the state needs neither
	case DidBegin, DidEnd, DidTake:
	default:
		if s.Step(r.Step) == nil {
			return fmt.Errorf("%s for the step %q, which never began", r.Do, r.Step)
		}
	}
	step, err := s.ensure(r.Step, at)
	if err != nil {
		return err
	}
	switch r.Do {
	case DidBegin:
		step.Status, step.Input = Running, r.Input
		if r.Agent != nil {
			fresh := *r.Agent // the record must stay as it was written
			step.Agent = &fresh
		}
	case DidEnd:
		step.Status, step.Output, step.Error, step.Ended = r.Status, r.Output, r.Error, at
		if r.Input != nil {
			step.Input = r.Input
		}
	case DidTake:
		step.Status, step.Case = Running, r.Case
		step.Inside = map[string]*Frame{"c" + strconv.Itoa(*r.Case): {}}
	case DidReview:
		review := *r.Review
		s.Reviews[review.ID] = &review
		step.Reviews = append(step.Reviews, review.ID)
		if review.Kind == "uncertain" && review.Call == "" {
			step.Status = Uncertain
		} else if review.Kind == "step" {
			step.Status = Waiting
		}
	case DidDecide:
		review := *r.Review
		s.Reviews[review.ID] = &review
		if step.Status == Uncertain {
			step.Status = Running
		}
	default:
		return putAgent(step, r, at)
	}
	return nil
}

// putAgent assigns what a record says of an agent at work.
func putAgent(step *Step, r Record, at time.Time) error {
	if step.Agent == nil {
		return fmt.Errorf("%s for the step %q, which is no agent", r.Do, r.Step)
	}
	switch {
	case r.Do == DidRecall:
		step.Agent.PutRecalled(r.Said, r.Text)
	case r.Do == DidAsk:
		step.Agent.PutAsked(at)
	case r.Do == DidAnswer && step.Agent.Thinking() && len(r.Said) == 1 && r.Turn != nil:
		step.Agent.PutAnswered(r.Said[0], *r.Turn)
	case r.Do == DidCall && r.Call != nil:
		step.Agent.PutCall(*r.Call)
	default:
		return fmt.Errorf("the record %q of step %q does not fit", r.Do, r.Step)
	}
	return nil
}

// settle tells running from waiting: a run waits when only people can move it.
func (s *State) settle() {
	if s.Status.Ended() || s.Status == Queued {
		return
	}
	s.Status = Running
	for _, r := range s.Reviews {
		if r.Choice == "" {
			s.Status = Waiting
		}
	}
	if s.Status == Waiting && s.busy() {
		s.Status = Running
	}
}

// busy tells whether anything but a person is awaited.
func (s *State) busy() bool {
	busy := false
	s.Each(func(step *Step) {
		switch {
		case step.Status != Running || step.Inside != nil:
		case step.Agent == nil:
			busy = true
		case step.Agent.Thinking() || !step.Agent.Ready:
			busy = true
		default:
			for _, c := range step.Agent.Calls {
				busy = busy || c.State == agent.Running
			}
		}
	})
	return busy
}

// Each visits every step that began, in the order of the script.
func (s *State) Each(visit func(*Step)) { s.Root.each(visit) }

func (f *Frame) each(visit func(*Step)) {
	for _, step := range f.Steps {
		visit(step)
		for _, inner := range step.Inside {
			inner.each(visit)
		}
	}
}

// Step finds a step by path; nil where it never began.
func (s *State) Step(path string) *Step {
	frame, index, err := s.locate(path)
	if err != nil || index >= len(frame.Steps) {
		return nil
	}
	return frame.Steps[index]
}

// ensure finds a step, or begins the next one of its block.
func (s *State) ensure(path string, at time.Time) (*Step, error) {
	frame, index, err := s.locate(path)
	if err != nil {
		return nil, err
	}
	if index == len(frame.Steps) {
		frame.Steps = append(frame.Steps, &Step{Path: path, Began: at})
	}
	if index >= len(frame.Steps) {
		return nil, fmt.Errorf("the step %q begins before the one above it", path)
	}
	return frame.Steps[index], nil
}

// locate finds the frame a path leads to and the index in it.
func (s *State) locate(path string) (*Frame, int, error) {
	frame := s.Root
	parts := strings.Split(path, "/")
	for i := 0; ; i += 2 {
		index, err := strconv.Atoi(parts[i])
		if err != nil || index < 0 {
			return nil, 0, fmt.Errorf("%q is not the path of a step", path)
		}
		if i+1 >= len(parts) {
			return frame, index, nil
		}
		if index >= len(frame.Steps) || i+2 >= len(parts) {
			return nil, 0, fmt.Errorf("no step at %q", path)
		}
		inner := frame.Steps[index].Inside[parts[i+1]]
		if inner == nil {
			return nil, 0, fmt.Errorf("no block at %q", path)
		}
		frame = inner
	}
}

// Totals sums up tokens and money over all agents.
func (s *State) Totals() Totals {
	var t Totals
	s.Each(func(step *Step) {
		if step.Agent != nil {
			in, out, cost := step.Agent.Spent()
			t.Input, t.Output, t.Cost = t.Input+in, t.Output+out, t.Cost+cost
		}
	})
	return t
}
