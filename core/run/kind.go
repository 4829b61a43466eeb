package run

import (
	"slices"

	"woolsignal/core/agent"
	"woolsignal/core/flow"
)

// Doing is what a step of one kind does: as files say it, and in a run. Kinds
// register themselves with [Register].
type Doing interface {
	flow.Doing
	// Advance begins the step where at.Did is nil, or goes on with it where it
	// stands.
	Advance(at *At) Outcome
	// Outstanding gives what the step, as it stands, waits for from outside.
	// It is asked when the step begins to wait, and again after a crash, when
	// each may have been sent before: none where only people, time, a signal
	// or the steps inside are waited for.
	Outstanding(at *At) []Errand
}

// Answering is a kind that makes of an errand's answer what the step gives.
// Where a kind is none, what a tool returned is what the step gives.
type Answering interface {
	// Answered takes in a *[Returned] or a *[ChildBegan].
	Answered(at *At, reply Reply)
}

// Timed is a kind whose steps pause till a time, or listen until one.
type Timed interface{ TimeCame(at *At) }

// Deciding is a kind whose steps put a review of their own.
type Deciding interface {
	// Decided takes in the review, with what was decided.
	Decided(at *At, review *Review)
}

// Scoping is a kind whose blocks see more than what stands around the step.
type Scoping interface {
	// Sample gives the names a block of a step that was taken sees beside.
	Sample(did *Step) map[string]any
}

// Register makes a kind of step known by the key that names it.
func Register(name, help string, new func() Doing) {
	flow.RegisterStep(name, help, func() flow.Doing { return new() })
}

// doing is what a step does in a run. Only kinds that do something are
// registered here.
func doing(def *flow.Step) Doing { return def.Does.(Doing) }

// at is a step that began, for what comes to it from outside. There its
// expressions are not at hand: the step goes on by [Doing.Advance].
func (m *machine) at(path string) (*At, error) {
	def, err := m.def.stepAt(path)
	if err != nil {
		return nil, err
	}
	return &At{m: m, Step: def, Path: path, Did: m.state.Step(path)}, nil
}

// outstanding gives what a step waits for from outside.
func (m *machine) outstanding(step *Step) []Errand {
	if step.Hearing != nil && step.Agent == nil || len(step.Inside) > 0 || step.Status != Running {
		return nil
	}
	at, err := m.at(step.Path)
	if err != nil {
		return nil
	}
	out := doing(at.Step).Outstanding(at)
	return slices.DeleteFunc(out, func(e Errand) bool {
		_, call := e.Task.(*Call)
		return call && step.rests(e.CallID)
	})
}

// call is the step's own call of a tool that is on its way; nil where it has
// none.
func (m *machine) call(step *Step) *Call {
	for _, e := range m.outstanding(step) {
		if call, is := e.Task.(*Call); is && e.CallID == "" {
			return call
		}
	}
	return nil
}

// toolOf is the tool the step's own call is of; "" where it has none.
func (m *machine) toolOf(step *Step) string {
	if call := m.call(step); call != nil {
		return call.Tool
	}
	return ""
}

// start is the start of another workflow the step has under way; nil where it
// has none.
func (m *machine) start(step *Step) *Start {
	for _, e := range m.outstanding(step) {
		if start, is := e.Task.(*Start); is {
			return start
		}
	}
	return nil
}

// agentCalls gives the calls of an agent in a step that are on their way.
func (m *machine) agentCalls(step *Step) []Errand {
	var out []Errand
	for _, c := range step.Agent.Calls {
		switch {
		case c.State == agent.Running && c.Child == "":
			out = append(out, m.agentCall(step, c))
		case c.State == agent.Looking || c.State == agent.Weighing || c.Back != nil:
			out = append(out, m.approving(step, c)...)
		}
	}
	return out
}

// agentCall sends a call of an agent.
func (m *machine) agentCall(step *Step, c *agent.Call) Errand {
	ticket := Ticket{Step: step.Path, Sending: step.Sending, Turn: c.Sent, CallID: c.ID}
	if kind, id, _ := flow.CompanyTool(c.Tool); isCompany(c.Tool) {
		return Errand{Run: m.state.ID, Ticket: ticket, Task: m.company(step, c, kind, id)}
	}
	return Errand{Run: m.state.ID, Ticket: ticket,
		Task: &Call{Tool: c.Tool, Args: c.Args, Resend: c.Resend, For: m.state.Signal.For, Ref: step.Pending[c.ID].Ref}}
}

// send asks for something outside. A draft's tools may have others in their
// place.
func (m *machine) send(e Errand) {
	if call, is := e.Task.(*Call); is && m.state.Draft() {
		if spec, ok := m.def.Tools(call.Tool); ok && spec.Draft != "" {
			other := *call
			other.Tool, e.Task = spec.Draft, &other
		}
	}
	m.errands = append(m.errands, e)
}
