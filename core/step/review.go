package step

import (
	"time"

	"woolsignal/core/expr"
	"woolsignal/core/flow"
	"woolsignal/core/run"
	"woolsignal/core/shape"
)

// Review asks a person to decide.
type Review struct {
	Show    flow.Value
	Edit    []flow.Entry
	Choices []string
	Ask     string // a person's e-mail, a role or a team
}

// Fields are what it may say.
func (r *Review) Fields() []flow.Field {
	return []flow.Field{
		{Name: "show", Into: &r.Show, Any: true, Missing: "the reviewer is shown nothing",
			Help:    "What the person needs to see.",
			Example: "{lot: \"${row.id}\"}"},
		{Name: "edit", Into: &r.Edit, Help: "Values they may change, by name.", Example: "{price: \"${offer.price}\"}"},
		{Name: "choices", Into: &r.Choices,
			Help:    "What they choose between; the first goes on with it. approve and decline where it is missing.",
			Example: "[offer, hold]"},
		{Name: "ask", Into: &r.Ask, Holds: flow.HoldsPeople, Required: true,
			Help: "Who is asked: a person, role or team.", Example: "grading-lead"},
	}
}

// Agree puts in the usual choices.
func (r *Review) Agree(flow.Reading) {
	if len(r.Choices) == 0 {
		r.Choices = []string{run.Approve, run.Decline}
	}
}

// Check types what is shown and edited.
func (r *Review) Check(c *flow.Checker, _ *flow.Step, names expr.Names) shape.Shape {
	c.Value(r.Show, names)
	edited := shape.Map(c.Entries(r.Edit, names))
	text := shape.Text()
	return shape.Map(map[string]shape.Shape{"choice": shape.Choice(r.Choices...), "edited": edited, "by": text,
		"at": shape.Time(), "note": text})
}

// Tell says who is asked, and what for.
func (r *Review) Tell(p *flow.Sentence, _ *flow.Step) {
	p.Say("Ask ").Field("ask").Word(flow.Audience(r.Ask)).Say(" to ").Field("choices").
		Either(r.Choices).Say(": ").Field("show").Text(r.Show)
}

// ResultName tells who decided, and what was edited, from other results.
func (*Review) ResultName(id string, path []string) string {
	switch {
	case len(path) == 1 && path[0] == "by":
		return "who decided " + id
	case len(path) == 2 && path[0] == "edited":
		return flow.Plain(path[1]) + " as edited in " + id
	}
	return ""
}

// Advance asks.
func (r *Review) Advance(at *run.At) run.Outcome {
	if at.Did != nil {
		return run.Blocked
	}
	show, err := r.Show.Eval(at.Scope)
	if err != nil {
		return at.Fail("show: %v", err)
	}
	edit, err := flow.EvalEntries(r.Edit, at.Scope)
	if err != nil {
		return at.Fail("edit: %v", err)
	}
	title := at.Step.Title
	if title == "" {
		title = at.Workflow().Title
	}
	at.Begin(map[string]any{"show": show})
	at.Ask(&run.Review{Ask: r.Ask, Title: title, Why: at.Step.Note, Show: show, Edit: edit, Choices: r.Choices})
	return run.Blocked
}

// Decided gives what was decided.
func (r *Review) Decided(at *run.At, review *run.Review) {
	edited := review.Edit
	if review.Edited != nil {
		edited = review.Edited
	}
	if edited == nil { // as it is read back from a journal
		edited = map[string]any{}
	}
	at.End(map[string]any{"choice": review.Choice, "edited": edited, "by": review.By,
		"at": review.Decided.In(at.Zone()).Format(time.RFC3339), "note": review.Note})
}

// Outstanding is nothing: a person is waited for.
func (*Review) Outstanding(*run.At) []run.Errand { return nil }
