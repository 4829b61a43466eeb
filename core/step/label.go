package step

import (
	"strconv"

	"woolsignal/core/expr"
	"woolsignal/core/flow"
	"woolsignal/core/run"
	"woolsignal/core/shape"
)

// Label marks the run.
type Label struct{ As []flow.Value }

// Fields are what it may say.
func (l *Label) Fields() []flow.Field {
	return []flow.Field{{Name: "as", Into: &l.As, Missing: "the run is marked with nothing",
		Help: "The labels; an empty one is left out.", Example: "[wet]"}}
}

// Agree insists on a label.
func (l *Label) Agree(m flow.Reading) {
	if m.Has("as") && len(l.As) == 0 {
		m.Wrong("", "add as: [a label]", "the run is marked with nothing")
	}
}

// Check types the labels.
func (l *Label) Check(c *flow.Checker, _ *flow.Step, names expr.Names) shape.Shape {
	for _, v := range l.As {
		c.Value(v, names)
	}
	return shape.Map(map[string]shape.Shape{"labels": shape.List(shape.Text())})
}

// Tell says what the run is marked with.
func (l *Label) Tell(p *flow.Sentence, _ *flow.Step) {
	p.Say("Label the run ")
	for i, v := range l.As {
		if i > 0 {
			p.Say(", ")
		}
		p.Field("as/" + strconv.Itoa(i)).Text(v)
	}
}

// Advance marks the run.
func (l *Label) Advance(at *run.At) run.Outcome {
	if at.Did != nil {
		return run.Blocked
	}
	labels, out := []string{}, []any{}
	for i, v := range l.As {
		got, err := v.Eval(at.Scope)
		if err != nil {
			return at.Fail("label %d: %v", i+1, err)
		}
		if text := expr.Text(got); text != "" {
			labels, out = append(labels, text), append(out, text)
		}
	}
	at.Emit(&run.RunLabelled{Step: at.Path, Labels: labels})
	return at.End(map[string]any{"labels": out})
}

// Outstanding is nothing.
func (*Label) Outstanding(*run.At) []run.Errand { return nil }
