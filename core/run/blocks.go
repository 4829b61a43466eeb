package run

import (
	"fmt"
	"maps"

	"woolsignal/core/expr"
	"woolsignal/core/flow"
)

// mostItems is how long a list each can go through.
const mostItems = 100_000

// plainBlock groups steps under one title.
func (m *Machine) plainBlock(def *flow.Step, step *Step, path string, scope expr.Scope) outcome {
	if step == nil {
		m.emit(&BlockEntered{Step: path, Block: BlockName{Word: flow.InsideBlock}})
		if step = m.state.Step(path); step == nil {
			return over
		}
	}
	gives, out := m.through(def.Block, step.block(BlockName{Word: flow.InsideBlock}), path, maps.Clone(scope.Names))
	switch out {
	case failed:
		return m.outwards(def, path)
	case finished:
		m.emit(&BlockLeft{Step: path, Block: BlockName{Word: flow.InsideBlock}, Status: Done})
		return m.end(def, path, nil, gives)
	}
	return out
}

// each does the same for every item of a list. One item's failure does not
// sink the rest.
func (m *Machine) each(def *flow.Step, step *Step, path string, scope expr.Scope) outcome {
	if step == nil {
		if out := m.beginEach(def, path, scope); out != finished {
			return out
		}
		if step = m.state.Step(path); step == nil {
			return over
		}
	}
	input, _ := step.Input.(map[string]any)
	list, _ := input["of"].([]any)
	open := 0
	for i := 0; i < len(list); i++ {
		if i >= len(step.Inside) {
			if open >= def.Each.AtOnce {
				break
			}
			m.emit(&BlockEntered{Step: path, Block: BlockName{Word: flow.ItemBlock, Number: i + 1}})
		}
		if m.broken != nil {
			return over
		}
		frame := step.Inside[i]
		if frame.Status != "" {
			continue
		}
		names := maps.Clone(scope.Names)
		names["item"], names["index"] = list[i], int64(i)
		enough, out := m.way(&def.Each.Block, frame, path, names, def.Each.Enough)
		switch {
		case out == over:
			return over
		case out == blocked:
			open++
		case enough:
			m.cancelInside(step, "another was enough")
			return m.endEach(def, step, path, list, i)
		}
	}
	if open > 0 {
		return blocked
	}
	return m.endEach(def, step, path, list, -1)
}

func (m *Machine) beginEach(def *flow.Step, path string, scope expr.Scope) outcome {
	v, err := def.Each.Of.Eval(scope)
	if err != nil {
		return m.fail(def, path, "of: "+err.Error())
	}
	list, ok := v.([]any)
	if !ok {
		return m.fail(def, path, fmt.Sprintf("of: %s is %s, and each goes through a list", def.Each.Of.Source, expr.Kind(v)))
	}
	if len(list) > mostItems {
		return m.fail(def, path, fmt.Sprintf("of: the list has %d items, and each goes through %d at most", len(list), mostItems))
	}
	if err := tooLarge("the list", list); err != nil {
		return m.fail(def, path, err.Error())
	}
	m.emit(&StepBegan{Step: path, Input: map[string]any{"of": list}})
	return finished
}

// way goes on with one item, branch or round and closes it where it ends.
// enough tells whether what it gives ends the others.
func (m *Machine) way(def *flow.Block, frame *Frame, path string, names map[string]any, enough *flow.Expression) (bool, outcome) {
	gives, out := m.through(def, frame, path, names)
	if out == finished && enough != nil {
		names["value"] = gives
		holds, err := enough.Holds(m.scope(names))
		if err == nil {
			m.emit(&BlockLeft{Step: path, Block: frame.Name, Status: Done, Gives: gives})
			return holds, finished
		}
		m.failure = &failure{message: "enough: " + err.Error(), step: fmt.Sprintf("the block on line %d", def.At.Line), kind: "block", tries: 1}
		out = failed
	}
	switch out {
	case finished:
		m.emit(&BlockLeft{Step: path, Block: frame.Name, Status: Done, Gives: gives})
	case failed:
		m.cancelFrame(frame, "a step beside it failed")
		m.emit(&BlockLeft{Step: path, Block: frame.Name, Status: Failed, Error: m.failure.step + ": " + m.failure.message})
	}
	return false, out
}

