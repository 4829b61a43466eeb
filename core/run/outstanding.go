package run

import (
	"time"

	"woolsignal/core/agent"
)

// Outstanding lists what the run still waits for from outside, after its
// journal was folded: each errand may or may not have been sent before.
func Outstanding(def *Definition, state *State, now time.Time) ([]Errand, error) {
	m := newMachine(def, state, now)
	var broken error
	state.eachOpen(func(step *Step) {
		if _, err := m.def.stepAt(step.Path); err != nil {
			broken = err
			return
		}
		m.lookBack(step)
		for _, e := range m.outstanding(step) {
			m.send(e)
		}
	})
	return m.errands, broken
}

// lookBack asks for signals that came before a step listened for them. Of a
// question only what comes from now on is an answer.
func (m *machine) lookBack(step *Step) {
	if h := step.Hearing; h != nil && step.Asking == nil && step.Agent == nil {
		m.send(Errand{Run: m.state.ID, Ticket: Ticket{Step: step.Path},
			Task: &Listen{Source: h.Source, Key: h.Key, Since: m.state.Accepted}})
	}
}

// Awaits tells whether a run still wants an errand done. What was queued for a
// step that has been stopped, or that began again, is wanted no more.
func (s *State) Awaits(e Errand) bool {
	switch e.Task.(type) {
	case *Cancel, *Listen, *Abandon:
		return true
	}
	step := s.Step(e.Step)
	if s.Status.Ended() || step == nil || step.Status != Running || step.Sending != e.Sending {
		return false
	}
	switch e.Task.(type) {
	case *Recall:
		return step.Agent != nil && !step.Agent.Ready
	case *Look:
		call := step.Agent.Call(e.CallID)
		return call != nil && call.State == agent.Looking
	case *Ask:
		if e.CallID != "" {
			call := step.Agent.Call(e.CallID)
			return call != nil && call.State == agent.Weighing
		}
		return step.Agent != nil && step.Agent.Thinking() && len(step.Agent.Turns) == e.Turn
	case *Call:
		if e.CallID == "" {
			return true
		}
		call := step.Agent.Call(e.CallID)
		if call != nil && e.Turn == backTurn {
			return call.Back != nil && call.Back.Phase == agent.BackPosting
		}
		return call != nil && call.State == agent.Running && call.Sent == e.Turn
	case *Start:
		if e.CallID == "" {
			return step.Child == ""
		}
		call := step.Agent.Call(e.CallID)
		return call != nil && call.State == agent.Running && call.Child == ""
	}
	return true
}
