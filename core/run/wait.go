package run

import (
	"fmt"
	"maps"
	"time"

	"woolsignal/core/expr"
	"woolsignal/core/flow"
)

// farthest bounds how long a wait may take.
const farthest = 10 * 366 * 24 * time.Hour

// wait waits for a while, till a time, or for a signal. When its time comes,
// the machine's clock ends it.
func (m *Machine) wait(def *flow.Step, step *Step, path string, scope expr.Scope) outcome {
	w := def.Wait
	if step != nil {
		if w.Hear != nil && step.Hearing != nil {
			return m.listen(def, step, path, scope)
		}
		return blocked
	}
	switch {
	case w.Hear != nil:
		on, err := w.Hear.On.Eval(scope)
		if err != nil {
			return m.fail(def, path, "on: "+err.Error())
		}
		key := expr.Text(on)
		if key == "" {
			return m.fail(def, path, "on: it is empty, so no signal could be meant")
		}
		source := w.Hear.Source()
		if w.Hear.Chat != nil { // conversations of one name are told apart by where they are held
			source, key = "/chat", m.state.Signal.Source+"#"+key
		}
		until := w.AtMost.After(m.now, m.def.Calendar()).UTC()
		m.emit(&ListeningBegan{Step: path, Hearing: &Hearing{Source: source, Key: key, AlsoStarts: w.Hear.AlsoStarts}, Until: until})
		m.send(Errand{Run: m.state.ID, Ticket: Ticket{Step: path}, Task: &Listen{Source: source, Key: key, Since: m.state.Accepted}})
		return blocked
	case w.Till != nil:
		v, err := w.Till.Eval(scope)
		if err != nil {
			return m.fail(def, path, "till: "+err.Error())
		}
		text, _ := v.(string)
		until, err := m.def.Calendar().Parse(text)
		if err != nil {
			return m.fail(def, path, fmt.Sprintf("till: %s is %s, and a time is needed", w.Till.Source, expr.Kind(v)))
		}
		if until.Sub(m.now) > farthest {
			return m.fail(def, path, "till: "+text+" is more than ten years away")
		}
		if !until.After(m.now) {
			return m.end(def, path, nil, m.waited())
		}
		m.emit(&StepBegan{Step: path})
		m.emit(&StepPaused{Step: path, Until: until.UTC()})
		return blocked
	}
	m.emit(&StepBegan{Step: path})
	m.emit(&StepPaused{Step: path, Until: w.For.After(m.now, m.def.Calendar()).UTC()})
	return blocked
}

func (m *Machine) waited() map[string]any {
	return map[string]any{"at": m.now.In(m.def.Zone).Format(time.RFC3339)}
}

// listen holds a signal that came against what a step waits for. A match that
// cannot be computed for it is none: it may be meant for somebody else.
func (m *Machine) listen(def *flow.Step, step *Step, path string, scope expr.Scope) outcome {
	signal := m.heard[path]
	if signal == nil {
		return blocked
	}
	delete(m.heard, path)
	heard := signal.value(m.def.Zone)
	if def.Wait.Hear.Match != nil {
		scope.Names = maps.Clone(scope.Names)
		scope.Names["heard"] = heard
		if holds, err := def.Wait.Hear.Match.Holds(scope); err != nil || !holds {
			return blocked
		}
	}
	hearing := *step.Hearing
	m.emit(&ListeningEnded{Step: path, Hearing: &hearing})
	m.hears(hearing.AlsoStarts, path, signal)
	return m.end(def, path, nil, map[string]any{"came": true, "signal": heard})
}

// hears notes a signal a step heard. Where the signal is still to start a run,
// it is that run's delivery and not this one's.
func (m *Machine) hears(alsoStarts bool, path string, signal *Signal) {
	r := &SignalHeard{Step: path, Signal: signal}
	if !alsoStarts {
		r.Delivery = m.from
	}
	m.emit(r)
}

// tick lets everything happen whose time has come.
func (m *Machine) tick() error {
	var due []*Step
	m.state.eachOpen(func(s *Step) {
		if ripe(s.Until, m.now) || ripe(s.Deadline, m.now) {
			due = append(due, s)
		}
	})
	if len(due) == 0 {
		return ErrStale
	}
	for _, step := range due {
		if !step.open() || m.broken != nil { // an outer one took too long and closed it
			continue
		}
		def, err := m.def.stepAt(step.Path)
		if err != nil {
			return err
		}
		m.due(def, step)
	}
	return m.broken
}

func ripe(t, now time.Time) bool { return !t.IsZero() && !t.After(now) }

// due lets one step go on, or fail because it took too long.
func (m *Machine) due(def *flow.Step, step *Step) {
	if ripe(step.Deadline, m.now) && !(ripe(step.Until, m.now) && !step.Until.After(step.Deadline)) {
		m.late(def, step)
		return
	}
	switch {
	case step.Hearing != nil && step.Asking != nil:
		m.emit(&ListeningEnded{Step: step.Path, Hearing: step.Hearing})
		m.emit(&StepEnded{Step: step.Path, Status: Failed, Error: "nobody answered within " + def.Question.AtMost.String()})
	case step.Hearing != nil:
		m.emit(&ListeningEnded{Step: step.Path, Hearing: step.Hearing})
		m.emit(&StepEnded{Step: step.Path, Status: Done, Output: map[string]any{"came": false}})
	case def.Wait != nil && step.Error == "":
		m.emit(&StepEnded{Step: step.Path, Status: Done, Output: m.waited()})
	default:
		m.emit(&StepWoken{Step: step.Path})
	}
}

// late ends a step that took longer than it may. Where a call in it must not
// be repeated and nobody knows whether it happened, a person is asked instead,
// and the limit begins anew once they have said.
func (m *Machine) late(def *flow.Step, step *Step) {
	within := flow.Span{Duration: def.Timeout}.String()
	if m.asks(step, "It did not answer within "+within+".") {
		m.emit(&StepLimited{Step: step.Path})
		return
	}
	effect := m.effectOf(step)
	m.cancelInside(step, "it took too long")
	m.close(step, "the workflow")
	m.emit(&StepEnded{Step: step.Path, Status: Failed, Error: "it took longer than " + within, Effect: effect})
}
