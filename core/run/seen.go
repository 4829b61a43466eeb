package run

import (
	"maps"
	"time"

	"woolsignal/core/expr"
	"woolsignal/core/flow"
)

// Revealing is a kind of step whose blocks see more than what is around it,
// such as the item they are entered for.
type Revealing interface {
	SeenInside(did *Step, block flow.BlockName) map[string]any
}

// Seen is what the steps of a run could read, for showing it: values by name.
type Seen map[string]any

// SeenByAll is what every step of a run sees.
func (s *State) SeenByAll(zone *time.Location) Seen {
	out := Seen{"signal": s.Signal.value(zone)}
	if s.Signal.Kind == "called" {
		out["inputs"] = s.Signal.Body
	}
	return out
}

// SeenInside is what is seen in a block of a step, which began.
func (s Seen) SeenInside(def *flow.Step, did *Step, block flow.BlockName) Seen {
	out := maps.Clone(s)
	if r, reveals := def.Does.(Revealing); reveals {
		maps.Copy(out, r.SeenInside(did, block))
	}
	return out
}

// Value follows a path; there is false where it leads nowhere.
func (s Seen) Value(path []string) (v any, there bool) {
	if v, there = s[path[0]]; !there {
		return nil, false
	}
	if o, optional := v.(expr.Optional); optional {
		v, there = o.Value, o.There
	}
	for _, name := range path[1:] {
		m, is := v.(map[string]any)
		if !is {
			return nil, false
		}
		if v, there = m[name]; !there {
			return nil, false
		}
	}
	return v, there
}
