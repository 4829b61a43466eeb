package step

import (
	"time"

	"woolsignal/core/expr"
	"woolsignal/core/flow"
	"woolsignal/core/run"
	"woolsignal/core/shape"
)

// Wait waits: for a while, till a time, or for a signal.
type Wait struct {
	For         flow.Span
	Till        *flow.Expression
	Hear        *flow.Hear
	GiveUpAfter flow.Span // for Hear
}

// farthest bounds how long a wait may take.
const farthest = 10 * 366 * 24 * time.Hour

// Fields are what it may say.
func (w *Wait) Fields() []flow.Field {
	return []flow.Field{
		{Name: "for", Into: &w.For, Help: "How long it waits; wd counts working days.", Example: "2wd"},
		{Name: "till", Into: &w.Till, Help: "The time it waits till.", Example: `time("2026-11-23 14:30")`},
		{Name: "hear", Into: flow.Group(&w.Hear), Help: "The signal it waits for.",
			Example: "{webhook: {path: answers, verify: key}, on: \"${signal.subject}\"}"},
		{Name: "give_up_after", Into: &w.GiveUpAfter, Help: "How long it listens; then came is false.", Example: "2wd"},
	}
}

// Agree insists on one thing to wait for, and on an end.
func (w *Wait) Agree(m flow.Reading) {
	if m.OneOf("for", "till", "hear") != "hear" {
		m.Only(false, "remove it", "%s belongs to hear; this wait ends by itself", "give_up_after")
	} else if !m.Has("give_up_after") {
		m.Report("hear", flow.Problem{What: "nothing says how long to listen",
			Why:    "a signal that never comes would keep the run waiting for ever",
			Remedy: "add give_up_after: 2wd beside hear"})
	}
}

// Check checks the time, or what is heard.
func (w *Wait) Check(c *flow.Checker, _ *flow.Step, names expr.Names) shape.Shape {
	if w.Till != nil {
		c.Insist(w.Till, "text", `give it a time, as in time("2026-11-23 14:30") or now() + duration("1h")`,
			"till needs a time", names)
	}
	if w.Hear == nil {
		return shape.Map(map[string]shape.Shape{"at": shape.Time()})
	}
	return shape.Map(map[string]shape.Shape{"came": shape.Bool(), "signal": c.Hear(w.Hear, names)}, "signal")
}

// Tell says what it waits for.
func (w *Wait) Tell(p *flow.Sentence, _ *flow.Step) {
	switch {
	case w.Hear != nil:
		p.Say("Wait for ").Hear(w.Hear).Say(", at most ").Field("give_up_after").Word(w.GiveUpAfter.String())
	case w.Till != nil:
		p.Say("Wait till ").Field("till").Expression(w.Till)
	default:
		p.Say("Wait ").Field("for").Word(w.For.String())
	}
}

// Hears is where the signal it waits for comes from.
func (w *Wait) Hears() *flow.Trigger {
	if w.Hear == nil {
		return nil
	}
	return &w.Hear.Trigger
}

// Advance begins to wait, or takes a signal that is offered.
func (w *Wait) Advance(at *run.At) run.Outcome {
	if at.Did != nil {
		if at.Did.Hearing != nil {
			return w.offered(at)
		}
		return run.Blocked
	}
	switch {
	case w.Hear != nil:
		return w.listen(at)
	case w.Till != nil:
		v, err := w.Till.Eval(at.Scope)
		if err != nil {
			return at.Fail("till: %v", err)
		}
		text, _ := v.(string)
		until, err := at.Calendar().Parse(text)
		if err != nil {
			return at.Fail("till: %s is %s, and a time is needed", at.Workflow().Told(w.Till), expr.Kind(v))
		}
		if until.Sub(at.Moment()) > farthest {
			return at.Fail("till: %s is more than ten years away", text)
		}
		if !until.After(at.Moment()) {
			return at.End(waited(at))
		}
		return pause(at, until)
	}
	return pause(at, w.For.After(at.Moment(), at.Calendar()))
}

// pause waits till a time.
func pause(at *run.At, until time.Time) run.Outcome {
	at.Begin(nil)
	if at.Hurries() {
		at.Hurry(until)
		return at.End(waited(at))
	}
	at.Emit(&run.StepPaused{Step: at.Path, Until: until.Add(at.Now().Sub(at.Moment())).UTC()})
	return run.Blocked
}

// waited is what a wait for a time gives.
func waited(at *run.At) map[string]any {
	return map[string]any{"at": at.Moment().In(at.Zone()).Format(time.RFC3339)}
}

// listen begins to wait for a signal.
func (w *Wait) listen(at *run.At) run.Outcome {
	on, err := w.Hear.Answering.Eval(at.Scope)
	if err != nil {
		return at.Fail("on: %v", err)
	}
	key := expr.Text(on)
	if key == "" {
		return at.Fail("on: it is empty, so no signal could be meant")
	}
	source := w.Hear.Source()
	if w.Hear.Is.HeardBy() == flow.ByConversation { // conversations of one name are told apart by where they are held
		source, key = run.ChatSource, run.Conversation{Source: at.Signal().Source, Thread: key}.String()
	}
	if giveUp := w.GiveUpAfter.After(at.Moment(), at.Calendar()); at.Hurries() {
		at.Begin(nil)
		at.Hurry(giveUp)
		return at.End(map[string]any{"came": false})
	}
	at.Listen(&run.Hearing{Source: source, Key: key, AlsoStarts: w.Hear.AlsoStarts},
		w.GiveUpAfter.After(at.Now(), at.Calendar()))
	at.LookBack()
	return run.Blocked
}

// offered holds a signal that came against what is waited for. A match that
// cannot be computed for it is none: it may be meant for somebody else.
func (w *Wait) offered(at *run.At) run.Outcome {
	signal := at.Heard()
	if signal == nil {
		return run.Blocked
	}
	if signal.Unasked && !w.Hear.FromAnyone {
		return run.Blocked
	}
	heard := at.SignalValue(signal)
	if w.Hear.Match != nil {
		if holds, err := w.Hear.Match.Holds(at.With(map[string]any{"heard": heard})); err != nil || !holds {
			return run.Blocked
		}
	}
	at.Took(signal)
	return at.End(map[string]any{"came": true, "signal": heard})
}

// TimeCame ends the wait.
func (w *Wait) TimeCame(at *run.At) {
	if at.Did.Hearing == nil {
		at.End(waited(at))
		return
	}
	at.Deaf()
	at.End(map[string]any{"came": false})
}

// Outstanding is nothing: only time is waited for, or a signal.
func (w *Wait) Outstanding(*run.At) []run.Errand { return nil }
