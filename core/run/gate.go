package run

import (
	"strings"

	"woolsignal/core/agent"
	"woolsignal/core/expr"
	"woolsignal/core/flow"
)

// gate is where every value passes that enters a record, and so the journal
// and the state, and nowhere else: behind it a value has one form (see
// [expr.Canonical]) whether it came a moment ago, is read back from a journal,
// or from a snapshot. The gate also hides the secrets in what comes now, and
// weighs what passes.
type gate struct {
	mask func(string) string // nil for what passed before
	held int                 // bytes of the values, about as JSON writes them
}

func (g *gate) value(v *any) {
	*v = expr.Canonical(*v)
	if g.mask != nil {
		*v, _ = g.hide(*v)
	}
	g.held += size(*v, largestValue)
}

func (g *gate) fields(m *map[string]any) {
	*m = expr.CanonicalMap(*m)
	if g.mask != nil {
		*m, _ = g.hideInMap(*m)
	}
	g.held += size(*m, largestValue)
}

// text gives a text the form a journal can hold.
func (g *gate) text(s *string) {
	g.name(s)
	if g.mask != nil {
		*s = g.mask(*s)
	}
}

// name is a text by which something is found: hidden, it would lead nowhere.
func (g *gate) name(s *string) {
	*s = strings.ToValidUTF8(*s, "\uFFFD")
	g.held += len(*s)
}

func (g *gate) texts(all []string) {
	for i := range all {
		g.text(&all[i])
	}
}

func (g *gate) messages(all []agent.Message) {
	for i := range all {
		g.message(&all[i])
	}
}

func (g *gate) message(m *agent.Message) {
	g.text(&m.Text)
	g.text(&m.Thought)
	g.text(&m.From)
	for i := range m.Files {
		g.text(&m.Files[i].Name)
	}
	for i := range m.Asks {
		g.value(&m.Asks[i].Args)
	}
}

func (g *gate) choices(all [][]flow.Choice) {
	for _, some := range all {
		for i := range some {
			g.value(&some[i].Value)
			g.text(&some[i].Meaning)
		}
	}
}

func (g *gate) call(c *agent.Call) {
	if c != nil {
		g.fields(&c.Args)
		g.value(&c.Result)
		g.text(&c.Error)
		g.text(&c.Note)
		g.thing(c.Thing)
		if c.Back != nil {
			g.text(&c.Back.Text)
		}
	}
}

func (g *gate) thing(t *agent.Thing) {
	if t == nil {
		return
	}
	g.text(&t.Words)
	g.text(&t.Unknown)
	g.value(&t.Before)
	g.value(&t.After)
	for i := range t.Changes {
		g.text(&t.Changes[i].Before)
		g.text(&t.Changes[i].After)
	}
}

func (g *gate) agent(a *agent.State) {
	if a == nil {
		return
	}
	g.text(&a.System)
	for i := range a.Acts {
		g.text(&a.Acts[i].Why)
	}
	g.texts(a.Facts)
	for i := range a.Plan {
		g.text(&a.Plan[i].What)
	}
	g.messages(a.Messages)
	g.choices(a.Choices)
	for _, c := range a.Calls {
		g.call(c)
	}
}

func (s *Signal) gate(g *gate) {
	if s == nil {
		return
	}
	if mask := g.mask; s.Stranger {
		g.mask = nil
		defer func() { g.mask = mask }()
	}
	g.text(&s.Text)
	g.text(&s.Subject) // what is waited for by it is hidden alike
	g.name(&s.Thread)
	for name, v := range s.From {
		g.text(&v)
		s.From[name] = v
	}
	g.value(&s.Body)
	if s.Via != nil {
		g.fields(&s.Via.Args)
	}
}

func (o *Origin) gate(g *gate) {
	if o == nil {
		return
	}
	g.fields(&o.Given)
	for name, p := range o.Trial.Gives {
		g.value(&p.Value)
		o.Trial.Gives[name] = p
	}
}

func (r *Response) gate(g *gate) {
	if r != nil {
		g.value(&r.Body)
	}
}

func (r *Review) gate(g *gate) {
	if r == nil {
		return
	}
	g.text(&r.Note)
	g.thing(r.Thing)
	g.value(&r.Show)
	g.fields(&r.Edit)
	g.fields(&r.Held)
	g.fields(&r.Edited)
}

