package run

import (
	"errors"
	"fmt"
	"strings"

	"woolsignal/core/agent"
)

// deliver writes down what an event says. Going on from there is the block's
// business.
func (m *machine) deliver(e Event) error {
	switch e := e.(type) {
	case *Begin:
		if m.state.Status != Queued {
			return ErrStale
		}
		m.emit(&RunStarted{})
	case *Stop:
		m.halt(e)
	case *Break:
		m.cancelAll("the run could not go on")
		m.finish(Failed, e.Why, false, nil)
	case *Decided:
		step := m.reviewed(e.Review)
		if step == nil {
			return ErrStale
		}
		return m.decided(step, e)
	case *Tick:
		return m.tick()
	case *Heard:
		step := m.state.Step(e.Step)
		if step == nil || !step.open() || step.Hearing == nil || e.Trial != (m.state.trial() != nil) {
			return ErrStale
		}
		e.Signal.gate(&gate{}) // it may not have passed through any record yet
		m.heard, m.from = map[string]*Signal{e.Step: e.Signal}, e.From
	case *Answer:
		step := m.state.Step(e.Step)
		if step == nil || step.Status != Running || step.Sending != e.Sending {
			return ErrStale
		}
		return m.answer(step, e)
	}
	return m.broken
}

// answer takes in what an errand of a step came to.
func (m *machine) answer(step *Step, e *Answer) error {
	own := step.asked(e)
	switch reply := e.Reply.(type) {
	case *Recalled:
		if step.Agent == nil || step.Agent.Ready {
			return ErrStale
		}
		if reply.Error != "" {
			m.emit(&StepEnded{Step: e.Step, Status: Failed, Error: reply.Error})
			return m.broken
		}
		m.emit(&MemoryRecalled{Step: e.Step, Said: reply.Messages, Facts: reply.Facts, Choices: reply.Choices,
			Holder: reply.Holder})
	case *Pending:
		if !own && step.openCall(e) == nil {
			return ErrStale
		}
		tool := m.toolOf(step)
		if call := step.openCall(e); call != nil {
			tool = call.Tool
		}
		m.emit(&CallPending{Step: e.Step, Call: e.CallID, Tool: tool, Ref: reply.Ref,
			Until: m.now.Add(reply.After).UTC()})
	case *Looked:
		return m.looked(step, e, reply)
	case *Answered:
		if e.CallID != "" {
			return m.weighed(step, e, reply)
		}
		if step.Agent == nil || !step.Agent.Thinking() || len(step.Agent.Turns) != e.Turn {
			return ErrStale
		}
		m.answered(step, reply)
	case *Returned:
		if c := step.posted(e); c != nil {
			return m.posted(step, c, reply.Error)
		}
		if reply.Child != "" { // its end may come before anybody was told of its beginning
			if err := m.childBegan(step, e, reply.Child); err != nil && !errors.Is(err, ErrStale) {
				return err
			}
			if step.Status != Running {
				return m.broken
			}
		}
		if reply.Cost > 0 && (own || step.openCall(e) != nil) {
			m.emit(&CallPriced{Step: e.Step, Call: e.CallID, Cost: reply.Cost, Child: reply.Child != ""})
		}
		if own {
			return m.returned(step, reply)
		}
		return m.callReturned(step, e, reply)
	case *ChildBegan:
		return m.childBegan(step, e, reply.Run)
	case *Missing:
		if c := step.posted(e); c != nil {
			return m.posted(step, c, reply.Why)
		}
		if !own && step.openCall(e) == nil {
			return ErrStale
		}
		return m.missing(step, e.CallID, reply)
	case *Lost:
		if c := step.posted(e); c != nil {
			return m.posted(step, c, reply.Why)
		}
		if !own && step.openCall(e) == nil {
			return ErrStale
		}
		return m.lost(step, e.CallID, reply.Why)
	}
	return m.broken
}

// callReturned takes in what a tool gave an agent.
func (m *machine) callReturned(step *Step, e *Answer, r *Returned) error {
	call := step.openCall(e)
	if call == nil {
		return ErrStale
	}
	m.fitting(call.Tool, r)
	m.doubt(step, call.Tool, r)
	done := *call
	done.State, done.Result, done.Ended = agent.Done, r.Result, m.now
	if _, elsewhere := step.Pending[call.ID]; elsewhere || call.Child != "" {
		done.Waited += m.now.Sub(call.Began) // whoever works on it has limits of its own
	}
	if r.Error != "" {
		done.State, done.Error, done.Result, done.Unsure = agent.Failed, r.Error, nil, r.Effect == Unsure
	}
	m.emit(&CallChanged{Step: step.Path, Call: &done})
	return m.broken
}

// asked tells whether an event answers the step itself, not an agent in it.
func (s *Step) asked(e *Answer) bool { return e.CallID == "" && (s.Agent == nil || s.Sent) }

