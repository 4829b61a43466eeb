package step

import (
	"woolsignal/core/expr"
	"woolsignal/core/flow"
	"woolsignal/core/run"
	"woolsignal/core/shape"
)

// Remember keeps a fact about somebody or something.
type Remember struct {
	About flow.Value
	Name  string // a later fact of the same name takes its place; "" adds
	Fact  flow.Value
}

// Fields are what it may say.
func (r *Remember) Fields() []flow.Field {
	return []flow.Field{
		{Name: "about", Into: &r.About, Missing: "nobody says whom the fact is about",
			Help: "Whom or what it is about: an e-mail, workspace, or any name.", Example: "${signal.from.email}"},
		{Name: "name", Into: &r.Name, Help: "A later fact of the same name takes its place.",
			Example: "collection day"},
		{Name: "fact", Into: &r.Fact, Missing: "there is nothing to remember", Help: "The fact, in one sentence.",
			Example: "They bring two bales a week."},
	}
}

// Check types the fact.
func (r *Remember) Check(c *flow.Checker, _ *flow.Step, names expr.Names) shape.Shape {
	c.Value(r.About, names)
	c.Value(r.Fact, names)
	return shape.Map(nil)
}

// Tell says what is remembered.
func (r *Remember) Tell(p *flow.Sentence, _ *flow.Step) {
	p.Say("Remember about ").Field("about").Text(r.About).Say(": ").Field("fact").Text(r.Fact)
}

// Advance keeps the fact.
func (r *Remember) Advance(at *run.At) run.Outcome {
	if at.Did != nil {
		return run.Blocked
	}
	about, err := r.About.Eval(at.Scope)
	if err != nil {
		return at.Fail("about: %v", err)
	}
	fact, err := r.Fact.Eval(at.Scope)
	if err != nil {
		return at.Fail("fact: %v", err)
	}
	kept := map[string]any{"about": expr.Text(about), "name": r.Name, "fact": expr.Text(fact)}
	if at.Holds() { // live agents are told what is kept
		return at.EndHeld("", kept)
	}
	if err := at.KeepFact(&run.FactKept{Step: at.Path, About: expr.Text(about), Name: r.Name,
		Fact: expr.Text(fact)}); err != nil {
		return at.Fail("fact: %v", err)
	}
	return at.End(map[string]any{})
}

// Outstanding is nothing.
func (*Remember) Outstanding(*run.At) []run.Errand { return nil }
