package step

import (
	"woolsignal/core/expr"
	"woolsignal/core/flow"
	"woolsignal/core/run"
	"woolsignal/core/shape"
)

// EndRun ends the whole run.
type EndRun struct {
	Outcome string // done or failed
	Because *flow.Value
}

const failedOutcome = "failed"

// Fields are what it may say.
func (s *EndRun) Fields() []flow.Field {
	return []flow.Field{
		{Name: "outcome", Into: &s.Outcome, Choices: []string{"done", failedOutcome}, Default: "done",
			Help: "How the run ends.", Example: failedOutcome},
		{Name: "because", Into: &s.Because, Help: "Why, in one sentence.", Example: "Net weight is ${net.kg} kg."},
	}
}

// Check types the reason.
func (s *EndRun) Check(c *flow.Checker, _ *flow.Step, names expr.Names) shape.Shape {
	if s.Because != nil {
		c.Value(*s.Because, names)
	}
	return shape.Map(nil)
}

// Ends tells that nothing can come after it.
func (*EndRun) Ends() bool { return true }

// Tell says how the run ends.
func (s *EndRun) Tell(p *flow.Sentence, _ *flow.Step) {
	p.Say("End the run as ").Field("outcome").Word(s.Outcome)
	if s.Because != nil {
		p.Say(": ").Field("because").Text(*s.Because)
	}
}

// Advance ends the run.
func (s *EndRun) Advance(at *run.At) run.Outcome {
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
func (*EndRun) Outstanding(*run.At) []run.Errand { return nil }
