package step

import (
	"woolsignal/core/expr"
	"woolsignal/core/flow"
	"woolsignal/core/run"
	"woolsignal/core/shape"
)

// Stop ends the whole run.
type Stop struct {
	Outcome string // done or failed
	Because *flow.Value
}

const failedOutcome = "failed"

// Fields are what it may say.
func (s *Stop) Fields() []flow.Field {
	return []flow.Field{
		{Name: "outcome", Into: &s.Outcome, Choices: []string{"done", failedOutcome}, Default: "done",
			Help: "How the run ends.", Example: failedOutcome},
		{Name: "because", Into: &s.Because, Help: "Why, in one sentence.", Example: "Net weight is ${net.kg} kg."},
	}
}

// Check types the reason.
func (s *Stop) Check(c *flow.Checker, _ *flow.Step, names expr.Names) shape.Shape {
	if s.Because != nil {
		c.Value(*s.Because, names)
	}
	return shape.Map(nil)
}

// Ends tells that nothing can come after it.
func (*Stop) Ends() bool { return true }

// Tell says how the run ends.
func (s *Stop) Tell(p *flow.Sentence, _ *flow.Step) {
	p.Say("Stop as ").Word(s.Outcome)
	if s.Because != nil {
		p.Say(": ").Text(*s.Because)
	}
}

// Advance ends the run.
func (s *Stop) Advance(at *run.At) run.Outcome {
	if at.Did != nil {
		return run.Blocked
	}
	because := ""
	if s.Because != nil {
		v, err := s.Because.Eval(at.Scope)
		if err != nil {
			return at.Fail("%v", err)
		}
		because = expr.Text(v)
	}
	return at.EndRun(s.Outcome == failedOutcome, because)
}

// Outstanding is nothing.
func (*Stop) Outstanding(*run.At) []run.Errand { return nil }
