package step

import (
	"woolsignal/core/expr"
	"woolsignal/core/flow"
	"woolsignal/core/run"
	"woolsignal/core/shape"
)

// Finish is how several ways end: once all are done, or with the first that is
// enough.
type Finish struct {
	How    string           // all or first
	Enough *flow.Expression // over value, what a way gives
}

// fields are what is said of the end.
func (f *Finish) fields() []flow.Field {
	return []flow.Field{
		{Name: "finish", Into: &f.How, Choices: []string{"all", "first"}, Default: "all",
			Help: "Whether the first that is enough ends the others.", Example: "first"},
		{Name: "enough", Into: &f.Enough, Help: "What makes one enough; it sees value, what one gives.",
			Example: "value.found"},
	}
}

// first tells whether the first that is enough ends the others.
func (f *Finish) first() bool { return f.How == "first" }

// Agree insists that finish and enough stand together.
func (f *Finish) Agree(m flow.Reading) {
	if f.first() && !m.Has("enough") {
		m.Wrong("finish", "add enough: an expression over value, what it gives", "nothing says which result is enough")
	}
	m.Only(f.first(), "add finish: first", "%s means nothing where all are carried to their end", "enough")
}

// check checks what ends several ways early.
func (f *Finish) check(c *flow.Checker, value shape.Shape, names expr.Names) {
	if f.Enough != nil {
		c.Condition(f.Enough, names.With("value", expr.Type{Shape: value}))
	}
}

// tell says what ends several ways early.
func (f *Finish) tell(p *flow.Sentence) {
	if f.first() && f.Enough != nil {
		p.Say(", until one is enough: ").Field("enough").Condition(f.Enough)
	}
}

// nothingOutside is embedded by kinds whose steps wait only for the steps
// inside them: those are asked themselves what of them is outstanding.
type nothingOutside struct{}

// Outstanding is nothing.
func (nothingOutside) Outstanding(*run.At) []run.Errand { return nil }
