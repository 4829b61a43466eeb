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

// weigh has a model hold every judged case against what it is about.
func (d *Decide) weigh(at *run.At) (map[int]agent.Verdict, run.Outcome) {
	var b strings.Builder
	b.WriteString(agent.HowToWeigh)
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
		answer: &flow.Schema{Doc: agent.VerdictSchema(len(judged))}}
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
	about := any("")
	if c.About != nil {
		if about, err = c.About.Eval(scope); err != nil {
			return nil, fmt.Errorf("going_by: %w", err)
		}
	}
	b.WriteString(agent.Criterion(number, expr.Text(criterion), expr.Text(about)))
	files, err := filesOf(c.Files, scope)
	for _, f := range files {
		fmt.Fprintf(b, "About the file %s, which is shown.\n", agent.Line(f.Name))
	}
	return files, err
}

// verdictsOf reads a model's verdicts, by case.
func verdictsOf(answer any, judged []int) map[int]agent.Verdict {
	out := map[int]agent.Verdict{}
	for n, v := range agent.Verdicts(answer) {
		if n < len(judged) {
			out[judged[n]] = v
		}
	}
	return out
}