func (m *Machine) endEach(def *flow.Step, step *Step, path string, list []any, first int) outcome {
	results, failures := make([]any, len(list)), []any{}
	for i, frame := range step.Inside {
		if i >= len(list) {
			break
		}
		switch frame.Status {
		case Done:
			results[i] = frame.Gives
		case Failed:
			failures = append(failures, map[string]any{"index": int64(i), "item": list[i], "message": frame.Error})
		}
	}
	out := map[string]any{"results": results, "failures": failures}
	if def.Each.First {
		out["first"] = any(nil)
		if first >= 0 {
			out["first"] = results[first]
		}
	}
	return m.end(def, path, nil, out)
}

// together goes several ways at once.
func (m *Machine) together(def *flow.Step, step *Step, path string, scope expr.Scope) outcome {
	for i := range def.Together.Branches {
		if step == nil || i >= len(step.Inside) {
			m.emit(&BlockEntered{Step: path, Block: BlockName{Word: flow.WayBlock, Number: i + 1}})
			if step = m.state.Step(path); m.broken != nil || step == nil {
				return over
			}
		}
	}
	open, done := 0, 0
	for i := range def.Together.Branches {
		frame := step.Inside[i]
		if frame.Status == "" {
			enough, out := m.way(&def.Together.Branches[i].Block, frame, path, maps.Clone(scope.Names), def.Together.Enough)
			switch {
			case out == over:
				return over
			case out == blocked:
				open++
			case enough:
				m.cancelInside(step, "another was enough")
				return m.endTogether(def, step, path, def.Together.Branches[i].ID)
			}
		}
		if frame.Status == Done {
			done++
		}
		if frame.Status == Failed && !def.Together.First {
			m.cancelInside(step, "a way beside it failed")
			return m.fail(def, path, def.Together.Branches[i].ID+": "+frame.Error)
		}
	}
	switch {
	case open > 0:
		return blocked
	case done == 0:
		return m.fail(def, path, "every way failed, the last because of "+step.Inside[len(step.Inside)-1].Error)
	case def.Together.First:
		return m.endTogether(def, step, path, "")
	}
	return m.endTogether(def, step, path, "")
}

func (m *Machine) endTogether(def *flow.Step, step *Step, path, first string) outcome {
	out := map[string]any{}
	for i, b := range def.Together.Branches {
		if step.Inside[i].Status == Done {
			out[b.ID] = step.Inside[i].Gives
		}
	}
	if def.Together.First {
		out["first"] = any(nil)
		if first != "" {
			out["first"] = first
		}
	}
	return m.end(def, path, nil, out)
}

// repeat goes round until it is enough.
func (m *Machine) repeat(def *flow.Step, step *Step, path string, scope expr.Scope) outcome {
	for n := 0; ; n++ {
		if step == nil || n >= len(step.Inside) {
			m.emit(&BlockEntered{Step: path, Block: BlockName{Word: flow.RoundBlock, Number: n + 1}})
			if step = m.state.Step(path); m.broken != nil || step == nil {
				return over
			}
		}
		frame := step.Inside[n]
		if frame.Status == Done {
			continue // the round after it is already there, or is begun next
		}
		names := maps.Clone(scope.Names)
		names["index"] = int64(n)
		last := expr.Optional{}
		if n > 0 {
			last = expr.Optional{Value: step.Inside[n-1].Gives, There: true}
		}
		names["last"] = last
		gives, out := m.through(&def.Repeat.Block, frame, path, names)
		if out == failed {
			return m.outwards(def, path)
		}
		if out != finished {
			return out
		}
		m.emit(&BlockLeft{Step: path, Block: frame.Name, Status: Done, Gives: gives})
		names["last"] = gives
		holds, err := def.Repeat.Till.Holds(m.scope(names))
		switch {
		case err != nil:
			return m.fail(def, path, "till: "+err.Error())
		case holds:
			result := maps.Clone(gives)
			result["times"] = int64(n + 1)
			return m.end(def, path, nil, result)
		case n+1 >= def.Repeat.AtMost:
			return m.fail(def, path, fmt.Sprintf("it went round %d times, and %s never held", n+1, def.Repeat.Till.Source))
		}
	}
}
