package step

import (
	"woolsignal/core/expr"
	"woolsignal/core/flow"
	"woolsignal/core/run"
	"woolsignal/core/shape"
)

// Compute names values; later ones see earlier ones.
type Compute struct{ Values []flow.NamedExpression }

// Fields are what it may say.
func (c *Compute) Fields() []flow.Field {
	return []flow.Field{{Name: "compute", Into: &c.Values, Example: "{net: signal.body.gross - signal.body.tare}",
		Help: "An expression by name; the values are what the step gives."}}
}

// Check types the values.
func (c *Compute) Check(check *flow.Checker, _ *flow.Step, names expr.Names) shape.Shape {
	out := map[string]shape.Shape{}
	seen := names.Inside()
	for _, v := range c.Values {
		t := expr.Type{}
		if v.Expression != nil {
			t = check.Infer(v.Expression, seen)
		}
		if t.Optional && t.Shape != nil {
			t.Shape = shape.Union(t.Shape, shape.Null())
		}
		out[v.Name] = t.Shape
		seen.Put(v.Name, expr.Type{Shape: t.Shape})
	}
	return shape.Map(out)
}

// Tell says what it works out.
func (c *Compute) Tell(p *flow.Sentence, s *flow.Step) {
	p.Say("Work out ")
	if s.ID != "" {
		p.Name(s).Say(": ")
	}
	for i, v := range c.Values {
		if i > 0 {
			p.Say("; ")
		}
		p.Say(flow.Plain(v.Name) + " = ").Field("compute/" + v.Name).Expression(v.Expression)
	}
}

// Advance computes the values.
func (c *Compute) Advance(at *run.At) run.Outcome {
	out, wrong, err := c.Reckon(at.With(nil), "")
	if err != nil {
		return at.Fail("%s: %v", wrong, err)
	}
	return at.End(out)
}

// Reckon works the values out, up to one of a name; "" is all. The scope gets
// them as well. An error is the one of the value it names.
func (c *Compute) Reckon(scope expr.Scope, until string) (out map[string]any, wrong string, err error) {
	out = map[string]any{}
	for _, v := range c.Values {
		if v.Name == until {
			break
		}
		value, err := v.Eval(scope)
		if err != nil {
			return out, v.Name, err
		}
		out[v.Name], scope.Names[v.Name] = value, value
	}
	return out, "", nil
}

// Outstanding is nothing.
func (*Compute) Outstanding(*run.At) []run.Errand { return nil }

// Before lists the values above one of its own.
func (c *Compute) Before(field string) []string {
	var out []string
	for _, v := range c.Values {
		if v.Name == field {
			break
		}
		out = append(out, v.Name)
	}
	return out
}
