package run

import (
	"time"

	"woolsignal/core/agent"
	"woolsignal/core/flow"
)

// Outstanding lists what the run still waits for from outside, after its
// journal was folded: each errand may or may not have been sent before.
func Outstanding(def *Definition, state *State, now time.Time) ([]Errand, error) {
	m := NewMachine(def, state, now)
	var broken error
	state.eachOpen(func(step *Step) {
		is, err := m.def.stepAt(step.Path)
		if err != nil {
			broken = err
			return
		}
		switch {
		case step.Hearing != nil && step.Asking != nil: // only what comes from now on answers it
		case step.Hearing != nil:
			m.send(Errand{Run: state.ID, Ticket: Ticket{Step: step.Path}, Task: &Listen{Source: step.Hearing.Source, Key: step.Hearing.Key, Since: state.Accepted}})
		case step.Status == Running && is.Agent != nil && step.Agent != nil:
			m.agentOutstanding(is, step)
		case step.Status == Running && len(step.Inside) == 0:
			m.stepOutstanding(is, step)
		}
	})
	return m.errands, broken
}

// stepOutstanding lists what a step that is no agent waits for.
func (m *Machine) stepOutstanding(is *flow.Step, step *Step) {
	switch {
	case step.Agent != nil && !step.Sent:
		if step.Agent.Thinking() {
			m.send(m.questionErrand(step, m.def.answerOf(is)))
		}
	case is.Tool != nil:
		args, _ := step.Input.(map[string]any)
		m.send(m.callErrand(step, is.Tool.Tool, 0, args))
	case is.Say != nil && m.state.Signal.Via != nil, is.Question != nil && step.Asking != nil && step.Asking.Phase == posting:
		m.send(m.postErrand(step))
	case is.Question != nil && step.Asking != nil && step.Asking.Phase == finding:
		m.send(m.findErrand(is, step))
	case is.JavaScript != nil:
		m.send(m.scriptErrand(is, step))
	case is.Call != nil && step.Child == "":
		m.send(m.startErrand(is, step))
	}
}

func (m *Machine) agentOutstanding(is *flow.Step, step *Step) {
	a := m.def.Agents[is.Agent.Agent]
	if a == nil {
		return
	}
	switch {
	case !step.Agent.Ready:
		m.send(m.recallErrand(step, a))
	case step.Agent.Thinking():
		m.send(m.askErrand(step, a))
	}
	for _, c := range step.Agent.Calls {
		if c.State == agent.Running {
			m.send(m.agentErrand(step, c))
		}
	}
}

// Awaits tells whether a run still wants an errand done. What was queued for a
// step that has been stopped, or that began again, is wanted no more.
func (s *State) Awaits(e Errand) bool {
	switch e.Task.(type) {
	case *Cancel, *Listen:
		return true
	}
	step := s.Step(e.Step)
	if s.Status.Ended() || step == nil || step.Status != Running || step.Sending != e.Sending {
		return false
	}
	switch e.Task.(type) {
	case *Recall:
		return step.Agent != nil && !step.Agent.Ready
	case *Ask:
		return step.Agent != nil && step.Agent.Thinking() && len(step.Agent.Turns) == e.Turn
	case *Call:
		if e.CallID == "" {
			return true
		}
		call := step.Agent.Call(e.CallID)
		return call != nil && call.State == agent.Running && call.Sent == e.Turn
	case *Start:
		return step.Child == ""
	}
	return true
}
