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
	if e.Broken != "" {
		m.cancelAll("the run could not go on")
		m.finish(Failed, e.Broken, false, nil)
		return m.broken
	}
	if e.Decided != nil {
		step := m.reviewed(e.Decided.Review)
		if step == nil {
			return ErrStale
		}
		return m.decided(step, e.Decided)
	}
	if e.Tick {
		return m.tick()
	}
	step := m.state.Step(e.Step)
	if e.Heard != nil {
		if step == nil || step.Status != Waiting || step.Hearing == nil {
			return ErrStale
		}
		e.Heard.canonical() // it may not have passed through any record yet
		m.heard, m.from = map[string]*Signal{e.Step: e.Heard}, e.From
		return nil
	}
	if step == nil || step.Status != Running || step.Sending != e.Sending {
		return ErrStale
	}
	called := e.CallID == "" && (step.Agent == nil || step.Sent)
	switch {
	case e.Recalled != nil && step.Agent != nil && !step.Agent.Ready:
		input, _ := step.Input.(map[string]any)
		task, _ := input["task"].(string)
		m.emit(Record{Do: DidRecall, Step: e.Step, Said: e.Recalled.Messages, Text: task, Facts: e.Recalled.Facts})
	case e.Answered != nil && step.Agent != nil && step.Agent.Thinking() && len(step.Agent.Turns) == e.Turn:
		m.answered(step, e)
	case e.Returned != nil && e.CallID != "" && step.Agent != nil:
		call := step.openCall(e)
		if call == nil {
			return ErrStale
		}
		m.fitting(call.Tool, e.Returned)
		m.doubt(step, call.Tool, e.Returned)
		done := *call
		done.State, done.Result, done.Ended = agent.Done, e.Returned.Result, m.now
		if e.Returned.Error != "" {
			done.State, done.Error, done.Result, done.Unsure = agent.Failed, e.Returned.Error, nil, e.Returned.Effect == Unsure
		}
		m.emit(Record{Do: DidCall, Step: e.Step, Call: &done})
	case e.Started != "" && called && step.Child == "":
		return m.started(step, e)
	case e.Returned != nil && called:
		return m.returned(step, e)
	case e.Missing != nil && (called || step.openCall(e) != nil):
		return m.missing(step, e)
	case e.Lost != nil && (called || step.openCall(e) != nil):
		return m.lost(step, e.CallID, e.Lost.Why)
	default:
		return ErrStale
	}
	return m.broken
}

// openCall is the agent's call an event is about, where that is on its way.
func (s *Step) openCall(e Event) *agent.Call {
	if e.CallID == "" || s.Agent == nil {
		return nil
	}
	call := s.Agent.Call(e.CallID)
	if call == nil || call.State != agent.Running || call.Sent != e.Turn {
		return nil
	}
	return call
}

// returned takes in what a tool, a script or a called workflow gave.
func (m *Machine) returned(step *Step, e Event) error {
	def, err := m.def.stepAt(e.Step)
	if err != nil {
		return err
	}
	if def.Call == nil && def.JavaScript == nil {
		m.fitting(m.toolOf(def, step), e.Returned)
		m.doubt(step, m.toolOf(def, step), e.Returned)
	}
	switch {
	case def.Question != nil && step.Asking != nil:
		m.asking(def, step, e.Returned)
		return m.broken
	case def.Say != nil && e.Returned.Error == "":
		m.end(def, e.Step, nil, posted(e.Returned.Result))
		return m.broken
	}
	if e.Returned.Error == "" && def.JavaScript != nil {
		if err := fit("the script's result", def.JavaScript.Result, e.Returned.Result); err != nil {
			e.Returned.Error = err.Error()
		}
	}
	if e.Returned.Error != "" {
		m.emit(Record{Do: DidEnd, Step: e.Step, Status: Failed, Error: e.Returned.Error, Effect: e.Returned.Effect})
	} else {
		m.end(def, e.Step, nil, e.Returned.Result)
	}
	return m.broken
}

// fitting holds a tool's result against what a run can carry. A call whose
// result is too large happened all the same: it is not to be sent again.
func (m *Machine) fitting(tool string, r *Returned) {
	if r.Error != "" {
		return
	}
	if err := tooLarge("the result", r.Result); err != nil {
		r.Error, r.Result = err.Error(), nil
		if spec, ok := m.def.Tools(tool); !ok || !spec.ReadOnly {
			r.Effect = TookPlace
		}
	}
}

// doubt says of a call that failed what is known of its effect: nothing can be
// in doubt of one that only reads, and one that was sent before, and may have
// happened then, still may have.
func (m *Machine) doubt(step *Step, tool string, r *Returned) {
	sent, kept := m.state.Unsure[step.Path]
	switch {
	case r.Error == "":
	case m.readsOnly(tool):
		r.Effect = ""
	case r.Effect == "" && kept && sent.Number == step.Sending:
		r.Effect = Unsure
	}
}

// posted is what a message that a chat server took gives.
func posted(result any) map[string]any {
	fields, _ := result.(map[string]any)
	id, _ := fields["id"].(string)
	return map[string]any{"message_id": id}
}

// started notes the run of a called workflow; a step that does not wait for
// it is done with that.
func (m *Machine) started(step *Step, e Event) error {
	def, err := m.def.stepAt(e.Step)
	if err != nil {
		return err
	}
	m.emit(Record{Do: DidChild, Step: e.Step, Child: e.Started})
	if def.Call != nil && !def.Call.Await {
		m.end(def, e.Step, nil, map[string]any{"run": e.Started})
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