func (m *Message) gate(g *gate) {
	if m == nil {
		return
	}
	g.text(&m.Text)
	g.texts(m.Buttons)
	g.value(&m.Picture)
	g.value(&m.File)
	for i := range m.Layout {
		g.value(&m.Layout[i])
	}
}

func (a *Asking) gate(g *gate) {
	if a != nil {
		g.value(&a.Value)
	}
}

func (r *RunAccepted) gate(g *gate) {
	r.Signal.gate(g)
	r.Origin.gate(g)
}

func (r *RunFinished) gate(g *gate) {
	g.text(&r.Why)
	g.value(&r.Result)
}

func (r *StepBegan) gate(g *gate) {
	g.value(&r.Input)
	g.agent(r.Agent)
}

func (r *StepEnded) gate(g *gate) {
	g.value(&r.Input)
	g.value(&r.Output)
	g.text(&r.Error)
}

func (r *BlockEntered) gate(g *gate) {
	if r.Choice != nil {
		g.text(&r.Choice.Reason)
	}
}

func (r *BlockLeft) gate(g *gate) {
	g.value(&r.Gives)
	g.text(&r.Error)
}

func (r *MemoryRecalled) gate(g *gate) {
	g.messages(r.Said)
	g.texts(r.Facts)
	g.choices(r.Choices)
}

func (r *WordsSaid) gate(g *gate) {
	g.text(&r.Text)
	r.Message.gate(g)
}

func (*RunStarted) gate(*gate)         {}
func (r *RunLabelled) gate(g *gate)    { g.texts(r.Labels) }
func (r *CallerAnswered) gate(g *gate) { r.Response.gate(g) }
func (r *StepSent) gate(g *gate)       { g.value(&r.Input) }
func (*StepLimited) gate(*gate)        {}
func (*StepPaused) gate(*gate)         {}
func (*TimeHurried) gate(*gate)        {}
func (*StepRetried) gate(*gate)        {}
func (*StepWoken) gate(*gate)          {}
func (*ListeningBegan) gate(*gate)     {}
func (*ListeningEnded) gate(*gate)     {}
func (r *SignalHeard) gate(g *gate)    { r.Signal.gate(g) }
func (*ChildStarted) gate(*gate)       {}
func (*ChildDropped) gate(*gate)       {}
func (r *ModelAsked) gate(g *gate)     { g.messages(r.Said) }
func (r *ModelAnswered) gate(g *gate)  { g.message(&r.Said) }
func (r *CallChanged) gate(g *gate)    { g.call(r.Call) }
func (*CallPriced) gate(*gate)         {}
func (*SpentInVain) gate(*gate)        {}
func (r *CallPending) gate(g *gate)    { g.name(&r.Ref) }
func (r *CallWeighed) gate(g *gate)    { g.text(&r.Verdict.Reason) }
func (r *ReviewAsked) gate(g *gate)    { r.Review.gate(g) }
func (r *ReviewAnswered) gate(g *gate) { r.Review.gate(g) }
func (r *QuestionMoved) gate(g *gate)  { r.Asking.gate(g) }
func (r *HandedOver) gate(g *gate) {
	g.text(&r.System)
	g.text(&r.Why)
	g.messages(r.Said)
}
func (r *MemoryKept) gate(g *gate) { g.messages(r.Said) }

// gate passes a state that was read back.
func (s *State) gate(g *gate) {
	s.Signal.gate(g)
	s.Origin.gate(g)
	s.Response.gate(g)
	g.value(&s.Result)
	for _, r := range s.Reviews {
		r.gate(g)
	}
	for path, sent := range s.Unsure {
		g.fields(&sent.Args)
		s.Unsure[path] = sent
	}
	s.Root.gate(g)
}

func (f *Frame) gate(g *gate) {
	g.value(&f.Gives)
	for _, step := range f.Steps {
		g.value(&step.Input)
		g.value(&step.Output)
		step.Asking.gate(g)
		g.agent(step.Agent)
		for _, inner := range step.Inside {
			inner.gate(g)
		}
	}
}

// Hide gives a signal the form a record has of it before it is in one, with
// the secrets hidden: people paste keys into conversations.
func (s *Signal) Hide(mask func(string) string) { s.gate(&gate{mask: mask}) }

// CanonicalMessages gives the values in messages their one form, in place.
func CanonicalMessages(messages []agent.Message) { (&gate{}).messages(messages) }
