package run

import (
	"fmt"
	"strings"

	"woolsignal/core/agent"
	"woolsignal/core/expr"
	"woolsignal/core/flow"
	"woolsignal/core/schema"
)

// backTurn marks the errand that writes a read-back: no call of a tool has that number.
const backTurn = -1

// unsure is below what a verdict is taken for no verdict: then somebody is asked.
const unsure = 0.7

// approve takes a call the next step to its approval: what it is about is looked at,
// the criterion is weighed, and who is to be asked is asked.
func (m *machine) approve(step *Step, a *flow.Agent, c *agent.Call) {
	call := *c
	spec, _ := m.def.Tools(call.Tool)
	approval := approvalOf(a, call.Tool)
	switch {
	case spec.Shows && call.Thing == nil:
		call.State = agent.Looking
	case approval != nil && approval.Judge != "" && call.Judged == nil:
		call.State = agent.Weighing
	case approval != nil && approval.Judge != "" && !call.Judged.Holds && call.Judged.Sure >= unsure:
		call.State = agent.Running
		m.letGo(step, a, &call)
		return
	case approval != nil && approval.Ask == flow.Speaker && !m.state.Signal.Conversation().IsZero():
		m.askSpeaker(step, a, &call)
		return
	default:
		call.State = agent.Proposed
		m.approval(a, step.Path, &call)
		return
	}
	m.emit(&CallChanged{Step: step.Path, Call: &call})
	for _, e := range m.approving(step, &call) {
		m.send(e)
	}
}

// letGo makes a call that nobody need be asked about any more. It is the one door of
// all calls of agents: in a try what changes something is held back here, whoever said
// yes to it.
func (m *machine) letGo(step *Step, a *flow.Agent, call *agent.Call) {
	at := &At{m: m, Path: step.Path, Did: step}
	switch {
	case at.holdsCall(call):
		at.HoldCall(call)
	case flow.IsOwnTool(call.Tool):
		at.DoOwn(a, call)
	default:
		m.emit(&CallChanged{Step: step.Path, Call: call})
		m.send(m.agentCall(step, call))
	}
}

// approvalOf is what an agent's file says of who approves a tool; nil where nothing.
func approvalOf(a *flow.Agent, tool string) *flow.Approval {
	for _, t := range a.Kit() {
		if t.Tool == tool {
			return t.Approval
		}
	}
	return nil
}

// approving is what a call on its way to its approval waits for from outside.
func (m *machine) approving(step *Step, c *agent.Call) []Errand {
	errand := Errand{Run: m.state.ID, Ticket: Ticket{Step: step.Path, Sending: step.Sending, CallID: c.ID}}
	switch {
	case c.State == agent.Looking:
		errand.Task = &Look{Tool: c.Tool, Args: c.Args, For: m.state.Signal.For}
	case c.State == agent.Weighing:
		def := m.def.Agents[step.Agent.Agent]
		approval := approvalOf(def, c.Tool)
		if approval == nil {
			return nil
		}
		errand.Task = &Ask{Model: def.Model, System: "You weigh whether somebody is to be asked before a tool is used.",
			Messages: c.Weigh(approval.Judge), Answer: agent.VerdictSchema(1), Within: weighPatience}
	case c.Back != nil && c.Back.Phase == agent.BackPosting:
		via := m.state.Signal.Via
		errand.Turn = backTurn
		errand.Task = &Call{Tool: via.Tool, Args: m.backMessage(step, c).Args(via), Resend: m.resendOf(via.Tool),
			For: m.state.Signal.For}
	default:
		return nil
	}
	return []Errand{errand}
}

// looked takes in what a call is about.
func (m *machine) looked(step *Step, e *Answer, r *Looked) error {
	c := step.Agent.Call(e.CallID)
	def := m.def.Agents[step.Agent.Agent]
	if c == nil || c.State != agent.Looking || def == nil {
		return ErrStale
	}
	call := *c
	if r.Refused {
		call.State, call.Error, call.Ended = agent.Failed, r.Error, m.now
		m.emit(&CallChanged{Step: step.Path, Call: &call})
		return m.broken
	}
	call.Thing = m.thing(r)
	m.approve(step, def, &call)
	return m.broken
}

// weighed takes in whether somebody is to be asked. Where that cannot be said, they are.
func (m *machine) weighed(step *Step, e *Answer, r *Answered) error {
	c := step.Agent.Call(e.CallID)
	def := m.def.Agents[step.Agent.Agent]
	if c == nil || c.State != agent.Weighing || def == nil {
		return ErrStale
	}
	verdict := agent.Verdict{Holds: true, Reason: "it could not be weighed: " + r.Error}
	if r.Error == "" {
		verdict = readVerdict(r.Message.Text)
	}
	m.emit(&CallWeighed{Step: step.Path, Call: c.ID, Verdict: verdict, Use: r.Turn.Use, Cost: r.Turn.Cost})
	if m.broken != nil {
		return m.broken
	}
	m.approve(step, def, step.Agent.Call(e.CallID))
	return m.broken
}

// readVerdict reads a model's answer. One that does not fit says nothing, so somebody is
// asked.
func readVerdict(text string) agent.Verdict {
	v, err := expr.DecodeJSON([]byte(strings.TrimSpace(text)))
	if err == nil {
		var s *schema.Schema
		if s, err = schema.Compile(agent.VerdictSchema(1)); err == nil {
			err = s.Validate(v)
		}
	}
	if err != nil {
		return agent.Verdict{Holds: true, Reason: fmt.Sprintf("the model's verdict does not fit: %v", err)}
	}
	return agent.Verdicts(v)[0]
}
