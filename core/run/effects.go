package run

import (
	"reflect"
	"strings"

	"woolsignal/core/agent"
	"woolsignal/core/expr"
	"woolsignal/core/flow"
)

// underWay is the tool whose call a step has on its way; "" where it has none.
func (m *Machine) underWay(def *flow.Step, step *Step) string {
	if step.Status != Running || len(step.Inside) > 0 || step.Agent != nil && !step.Sent || step.Hearing != nil {
		return ""
	}
	return m.toolOf(def, step)
}

// resendOf tells how a call of a tool that is sent now may be sent again. It is
// written down with the call: what a tool's owner says later is of others.
func (m *Machine) resendOf(tool string) flow.Resend {
	spec, _ := m.def.Tools(tool)
	return spec.SentAgain()
}

func (m *Machine) readsOnly(tool string) bool {
	spec, ok := m.def.Tools(tool)
	return ok && spec.ReadOnly
}

// effectOf tells what is known of a call a step has on its way, were it given
// up now.
func (m *Machine) effectOf(step *Step) Effect {
	def, err := m.def.stepAt(step.Path)
	if err != nil {
		return ""
	}
	if step.Status == Uncertain {
		return Unsure
	}
	if tool := m.underWay(def, step); tool != "" && !m.readsOnly(tool) {
		return Unsure
	}
	return ""
}

// asks puts to a person every call in a step that is on its way and must not
// be repeated, and tells whether somebody is being asked about one now.
func (m *Machine) asks(step *Step, why string) bool {
	var open []*Step
	visit := func(s *Step) { open = append(open, s) }
	visit(step)
	step.eachInside(visit)
	asked := false
	for _, s := range open {
		def, err := m.def.stepAt(s.Path)
		if err != nil {
			continue
		}
		if tool := m.underWay(def, s); tool != "" && s.Resend == flow.ResendNever {
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
func (m *Machine) uncertain(step *Step) bool {
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
func (m *Machine) mayRepeat(step *Step) (yes bool, why string) {
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
func (m *Machine) eachUnsure(step *Step, visit func(tool string)) {
	if def, err := m.def.stepAt(step.Path); err == nil && step.Effect == Unsure && step.Resend == flow.ResendNever {
		visit(m.toolOf(def, step))
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

// again gives a call of a step that is to be sent once more just as it was,
// since it may have happened: what is computed anew might be another one.
func (m *Machine) again(step *Step, path string) (Sent, bool) {
	sent, kept := m.state.Unsure[path]
	return sent, kept && step == nil && m.state.Step(path) != nil
}

// number gives the number of a call that is the same as one that may have
// happened; 0 is that of a new one.
func (m *Machine) number(path string, args map[string]any) int64 {
	sent, kept := m.state.Unsure[path]
	if expr.Canonical(args); kept && reflect.DeepEqual(sent.Args, args) {
		return sent.Number
	}
	return 0
}

// heldBack notes, once, why a step that was to be tried again is not.
func (m *Machine) heldBack(step *Step, path, why string) {
	because := "; it is not tried again by itself, because " + why
	if strings.HasSuffix(step.Error, because) {
		return
	}
	m.failure.message = step.Error + because
	m.emit(&StepEnded{Step: path, Status: Failed, Error: m.failure.message, Effect: step.Effect})
}