// sent tells whether an event answers the agent's call as it was sent last; after another try
// the agent may know no such call.
func (s *Step) sent(e *Answer) bool {
	if s.Agent == nil {
		return false
	}
	call := s.Agent.Call(e.CallID)
	return call != nil && call.Sent == e.Turn
}

// openCall is the agent's call an event is about, where that is on its way.
func (s *Step) openCall(e *Answer) *agent.Call {
	if e.CallID == "" || !s.sent(e) {
		return nil
	}
	if call := s.Agent.Call(e.CallID); call.State == agent.Running {
		return call
	}
	return nil
}

// returned takes in what a tool, a script or a called workflow gave.
func (m *machine) returned(step *Step, r *Returned) error {
	at, err := m.at(step.Path)
	if err != nil {
		return err
	}
	if tool := m.toolOf(step); tool != "" {
		m.fitting(tool, r)
		m.doubt(step, tool, r)
	}
	if a, is := at.Step.Does.(Answering); is {
		a.Answered(at, r)
	} else {
		at.Gives(r)
	}
	return m.broken
}

// Gives ends the step with what a tool returned, or its error.
func (at *At) Gives(r *Returned) {
	if r.Error != "" {
		at.FailReturned(r)
		return
	}
	at.End(r.Result)
}

// fitting holds a tool's result against what a run can carry. A call whose
// result is too large happened all the same: it is not to be sent again.
func (m *machine) fitting(tool string, r *Returned) {
	if r.Error != "" {
		return
	}
	if err := TooLarge("the result", r.Result); err != nil {
		r.Error, r.Result = err.Error(), nil
		if spec, ok := m.def.Tools(tool); !ok || !spec.ReadOnly {
			r.Effect = TookPlace
		}
	}
}

// doubt says of a call that failed what is known of its effect: nothing can be
// in doubt of one that only reads, and one that was sent before, and may have
// happened then, still may have.
func (m *machine) doubt(step *Step, tool string, r *Returned) {
	sent, kept := m.state.Unsure[step.Path]
	switch {
	case r.Error == "":
	case m.readsOnly(tool):
		r.Effect = ""
	case r.Effect == "" && kept && sent.Number == step.Sending:
		r.Effect = Unsure
	}
}

// childBegan notes the run that a step, or a call of the agent in it, asked for.
func (m *machine) childBegan(step *Step, e *Answer, child string) error {
	if call := step.openCall(e); call != nil && call.Child == "" {
		m.emit(&ChildStarted{Step: step.Path, Call: call.ID, Child: child})
		return m.broken
	}
	if !step.asked(e) || step.Child != "" {
		return ErrStale
	}
	at, err := m.at(step.Path)
	if err != nil {
		return err
	}
	at.Emit(&ChildStarted{Step: step.Path, Child: child})
	if a, is := at.Step.Does.(Answering); is {
		a.Answered(at, &ChildBegan{Run: child})
	}
	return m.broken
}

// answered takes a model's message in. Its asks get ids of ours: some
// servers number them anew each turn, and a thread lives for many turns.
func (m *machine) answered(step *Step, r *Answered) {
	m.stays(step, r)
	if r.Error != "" {
		if spent := wasted(&Answer{Ticket: Ticket{Step: step.Path}, Reply: r}); spent != nil {
			m.emit(spent)
		}
		m.emit(&StepEnded{Step: step.Path, Status: Failed, Error: r.Error})
		return
	}
	message := r.Message
	message.Role = "assistant"
	message.Asks = make([]agent.Request, len(r.Message.Asks))
	for i, ask := range r.Message.Asks {
		ask.ID = fmt.Sprintf("%s-%s-%d-%d", m.state.ID, step.Path, len(step.Agent.Turns), i+1)
		message.Asks[i] = ask
	}
	turn := r.Turn
	turn.Answered = m.now
	m.emit(&ModelAnswered{Step: step.Path, Said: message, Turn: turn})
}

// stays has what somebody heard as it came stay in the conversation where it is no
// answer: what an agent said on the way to one, and what broke off.
func (m *machine) stays(step *Step, r *Answered) {
	cut := r.Error != "" || r.Turn.Cut != ""
	if strings.TrimSpace(r.Heard) == "" || !cut && len(r.Message.Asks) == 0 {
		return
	}
	said := &WordsSaid{Step: step.Path, Text: r.Heard, Message: &Message{Text: r.Heard, Cut: cut}}
	if acts := m.def.Agents[step.Agent.Agent]; acts != nil {
		said.Message.As = VoiceOf(acts)
	}
	if said.Message.Plain() {
		said.Message = nil
	}
	m.emit(said)
}

// reviewed finds the step that put a review.
func (m *machine) reviewed(id string) *Step {
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
