package run

import (
	"fmt"
	"time"

	"woolsignal/core/agent"
)

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
		if err := s.fold(r, e.At, &gate{}); err != nil {
			return fmt.Errorf("run %s, entry %d: %w", s.ID, e.Seq, err)
		}
	}
	s.Seq = e.Seq
	s.rest()
	return nil
}

// fold lets a record through the gate and assigns what it says.
func (s *State) fold(r Record, at time.Time, g *gate) error {
	r.gate(g)
	s.Held += int64(g.held)
	switch r := r.(type) {
	case *RunAccepted:
		s.Signal, s.Origin, s.Begun, s.Accepted = r.Signal, r.Origin, r.Begun, at
		if r.Origin != nil && !r.Origin.Trial.At.IsZero() {
			s.Ahead = r.Origin.Trial.At.Sub(at)
		}
	case *RunStarted:
		s.Started, s.Status = at, Running
	case *RunFinished:
		s.Status, s.Because, s.Ended, s.Result = r.Status, r.Why, at, r.Result
		if r.Status == Stopped {
			s.cancelFollowUps("with the run", at, func(FollowUp) bool { return true })
		}
	case *RunLabelled:
		s.Labels = append(s.Labels, r.Labels...)
	case *CallerAnswered:
		s.Response = r.Response
	case *MemoryKept:
		s.Kept = true
	case *FollowUpSet:
		s.followUpSet(r, at)
	case *FollowUpCancelled:
		s.cancelFollowUps(r.By, time.Time{}, func(f FollowUp) bool { return f.N == r.N })
	case *FactKept:
		s.Facts = r.N
	case *WordsSaid, *SignalHeard, *FactChanged:
		// for the conversation and the memory; the state needs none of them
	case *StepBegan:
		return s.began(r, at)
	case *StepSent:
		return s.known(r, r.Step, func(step *Step) {
			step.Input, step.Sent, step.Sending, step.Resend = r.Input, true, s.sending(r.Sending), r.Resend
		})
	case *StepEnded:
		return s.stepEnded(r, at)
	case *StepLimited:
		return s.known(r, r.Step, func(step *Step) { step.Deadline = r.Until })
	case *TimeHurried:
		s.Ahead += r.By
		return nil
	case *StepPaused:
		return s.known(r, r.Step, func(step *Step) { step.Status, step.Until = Waiting, r.Until })
	case *StepRetried:
		s.cancelFollowUps("with the try that failed", at, func(f FollowUp) bool { return f.Within(r.Step) })
		return s.known(r, r.Step, func(step *Step) {
			s.unsure(step)
			spent := step.InVain
			if step.Agent != nil { // which counts what was spent before it already
				spent += step.Agent.Cost() - step.Agent.Earlier
			}
			*step = Step{InVain: spent, Path: step.Path, Status: Retrying, Began: step.Began, Error: step.Error,
				Reviews: step.Reviews, Tries: step.Tries + 1, Until: r.Until}
		})
	case *StepWoken:
		return s.known(r, r.Step, func(step *Step) { step.Until = time.Time{} })
	case *BlockEntered:
		return s.entered(r, at)
	case *BlockLeft:
		return s.left(r)
	case *ListeningBegan:
		step, err := s.ensure(r.Step, at)
		if err == nil {
			hearing := *r.Hearing
			step.Hearing, step.Until = &hearing, r.Until
			if step.Agent == nil || step.Sent { // an agent goes on with what else it has under way
				step.Status = Waiting
			}
		}
		return err
	case *ListeningEnded:
		return s.known(r, r.Step, func(step *Step) { step.Hearing, step.Until = nil, time.Time{} })
	case *ChildStarted:
		return s.known(r, r.Step, func(step *Step) { step.called(r.Call, r.Child) })
	case *ChildDropped:
		return s.known(r, r.Step, func(step *Step) { step.called(r.Call, "") })
	case *QuestionMoved:
		return s.known(r, r.Step, func(step *Step) {
			asking := *r.Asking
			step.Asking = &asking
		})
	case *ReviewAsked:
		return s.known(r, r.Step, func(step *Step) { s.reviewAsked(step, r) })
	case *ReviewAnswered:
		return s.known(r, r.Step, func(step *Step) { s.reviewAnswered(step, r) })
	case *MemoryRecalled:
		return s.atWork(r, r.Step, func(a *agent.State) {
			a.PutRecalled(r.Said, r.Choices)
			a.PutFacts(r.Facts)
			a.Holder = r.Holder
		})
	case *HandedOver:
		return s.atWork(r, r.Step, func(a *agent.State) {
			a.PutHandedOver(agent.Act{Agent: r.To, Why: r.Why, At: at}, r.Model, r.System, r.Said)
		})
	case *ModelAsked:
		return s.atWork(r, r.Step, func(a *agent.State) {
			a.PutWrong(r.Said)
			a.PutAsked(at, agent.Turn{Offered: r.Offered, LeftOut: r.LeftOut, Fill: r.Fill})
		})
	case *ModelAnswered:
		return s.modelAnswered(r)
	case *CallPriced:
		return s.known(r, r.Step, func(step *Step) { s.priced(step, r) })
	case *SpentInVain:
		s.Spent.Input += r.Input
		s.Spent.Output += r.Output
		s.Spent.Cost += r.Cost
		if step := s.Step(r.Step); step != nil {
			step.InVain += r.Cost
		}
		s.paid(r.Review)
	case *CallPending:
		return s.known(r, r.Step, func(step *Step) {
			if step.Pending == nil {
				step.Pending = map[string]InWork{}
			}
			step.Pending[r.Call] = InWork{r.Tool, r.Ref, r.Until}
		})
	case *CallWeighed:
		return s.atWork(r, r.Step, func(a *agent.State) { s.weighed(a, r) })
	case *CallChanged:
		if step := s.Step(r.Step); step != nil && r.Call.State != agent.Running {
			delete(step.Pending, r.Call.ID)
		}
		return s.atWork(r, r.Step, func(a *agent.State) { a.PutCall(*r.Call) })
	}
	return nil
}

