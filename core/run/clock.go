package run

import (
	"maps"
	"slices"
	"time"

	"woolsignal/core/flow"
)

// tick lets everything happen whose time has come.
func (m *machine) tick() error {
	var due []*Step
	m.state.eachOpen(func(s *Step) {
		if ripe(s.Until, m.now) || ripe(s.Deadline, m.now) || s.asksAgain(m.now) {
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
func (m *machine) due(def *flow.Step, step *Step) {
	if ripe(step.Deadline, m.now) && !(ripe(step.Until, m.now) && !step.Until.After(step.Deadline)) {
		m.late(def, step)
		return
	}
	if step.asksAgain(m.now) {
		m.askAgain(step)
	}
	if !ripe(step.Until, m.now) {
		return
	}
	at, err := m.at(step.Path)
	if err != nil {
		m.broken = err
		return
	}
	if t, is := def.Does.(Timed); is && step.Status != Retrying {
		t.TimeCame(at)
		return
	}
	m.emit(&StepWoken{Step: step.Path})
}

// asksAgain tells whether the other side is to be asked again about a call of the step.
func (s *Step) asksAgain(now time.Time) bool {
	for _, p := range s.Pending {
		if ripe(p.Until, now) {
			return true
		}
	}
	return false
}

// askAgain asks the other side how far the calls of a step are that are due.
func (m *machine) askAgain(step *Step) {
	for _, call := range slices.Sorted(maps.Keys(step.Pending)) {
		if p := step.Pending[call]; ripe(p.Until, m.now) {
			m.emit(&CallPending{Step: step.Path, Call: call, Tool: p.Tool, Ref: p.Ref})
			for _, e := range m.outstanding(step) {
				if _, is := e.Task.(*Call); is && e.CallID == call {
					m.send(e)
				}
			}
		}
	}
}

// late ends a step that took longer than it may. Where a call in it must not
// be repeated and nobody knows whether it happened, a person is asked instead,
// and the limit begins anew once they have said.
func (m *machine) late(def *flow.Step, step *Step) {
	within := flow.Span{Duration: def.Within}.String()
	if m.asks(step, "It did not answer within "+within+".") {
		m.emit(&StepLimited{Step: step.Path})
		return
	}
	effect := m.effectOf(step)
	m.cancelInside(step, "it took too long")
	m.close(step, "the workflow")
	m.emit(&StepEnded{Step: step.Path, Status: Failed, Error: "it took longer than " + within, Effect: effect})
}
