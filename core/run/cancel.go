package run

import (
	"woolsignal/core/agent"
)

// halt ends a run because a person says so.
func (m *machine) halt(s *Stop) {
	because := "stopped by " + s.By
	if s.Note != "" {
		because += ": " + s.Note
	}
	m.closedBy(s.By, because)
	m.finish(Stopped, because, true, nil)
}

// closedBy closes everything open, in somebody's name.
func (m *machine) closedBy(by, because string) { m.closeFrame(m.state.Root, by, because) }

// cancelAll closes everything open, because the run ends elsewhere.
func (m *machine) cancelAll(because string) { m.closedBy("the workflow", because) }

// cancelInside closes what is open inside a step.
func (m *machine) cancelInside(step *Step, because string) {
	for _, frame := range step.Inside {
		if frame.Status == "" {
			m.cancelFrame(frame, because)
			m.emit(&BlockLeft{Step: step.Path, Block: frame.Name, Status: Stopped, Error: because})
		}
	}
}

// cancelFrame closes what is open in a block, because it is no longer wanted.
func (m *machine) cancelFrame(frame *Frame, because string) {
	m.closeFrame(frame, "the workflow", because)
}

// closeFrame closes what is open in a block, inner steps first.
func (m *machine) closeFrame(frame *Frame, by, because string) {
	var open []*Step
	frame.eachOpen(func(s *Step) { open = append(open, s) })
	for i := len(open) - 1; i >= 0; i-- {
		effect := m.effectOf(open[i])
		m.close(open[i], by)
		m.emit(&StepEnded{Step: open[i].Path, Status: Stopped, Error: because, Effect: effect})
	}
}

// close ends what a step has under way: open questions are withdrawn, a call
// on its way is said to be what it is, called workflows are stopped.
func (m *machine) close(step *Step, by string) {
	for _, id := range step.Reviews {
		if open := m.state.Reviews[id]; open.open() {
			withdrawn := *open
			withdrawn.Choice, withdrawn.By, withdrawn.Decided = Withdrawn, by, m.now
			m.emit(&ReviewAnswered{Step: step.Path, Review: &withdrawn})
		}
	}
	if step.Hearing != nil {
		m.emit(&ListeningEnded{Step: step.Path, Hearing: step.Hearing})
	}
	if start := m.start(step); step.Status == Running && (start != nil || step.Child != "") {
		m.drop(step, by, step.Child != "" || start.Await) // only who waits knows its child while it runs
	}
	m.abandon(step, "")
	if step.Agent == nil {
		return
	}
	for _, c := range step.Agent.Calls {
		m.abandon(step, c.ID)
		closed := *c
		switch c.State {
		case agent.Proposed, agent.Looking, agent.Weighing:
			closed.State, closed.By, closed.Ended = agent.Declined, by, m.now
		case agent.Running, agent.Uncertain:
			closed.State, closed.Ended = agent.Failed, m.now
			closed.Error = "the run went on without it while it was on its way; it may have happened"
			closed.Unsure = !m.readsOnly(c.Tool)
			if isCompany(c.Tool) {
				m.dropCall(step, c, by)
			}
		default:
			continue
		}
		m.emit(&CallChanged{Step: step.Path, Call: &closed})
	}
}

// abandon tells the other side that a call it works on is no longer wanted.
func (m *machine) abandon(step *Step, call string) {
	if p, is := step.Pending[call]; is && p.Ref != "" {
		m.send(Errand{Run: m.state.ID, Ticket: Ticket{Step: step.Path, Sending: step.Sending, CallID: call},
			Task: &Abandon{Tool: p.Tool, Ref: p.Ref, For: m.state.Signal.For}})
	}
}

// drop gives a called workflow up. Its run may have begun without this one
// knowing yet, so it is named by the key it is started with. One that was not
// to be waited for goes on where it has begun.
func (m *machine) drop(step *Step, by string, awaited bool) {
	r := &ChildDropped{Step: step.Path, Child: step.Child, Sending: step.Sending}
	if awaited {
		r.By = by
		m.send(Errand{Run: m.state.ID, Ticket: Ticket{Step: step.Path, Sending: step.Sending}, Task: &Cancel{By: by}})
	}
	m.emit(r)
}