// called notes the run that a step, or a call of the agent in it, waits for.
func (s *Step) called(call, child string) {
	if call == "" {
		s.Child = child
	} else if c := s.Agent.Call(call); c != nil {
		c.Child = child
	}
}

// priced adds up what a call of a step cost.
func (s *State) priced(step *Step, r *CallPriced) {
	step.Cost += r.Cost
	if r.Child {
		s.Spent.Below += r.Cost
	} else {
		s.Spent.Cost += r.Cost
	}
	if step.Agent != nil {
		if c := step.Agent.Call(r.Call); c != nil {
			c.Cost += r.Cost
		}
	}
}

// weighed notes a verdict on a call, and what it cost.
func (s *State) weighed(a *agent.State, r *CallWeighed) {
	s.Spent.Input += r.Input
	s.Spent.Output += r.Output
	s.Spent.Cost += r.Cost
	if c := a.Call(r.Call); c != nil {
		verdict := r.Verdict
		c.Judged, c.Cost = &verdict, c.Cost+r.Cost
	}
}

// known does something to a step that began before.
func (s *State) known(r Record, path string, do func(*Step)) error {
	step := s.Step(path)
	if step == nil {
		return fmt.Errorf("%s for the step %q, which never began", r.word(), path)
	}
	do(step)
	return nil
}

// atWork does something to the agent, or the question to a model, of a step.
func (s *State) atWork(r Record, path string, do func(*agent.State)) error {
	step := s.Step(path)
	if step == nil || step.Agent == nil {
		return fmt.Errorf("%s for the step %q, which is no agent", r.word(), path)
	}
	do(step.Agent)
	return nil
}

func (s *State) began(r *StepBegan, at time.Time) error {
	step, err := s.ensure(r.Step, at)
	if err != nil {
		return err
	}
	step.Status, step.Input, step.Effect, step.Error = Running, r.Input, "", ""
	step.Sending, step.Resend = s.sending(r.Sending), r.Resend
	if r.Agent != nil {
		fresh := *r.Agent // the record must stay as it was written
		fresh.Earlier = step.InVain
		step.Agent = &fresh
	}
	return nil
}

func (s *State) stepEnded(r *StepEnded, at time.Time) error {
	step, err := s.ensure(r.Step, at)
	if err != nil {
		return err
	}
	step.Status, step.Output, step.Error, step.Ended = r.Status, r.Output, r.Error, at
	step.Until, step.Deadline, step.Pending = time.Time{}, time.Time{}, nil
	step.Recorded, step.Effect, step.Held = r.Recorded, r.Effect, r.Held
	if r.Effect == "" {
		delete(s.Unsure, r.Step)
	}
	if r.Input != nil {
		step.Input = r.Input
	}
	return nil
}

func (s *State) entered(r *BlockEntered, at time.Time) error {
	step, err := s.ensure(r.Step, at)
	if err != nil {
		return err
	}
	if step.Status == "" || step.Status == Retrying {
		step.Status = Running
	}
	if r.Choice != nil {
		step.Block, step.Reason, step.Confidence = r.Block, r.Choice.Reason, r.Choice.Confidence
	}
	if step.block(r.Block) != nil {
		return fmt.Errorf("the block %s of step %q is entered twice", r.Block, r.Step)
	}
	step.Inside = append(step.Inside, &Frame{Name: r.Block})
	return nil
}

func (s *State) left(r *BlockLeft) error {
	step := s.Step(r.Step)
	if step == nil || step.block(r.Block) == nil {
		return fmt.Errorf("the block %s of step %q was never entered", r.Block, r.Step)
	}
	frame := step.block(r.Block)
	frame.Status, frame.Gives, frame.Error = r.Status, r.Gives, r.Error
	return nil
}

func (s *State) reviewAsked(step *Step, r *ReviewAsked) {
	review := *r.Review
	s.Reviews[review.ID] = &review
	step.Reviews = append(step.Reviews, review.ID)
	if !review.ofStep() {
		return
	}
	switch review.Kind {
	case OfDoubt:
		step.Status, step.Deadline = Uncertain, time.Time{}
	case OfStep, OfConnection:
		step.Status = Waiting
	}
}

func (s *State) reviewAnswered(step *Step, r *ReviewAnswered) {
	review := *r.Review
	s.Reviews[review.ID] = &review
	if step.Status == Uncertain || review.Kind == OfConnection && review.ofStep() {
		step.Status = Running
	}
}

func (s *State) modelAnswered(r *ModelAnswered) error {
	step := s.Step(r.Step)
	if step == nil || step.Agent == nil || !step.Agent.Thinking() {
		return fmt.Errorf("%s for the step %q, which asked no model", r.word(), r.Step)
	}
	step.Agent.PutAnswered(r.Said, r.Turn)
	s.Spent.Input += r.Turn.Input
	s.Spent.Output += r.Turn.Output
	s.Spent.Cost += r.Turn.Cost
	return nil
}

// sending numbers a call: by the entry that sends it, or with the number it
// had where it is the same call once more.
func (s *State) sending(kept int64) int64 {
	if kept != 0 {
		return kept
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
