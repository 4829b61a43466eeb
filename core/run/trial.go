package run

import (
	"maps"
	"slices"
	"time"

	"woolsignal/core/agent"
	"woolsignal/core/flow"
)

// Trial says how a draft is tried: how far, and what of it is real.
type Trial struct {
	Until  string               `json:"until,omitempty"`  // the path of the step it ends behind; "" is the last
	Really []string             `json:"really,omitempty"` // tools that change things all the same
	Gives  map[string]Pretended `json:"gives,omitempty"`  // what calls give that are held back; see [Trial.pretends]
	Hurry  bool                 `json:"hurry,omitempty"`  // waits end at once, as if their time had come
	At     time.Time            `json:"at,omitzero"`      // what the time is taken to be at first; zero is now
	By     string               `json:"by,omitempty"`     // the e-mail of who tries: nobody else is asked anything
}

// Pretended is what a call that was held back gives all the same, so that what
// follows can be tried.
type Pretended struct {
	Value  any  `json:"value"`
	MadeUp bool `json:"made_up,omitempty"` // else it is what the tool once gave
	Echo   bool `json:"echo,omitempty"`    // what is given under the name of an argument is that argument
}

// with puts the arguments of a call in, where it echoes.
func (p Pretended) with(args any) any {
	given, is := args.(map[string]any)
	value, many := p.Value.(map[string]any)
	if !p.Echo || !is || !many {
		return p.Value
	}
	out := maps.Clone(value)
	for name := range out {
		if arg, there := given[name]; there {
			out[name] = arg
		}
	}
	return out
}

// Held says that a step's call was held back, and what it gave in its place.
type Held string

// How a call is held back.
const (
	HeldLast   Held = "last"    // it gave what it last gave
	HeldMadeUp Held = "made_up" // it gave what somebody made up
	HeldBare   Held = "nothing" // it gave only that it was held back
)

// pretends is what a call gives that is held back: what is said for its step, by
// its path, else for its tool.
func (t Trial) pretends(path, tool string, args any) (any, Held) {
	for _, name := range []string{path, tool} {
		p, said := t.Gives[name]
		switch {
		case !said:
		case p.MadeUp:
			return p.with(args), HeldMadeUp
		default:
			return p.Value, HeldLast
		}
	}
	return map[string]any{"held_back": true}, HeldBare
}

// trial is how the run is tried, or the run that called it; nil where it is no try.
func (s *State) trial() *Origin {
	if s.Origin == nil || s.Origin.Kind != OfTry && !(s.Origin.Kind == OfCall && s.Origin.Held) {
		return nil
	}
	return s.Origin
}

// whom gives who is asked: in a try whoever tries, and nobody else.
func (m *machine) whom(of string) string {
	if t := m.state.trial(); t != nil && t.Trial.By != "" {
		return t.Trial.By
	}
	return of
}

// Holds tells whether nothing outside may be changed.
func (at *At) Holds() bool { return at.m.state.Origin != nil && at.m.state.Origin.Held }

// HoldsBack tells whether a call of a tool is held back.
func (at *At) HoldsBack(tool flow.Tool) bool {
	return at.Holds() && !tool.ReadOnly && !slices.Contains(at.m.state.Origin.Trial.Really, tool.Name)
}

// EndHeld finishes a step whose call is held back. The tool is "" for a call of
// another workflow.
func (at *At) EndHeld(tool string, input any) Outcome {
	output, held := at.m.state.Origin.Trial.pretends(at.Path, tool, input)
	at.Emit(&StepEnded{Step: at.Path, Status: Done, Input: input, Output: output, Held: held})
	return Finished
}

// staying are an agent's own tools whose effect stays in the run, and so in a try.
var staying = []string{flow.PlanTool, "self/label", "self/call_person"}

// holdsCall tells whether an agent's call is held back. A helper holds back itself.
func (at *At) holdsCall(c *agent.Call) bool {
	spec, there := at.m.def.Tools(c.Tool)
	kind, _, _ := flow.CompanyTool(c.Tool)
	return there && at.HoldsBack(spec) && kind != flow.HelperTools && !slices.Contains(staying, c.Tool)
}

// LetGo makes an agent's call, or holds it back.
func (at *At) LetGo(a *flow.Agent, c *agent.Call) { at.m.letGo(at.Did, a, c) }

// HoldCall answers an agent's call of a tool that is held back.
func (at *At) HoldCall(c *agent.Call) {
	held := *c
	if held.Began.IsZero() {
		held.Began = at.m.now
	}
	held.Result, _ = at.m.state.Origin.Trial.pretends(at.Path+" "+c.Tool, c.Tool, c.Args)
	held.State, held.Ended, held.Held = agent.Done, at.m.now, true
	at.Emit(&CallChanged{Step: at.Path, Call: &held})
}

// Moment is what the time is taken to be: what it is, but in a try.
func (at *At) Moment() time.Time { return at.m.moment() }

func (m *machine) moment() time.Time { return m.now.Add(m.state.Ahead) }

// Hurries tells whether waits end at once.
func (at *At) Hurries() bool {
	t := at.m.state.trial()
	return t != nil && t.Trial.Hurry
}

// Hurry lets the time a step waits for be now.
func (at *At) Hurry(until time.Time) {
	if by := until.Sub(at.Moment()); by > 0 {
		at.Emit(&TimeHurried{By: by})
	}
}

// endsBehind tells whether a try ends behind a step that is finished.
func (m *machine) endsBehind(def *flow.Step) bool {
	t := m.state.trial()
	if t == nil || t.Trial.Until == "" {
		return false
	}
	last, err := m.def.stepAt(t.Trial.Until)
	return err == nil && last == def
}
