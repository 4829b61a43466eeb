package step

import (
	"fmt"
	"slices"
	"strings"

	"woolsignal/core/agent"
	"woolsignal/core/expr"
	"woolsignal/core/flow"
	"woolsignal/core/run"
)

// verdict is what a model says of one judged case.
type verdict struct {
	holds      bool
	confidence float64
	reason     string
}

// weigh has a model hold every judged case against what it is about.
func (d *Decide) weigh(at *run.At) (map[int]verdict, run.Outcome) {
	var b strings.Builder
	b.WriteString("Hold each criterion against what it is about. Say whether it holds, how sure you are from 0 to " +
		"1, and the reason in one sentence.\n")
	var judged []int
	var files []agent.File
	for i := range d.Cases {
		c := &d.Cases[i]
		if c.Judge == nil {
			continue
		}
		judged = append(judged, i)
		shown, err := c.put(&b, len(judged), at.Scope)
		if err != nil {
			return nil, at.Fail("case %d, %v", i+1, err)
		}
		for _, f := range shown {
			if !slices.Contains(files, f) {
				files = append(files, f)
			}
		}
	}
	q := inquiry{model: d.Using, task: "You weigh criteria for a workflow.", prompt: b.String(), files: files,
		answer: verdictSchema(len(judged))}
	answer, out := q.consult(at)
	if out != run.Finished {
		return nil, out
	}
	return verdictsOf(answer, judged), run.Finished
}

// put writes a criterion and what it is about, and gives the files that are shown.
func (c *Case) put(b *strings.Builder, number int, scope expr.Scope) ([]agent.File, error) {
	criterion, err := c.Judge.Eval(scope)
	if err != nil {
		return nil, fmt.Errorf("judge: %w", err)
	}
	fmt.Fprintf(b, "\nCriterion %d: %s\n", number, strings.TrimSpace(expr.Text(criterion)))
	if c.About != nil {
		about, err := c.About.Eval(scope)
		if err != nil {
			return nil, fmt.Errorf("going_by: %w", err)
		}
		fmt.Fprintf(b, "About: %s\n", expr.Text(about))
	}
	files, err := filesOf(c.Files, scope)
	for _, f := range files {
		fmt.Fprintf(b, "About the file %s, which is shown.\n", f.Name)
	}
	return files, err
}

// verdictsOf reads a model's verdicts, by case.
func verdictsOf(answer any, judged []int) map[int]verdict {
	fields, _ := answer.(map[string]any)
	list, _ := fields["verdicts"].([]any)
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
	return verdicts
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
func verdictSchema(count int) *flow.Schema {
	return &flow.Schema{Doc: map[string]any{"type": "object", "additionalProperties": false,
		"required": []any{"verdicts"},
		"properties": map[string]any{
			"verdicts": map[string]any{"type": "array", "minItems": count, "maxItems": count, "items": map[string]any{
				"type": "object", "additionalProperties": false, "required": []any{"holds", "confidence", "reason"},
				"properties": map[string]any{
					"holds": map[string]any{"type": "boolean", "description": "whether the criterion holds"},
					"confidence": map[string]any{"type": "number", "minimum": 0, "maximum": 1,
						"description": "how sure this is, from 0 to 1"},
					"reason": map[string]any{"type": "string", "description": "one sentence"},
				}}}}}}
}
