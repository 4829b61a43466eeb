package run

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"woolsignal/core/agent"
	"woolsignal/core/expr"
	"woolsignal/core/flow"
)

// agent runs an agent step: it begins the agent's work, or lets it go on
// from where it is.
func (m *Machine) agent(def *flow.Step, step *Step, path string, scope expr.Scope) outcome {
	a, ok := m.def.Agents[def.Agent.Agent]
	if !ok {
		return m.fail(def, path, "there is no agent "+def.Agent.Agent)
	}
	if step == nil {
		return m.beginAgent(def, a, path, scope)
	}
	scope.Names = map[string]any{"signal": scope.Names["signal"]}
	for {
		moves := step.Agent.Next(a, m.def.grants(a), scope)
		if len(moves) == 0 {
			return blocked
		}
		for _, move := range moves {
			switch {
			case move.Ask:
				m.emit(&ModelAsked{Step: path, Offered: offered(m.def.grants(a))})
				m.send(m.askErrand(step, a))
			case move.Start != nil:
				m.emit(&CallChanged{Step: path, Call: move.Start})
				m.send(m.agentErrand(step, move.Start))
			case move.Refuse != nil:
				m.emit(&CallChanged{Step: path, Call: move.Refuse})
			case move.Review != nil:
				m.approval(a, path, move.Review)
			case move.Fail != nil:
				return m.fail(def, path, move.Fail.Message)
			case move.Answer != nil:
				m.emit(&MemoryKept{Step: path, Memory: step.Agent.Memory, Said: step.Agent.Remember()})
				return m.end(def, path, nil, map[string]any{"text": *move.Answer})
			}
		}
		if m.broken != nil {
			return over
		}
	}
}

func (m *Machine) beginAgent(def *flow.Step, a *flow.Agent, path string, scope expr.Scope) outcome {
	task, err := def.Agent.Task.Eval(scope)
	if err != nil {
		return m.fail(def, path, "task: "+err.Error())
	}
	thread := m.state.Signal.ThreadKey()
	if def.Agent.Thread != nil {
		v, err := def.Agent.Thread.Eval(scope)
		if err != nil {
			return m.fail(def, path, "thread: "+err.Error())
		}
		thread = expr.Text(v)
	}
	if thread == "" {
		thread = "run#" + m.state.ID // remembers nothing from elsewhere
	}
	system, err := m.system(a, scope)
	if err != nil {
		return m.fail(def, path, "instructions: "+err.Error())
	}
	m.emit(&StepBegan{Step: path, Input: map[string]any{"task": expr.Text(task)},
		Agent: &agent.State{Agent: a.ID, Model: a.Model, System: system, Memory: a.ID + "@" + thread, Began: m.now}})
	m.send(m.recallErrand(m.state.Step(path), a))
	return blocked
}

// system is what the agent is told of itself, the moment and the workflow.
// The time is always there: models invent dates where they are not told.
func (m *Machine) system(a *flow.Agent, scope expr.Scope) (string, error) {
	scope.Names = map[string]any{"signal": scope.Names["signal"]}
	instructions, err := a.Instructions.Eval(scope)
	if err != nil {
		return "", err
	}
	var b strings.Builder
	fmt.Fprintf(&b, "You are %s. %s\n", a.Title, a.Purpose)
	fmt.Fprintf(&b, "It is %s (%s).\n", m.now.In(m.def.Zone).Format("Monday 2 January 2006, 15:04"), m.def.Zone)
	if from := m.state.Signal.From; from["name"] != "" {
		fmt.Fprintf(&b, "You are talking with %s.\n", from["name"])
	}
	if m.def.Workflow.Context != "" {
		fmt.Fprintf(&b, "\n%s\n", strings.TrimSpace(m.def.Workflow.Context))
	}
	fmt.Fprintf(&b, "\n%s", strings.TrimSpace(expr.Text(instructions)))
	return b.String(), nil
}

// factsOf lists whose facts an agent knows.
func (m *Machine) factsOf(a *flow.Agent) []string {
	var about []string
	for _, of := range a.Facts {
		if email := m.state.Signal.From["email"]; of == "person" && email != "" {
			about = append(about, email)
		} else if of == "workspace" {
			about = append(about, of)
		}
	}
	return about
}

func (m *Machine) recallErrand(step *Step, a *flow.Agent) Errand {
	return Errand{Run: m.state.ID, Ticket: Ticket{Step: step.Path, Sending: step.Sending}, Task: &Recall{Memory: step.Agent.Memory, Turns: a.KeepTurns, About: m.factsOf(a)}}
}

func (m *Machine) askErrand(step *Step, a *flow.Agent) Errand {
	ask := &Ask{Model: a.Model, System: step.Agent.System, Within: 2 * time.Minute}
	turn := len(step.Agent.Turns)
	ask.Messages = step.Agent.Messages[:step.Agent.Turns[turn-1].Sent]
	for _, g := range m.def.grants(a) {
		if slices.Contains(step.Agent.Turns[turn-1].Offered, g.Tool) { // the same, when it is asked again after a crash
			ask.Tools = append(ask.Tools, Offer{Name: g.Tool, Description: g.Spec.Description, Schema: g.Offered()})
		}
	}
	if limit := a.Limits.Time; limit > 0 {
		ask.Within = min(ask.Within, max(time.Second, limit-step.Agent.Worked(m.now)))
	}
	return Errand{Run: m.state.ID, Ticket: Ticket{Step: step.Path, Sending: step.Sending, Turn: turn}, Task: ask}
}

// offered names the tools an agent may use.
func offered(grants []agent.Grant) []string {
	var out []string
	for _, g := range grants {
		out = append(out, g.Tool)
	}
	return out
}

// agentErrand sends an agent's call.
func (m *Machine) agentErrand(step *Step, c *agent.Call) Errand {
	return m.callOf(Ticket{Step: step.Path, Sending: step.Sending, Turn: c.Sent, CallID: c.ID}, c.Tool, c.Args, c.Resend)
}

// callErrand sends a step's own call. turn tells several calls of one sending
// apart.
func (m *Machine) callErrand(step *Step, tool string, turn int, args map[string]any) Errand {
	return m.callOf(Ticket{Step: step.Path, Sending: step.Sending, Turn: turn}, tool, args, step.Resend)
}

func (m *Machine) callOf(ticket Ticket, tool string, args map[string]any, resend flow.Resend) Errand {
	if spec, ok := m.def.Tools(tool); ok && m.state.Draft() && spec.Draft != "" {
		tool = spec.Draft
	}
	return Errand{Run: m.state.ID, Ticket: ticket, Task: &Call{Tool: tool, Args: args, Resend: resend, For: m.state.Signal.From["email"]}}
}
