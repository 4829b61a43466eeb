package run

import (
	"woolsignal/core/agent"
	"woolsignal/core/flow"
	"woolsignal/core/money"
)

// company is what an agent's call of a workflow or a helper asks for: a run of its own,
// which the agent waits for.
func (m *machine) company(step *Step, c *agent.Call, kind, id string) *Start {
	s := m.state.Signal
	start := &Start{Inputs: c.Args, Draft: m.state.Draft(), Await: true, Stranger: s.Stranger, For: s.For,
		Most: m.leftFor(step.Agent)}
	if kind == flow.WorkflowTools {
		start.Workflow = id
		return start
	}
	start.Agent = id
	start.Task, _ = c.Args["task"].(string)
	start.Inputs, _ = c.Args["inputs"].(map[string]any)
	return start
}

// leftFor is what one of the runs an agent asks for may spend of the agent's own limit:
// those asked for in one message share what is left. 0 is no limit.
func (m *machine) leftFor(a *agent.State) money.Micros {
	def := m.def.Agents[a.Agent]
	if def == nil || def.Limits.Cost == 0 {
		return 0
	}
	left := money.FromUnits(def.Limits.Cost) - a.Cost()
	return max(1, left/money.Micros(max(1, a.AskedOf(isCompany)))) // the limit itself says when nothing is left
}

func isCompany(tool string) bool {
	kind, _, _ := flow.CompanyTool(tool)
	return kind == flow.WorkflowTools || kind == flow.HelperTools
}

// dropCall gives up the run that an agent's call waits for. It may have begun without
// this one knowing yet, so it is named by the key it is started with.
func (m *machine) dropCall(step *Step, c *agent.Call, by string) {
	m.send(Errand{Run: m.state.ID, Ticket: Ticket{Step: step.Path, Sending: step.Sending, CallID: c.ID},
		Task: &Cancel{By: by}})
	m.emit(&ChildDropped{Step: step.Path, Call: c.ID, Child: c.Child, Sending: step.Sending, By: by})
}
