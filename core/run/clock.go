package run

import (
	"time"

	"woolsignal/core/flow"
)

// tick lets everything happen whose time has come.
func (m *machine) tick() error {
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
func (m *machine) due(def *flow.Step, step *Step) {
	if ripe(step.Deadline, m.now) && !(ripe(step.Until, m.now) && !step.Until.After(step.Deadline)) {
		m.late(def, step)
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
