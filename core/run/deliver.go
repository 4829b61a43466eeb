package run

import (
	"fmt"

	"woolsignal/core/agent"
)

// deliver writes down what an event says. Going on from there is the block's
// business.
func (m *Machine) deliver(e Event) error {
	if e.Start {
		if m.state.Status != Queued {
			return ErrStale
		}
		m.emit(Record{Do: DidStart})
		return m.broken
	}
	if e.Stopped != nil {
		m.halt(e.Stopped)
		return m.broken
	}
	if e.Decided != nil {
		step := m.reviewed(e.Decided.Review)
		if step == nil {
			return ErrStale
		}
		return m.decided(step, e.Decided)
	}
	step := m.state.Step(e.Step)
	if step == nil || step.Status != Running {
		return ErrStale
	}
	switch {
	case e.Recalled != nil && step.Agent != nil && !step.Agent.Ready:
		input, _ := step.Input.(map[string]any)
		task, _ := input["task"].(string)
		m.emit(Record{Do: DidRecall, Step: e.Step, Said: e.Recalled.Messages, Text: task})
	case e.Answered != nil && step.Agent != nil && step.Agent.Thinking() && len(step.Agent.Turns) == e.Turn:
		m.answered(step, e)
	case e.Returned != nil && e.CallID != "" && step.Agent != nil:
		call := step.Agent.Call(e.CallID)
		if call == nil || call.State != agent.Running {
			return ErrStale
		}
		done := *call
		done.State, done.Result, done.Ended = agent.Done, e.Returned.Result, m.now
		if e.Returned.Error != "" {
			done.State, done.Error = agent.Failed, e.Returned.Error
		}
		m.emit(Record{Do: DidCall, Step: e.Step, Call: &done})
	case e.Returned != nil && e.CallID == "" && step.Agent == nil:
		if e.Returned.Error != "" {
			m.emit(Record{Do: DidEnd, Step: e.Step, Status: Failed, Error: e.Returned.Error})
			break
		}
		m.end(e.Step, nil, e.Returned.Result)
	case e.Lost && (e.CallID == "" || step.Agent != nil && step.Agent.Call(e.CallID) != nil):
		return m.lost(step, e)
	default:
		return ErrStale
	}
	return m.broken
}

// answered takes a model's message in. Its asks get ids of ours: some
// servers number them anew each turn, and a thread lives for many turns.
func (m *Machine) answered(step *Step, e Event) {
	if e.Answered.Error != "" {
		m.emit(Record{Do: DidEnd, Step: e.Step, Status: Failed, Error: e.Answered.Error})
		return
	}
	message := e.Answered.Message
	message.Role = "assistant"
	asks := make([]agent.Request, len(message.Asks))
	for i, ask := range message.Asks {
		ask.ID = fmt.Sprintf("%s-%s-%d-%d", m.state.ID, step.Path, e.Turn, i+1)
		asks[i] = ask
	}
	message.Asks = asks
	turn := e.Answered.Turn
	turn.Answered = m.now
	m.emit(Record{Do: DidAnswer, Step: e.Step, Said: []agent.Message{message}, Turn: &turn})
}

// reviewed finds the step that put a review.
func (m *Machine) reviewed(id string) *Step {
	var found *Step
	m.state.Each(func(s *Step) {
		for _, r := range s.Reviews {
			if r == id {
				found = s
			}
		}
	})
	return found
}
