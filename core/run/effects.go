package run

import (
	"strings"

	"woolsignal/core/agent"
	"woolsignal/core/flow"
)

// resendOf tells how a call of a tool that is sent now may be sent again. It is
// written down with the call: what a tool's owner says later is of others.
func (m *machine) resendOf(tool string) flow.Resend {
	spec, _ := m.def.Tools(tool)
	return spec.SentAgain()
}

func (m *machine) readsOnly(tool string) bool {
	spec, ok := m.def.Tools(tool)
	return ok && spec.ReadOnly
}

// effectOf tells what is known of a call a step has on its way, were it given
// up now.
func (m *machine) effectOf(step *Step) Effect {
	if _, works := step.Pending[""]; works || step.Status == Uncertain {
		return Unsure
	}
	if tool := m.toolOf(step); tool != "" && !m.readsOnly(tool) {
		return Unsure
	}
	return ""
}

// asks puts to a person every call in a step that is on its way and must not
// be repeated, and tells whether somebody is being asked about one now.
func (m *machine) asks(step *Step, why string) bool {
	var open []*Step
	visit := func(s *Step) { open = append(open, s) }
	visit(step)
	step.eachInside(visit)
	asked := false
	for _, s := range open {
		if call := m.call(s); call != nil && call.Resend == flow.ResendNever {
			_ = m.lost(s, "", why)
		}
		asked = asked || s.Status == Uncertain
		if s.Agent == nil || s.Status != Running {
			continue
		}
		for _, c := range s.Agent.Calls {
			if c.State == agent.Running && c.Resend == flow.ResendNever {
				_ = m.lost(s, c.ID, why)
			}
			asked = asked || c.State == agent.Uncertain
		}
	}
	return asked
}

// uncertain tells whether a person is being asked, somewhere in a step,
// whether a call happened. Time limits stand still meanwhile.
func (m *machine) uncertain(step *Step) bool {
	found := false
	look := func(s *Step) {
		found = found || s.Status == Uncertain
		if s.Agent != nil {
			for _, c := range s.Agent.Calls {
				found = found || c.State == agent.Uncertain
			}
		}
	}
	look(step)
	step.eachInside(look)
	return found
}

// mayRepeat tells whether a step that failed may begin again by itself: not
// where a call in it happened and only its result is lost, nor where one that
// must not be repeated may have happened. why names it.
func (m *machine) mayRepeat(step *Step) (yes bool, why string) {
	if step.Effect == TookPlace {
		return false, "it happened"
	}
	var held string
	m.eachUnsure(step, func(tool string) { held = tool })
	if held != "" {
		return false, held + " may have happened"
	}
	return true, ""
}

// eachUnsure visits the tools of the calls in a step that may have happened
// and that a second try would repeat.
func (m *machine) eachUnsure(step *Step, visit func(tool string)) {
	if step.Effect == Unsure && step.Resend == flow.ResendNever {
		visit(m.toolItCalled(step))
	}
	if step.Agent != nil {
		for _, c := range step.Agent.Calls {
			// An agent that begins anew asks for other calls, with other keys.
			if c.Unsure && c.Resend != flow.ResendSafe {
				visit(c.Tool)
			}
		}
	}
	for _, frame := range step.Inside {
		for _, inner := range frame.Steps {
			m.eachUnsure(inner, visit)
		}
	}
}

// toolItCalled is the tool a step that ended had called last.
func (m *machine) toolItCalled(step *Step) string {
	before := *step
	before.Status = Running
	at, err := m.at(step.Path)
	if err != nil {
		return ""
	}
	at.Did = &before
	for _, e := range doing(at.Step).Outstanding(at) {
		if call, is := e.Task.(*Call); is && e.CallID == "" {
			return call.Tool
		}
	}
	return ""
}

// heldBack notes, once, why a step that was to be tried again is not.
func (m *machine) heldBack(step *Step, path, why string) {
	because := "; it is not tried again by itself, because " + why
	if strings.HasSuffix(step.Error, because) {
		return
	}
	m.failure.message = step.Error + because
	m.emit(&StepEnded{Step: path, Status: Failed, Error: m.failure.message, Effect: step.Effect})
}
