package run

import (
	"fmt"
	"maps"
	"strings"

	"woolsignal/core/expr"
	"woolsignal/core/flow"
)

// decide takes the first case that holds.
func (m *Machine) decide(def *flow.Step, step *Step, path string, scope expr.Scope) outcome {
	if step == nil || step.Block.IsZero() {
		if out := m.choose(def, step, path, scope); out != finished {
			return out
		}
		if step = m.state.Step(path); step == nil || step.Status == Done {
			return finished // no case holds, and there is no else
		}
	}
	branch, frame := def.BlockAt(step.Block), step.block(step.Block)
	if branch == nil || frame == nil {
		return m.fail(def, path, "the decision has no way called "+step.Block.String())
	}
	gives, out := m.through(branch, frame, path, maps.Clone(scope.Names))
	switch out {
	case failed:
		return m.outwards(def, path)
	case finished:
		m.emit(&BlockLeft{Step: path, Block: step.Block, Status: Done})
		gives["case"], gives["reason"], gives["confidence"] = caseName(step.Block), step.Reason, step.Confidence
		return m.end(def, path, nil, gives)
	}
	return out
}

// outwards fails a step because of one inside it.
func (m *Machine) outwards(def *flow.Step, path string) outcome {
	return m.fail(def, path, m.failure.step+": "+m.failure.message)
}

// caseName is what a decision gives as case: its number from 1, else, or unsure.
func caseName(block BlockName) any {
	if block.Number > 0 {
		return int64(block.Number)
	}
	return block.Word
}

// verdict is what a model says of one judged case.
type verdict struct {
	holds      bool
	confidence float64
	reason     string
}

// choose finds the case to take. Rules before the first judged case cost
// nothing; all judged cases are weighed in one call.
func (m *Machine) choose(def *flow.Step, step *Step, path string, scope expr.Scope) outcome {
	d := def.Decide
	if step != nil && step.Agent != nil { // what held before a model was asked still does
		scope.Now = step.Agent.Began
	}
	var verdicts map[int]verdict
	for i := range d.Cases {
		c := &d.Cases[i]
		if c.When != nil {
			holds, err := c.When.Holds(scope)
			if err != nil {
				return m.fail(def, path, fmt.Sprintf("case %d: %v", i+1, err))
			}
			if holds {
				return m.takeCase(path, BlockName{Word: flow.CaseBlock, Number: i + 1}, verdict{confidence: 1})
			}
			continue
		}
		if verdicts == nil {
			out := finished
			if verdicts, out = m.weigh(def, step, path, scope); out != finished {
				return out
			}
			step = m.state.Step(path)
		}
		v := verdicts[i]
		if !v.holds {
			continue
		}
		if v.confidence >= d.Floor {
			return m.takeCase(path, BlockName{Word: flow.CaseBlock, Number: i + 1}, v)
		}
		if d.Unsure != nil {
			return m.takeCase(path, BlockName{Word: flow.UnsureBlock}, v)
		}
		break // as sure as else
	}
	if d.Else == nil {
		return m.end(def, path, nil, map[string]any{"case": nil, "reason": "", "confidence": int64(1)})
	}
	return m.takeCase(path, BlockName{Word: flow.ElseBlock}, leastSure(verdicts))
}

// leastSure is how sure it is that no judged case holds.
func leastSure(verdicts map[int]verdict) verdict {
	out := verdict{confidence: 1}
	for _, v := range verdicts {
		if v.confidence < out.confidence {
			out = v
		}
	}
	return out
}

func (m *Machine) takeCase(path string, block BlockName, v verdict) outcome {
	m.emit(&BlockEntered{Step: path, Block: block, Reason: v.reason, Confidence: v.confidence})
	return finished
}

// weigh has a model hold every judged case against what it is about.
func (m *Machine) weigh(def *flow.Step, step *Step, path string, scope expr.Scope) (map[int]verdict, outcome) {
	var b strings.Builder
	b.WriteString("Hold each criterion against what it is about. Say whether it holds, how sure you are from 0 to 1, and the reason in one sentence.\n")
	var judged []int
	for i := range def.Decide.Cases {
		c := &def.Decide.Cases[i]
		if c.Judge == nil {
			continue
		}
		judged = append(judged, i)
		criterion, err := c.Judge.Eval(scope)
		if err != nil {
			return nil, m.fail(def, path, fmt.Sprintf("case %d, judge: %v", i+1, err))
		}
		fmt.Fprintf(&b, "\nCriterion %d: %s\n", len(judged), strings.TrimSpace(expr.Text(criterion)))
		if c.About != nil {
			about, err := c.About.Eval(scope)
			if err != nil {
				return nil, m.fail(def, path, fmt.Sprintf("case %d, about: %v", i+1, err))
			}
			fmt.Fprintf(&b, "About: %s\n", expr.Text(about))
		}
	}
	answer, out := m.consult(def, step, path, question{model: def.Decide.Using, task: "You weigh criteria for a workflow.", prompt: b.String(), answer: verdictSchema(len(judged))})
	if out != finished {
		return nil, out
	}
	list, _ := answer.(map[string]any)["verdicts"].([]any)
	verdicts := map[int]verdict{}
	for n, item := range list {
		v, _ := item.(map[string]any)
		if n >= len(judged) {
			break
		}
		holds, _ := v["holds"].(bool)
		reason, _ := v["reason"].(string)
		verdicts[judged[n]] = verdict{holds, asFloat(v["confidence"]), reason}
	}
	return verdicts, finished
}

func asFloat(v any) float64 {
	switch n := v.(type) {
	case int64:
		return float64(n)
	case float64:
		return n
	}
	return 0
}

// verdictSchema is what a judgement must look like: one verdict for each
// criterion, in their order.
func verdictSchema(count int) map[string]any {
	return map[string]any{"type": "object", "additionalProperties": false, "required": []any{"verdicts"}, "properties": map[string]any{
		"verdicts": map[string]any{"type": "array", "minItems": count, "maxItems": count, "items": map[string]any{
			"type": "object", "additionalProperties": false, "required": []any{"holds", "confidence", "reason"}, "properties": map[string]any{
				"holds":      map[string]any{"type": "boolean", "description": "whether the criterion holds"},
				"confidence": map[string]any{"type": "number", "minimum": 0, "maximum": 1, "description": "how sure this is, from 0 to 1"},
				"reason":     map[string]any{"type": "string", "description": "one sentence"},
			}}}}}
}
