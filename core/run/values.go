package run

import (
	"strings"

	"woolsignal/core/agent"
	"woolsignal/core/expr"
)

// Every value that enters a record, and so the journal and the state, passes
// here and nowhere else: it has one form (see [expr.Canonical]) whether it
// came a moment ago, is read back from a journal, or from a snapshot.

// canonical gives the values of a record their one form.
func (r *Record) canonical() {
	r.Text, r.Error, r.About = written(r.Text), written(r.Error), written(r.About)
	r.Input, r.Output = expr.Canonical(r.Input), expr.Canonical(r.Output)
	r.Signal.canonical()
	r.Origin.canonical()
	r.Answer.canonical()
	r.Review.canonical()
	r.Message.canonical()
	r.Asking.canonical()
	canonicalCall(r.Call)
	CanonicalMessages(r.Said)
	canonicalAgent(r.Agent)
}

// canonical gives the values of a state their one form.
func (s *State) canonical() {
	s.Signal.canonical()
	s.Origin.canonical()
	s.Response.canonical()
	s.Result = expr.Canonical(s.Result)
	for _, r := range s.Reviews {
		r.canonical()
	}
	for path, sent := range s.Unsure {
		expr.Canonical(sent.Args)
		s.Unsure[path] = sent
	}
	s.Root.canonical()
}

func (f *Frame) canonical() {
	f.Gives = expr.Canonical(f.Gives)
	for _, step := range f.Steps {
		step.Input, step.Output = expr.Canonical(step.Input), expr.Canonical(step.Output)
		step.Asking.canonical()
		canonicalAgent(step.Agent)
		for _, inner := range step.Inside {
			inner.canonical()
		}
	}
}

func (s *Signal) canonical() {
	if s == nil {
		return
	}
	s.Text, s.Subject, s.Thread = written(s.Text), written(s.Subject), written(s.Thread)
	s.Body = expr.Canonical(s.Body)
	if s.Via != nil {
		expr.Canonical(s.Via.Args)
	}
}

func (o *Origin) canonical() {
	if o != nil {
		expr.Canonical(o.Given)
	}
}

func (r *Response) canonical() {
	if r != nil {
		r.Body = expr.Canonical(r.Body)
	}
}

func (r *Review) canonical() {
	if r == nil {
		return
	}
	r.Show = expr.Canonical(r.Show)
	expr.Canonical(r.Edit)
	expr.Canonical(r.Edited)
}

func (m *Message) canonical() {
	if m == nil {
		return
	}
	m.Picture, m.File = expr.Canonical(m.Picture), expr.Canonical(m.File)
	expr.Canonical(m.Layout)
}

func (a *Asking) canonical() {
	if a != nil {
		a.Value = expr.Canonical(a.Value)
	}
}

func canonicalAgent(a *agent.State) {
	if a == nil {
		return
	}
	CanonicalMessages(a.Messages)
	for _, c := range a.Calls {
		canonicalCall(c)
	}
}

func canonicalCall(c *agent.Call) {
	if c == nil {
		return
	}
	expr.Canonical(c.Args)
	c.Result = expr.Canonical(c.Result)
}

// CanonicalMessages gives the values in messages their one form, in place.
func CanonicalMessages(messages []agent.Message) {
	for i := range messages {
		m := &messages[i]
		m.Text = written(m.Text)
		for i := range m.Asks {
			m.Asks[i].Args = expr.Canonical(m.Asks[i].Args)
		}
	}
}

// written is a text as a journal can hold it.
func written(s string) string { return strings.ToValidUTF8(s, "\uFFFD") }
