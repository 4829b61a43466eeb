package flow_test

import (
	"strings"
	"testing"

	"woolsignal/core/flow"
)

// TestAnOldWordIsNamedWithTheNewOne writes files with a word of before: that is
// the only problem, and its fix leaves none.
func TestAnOldWordIsNamedWithTheNewOne(t *testing.T) {
	for old, c := range map[string]struct{ steps, says string }{
		"respond": {"  - respond: {status: 201}\n", "respond is called answer_caller now"},
		"stop":    {"  - stop: {because: enough}\n", "stop is called end_run now"},
		"using": {"  - decide:\n      cases: [{judge: damp, going_by: x, gives: {a: b}}]\n" +
			"      using: medium\n      otherwise: {gives: {a: c}}\n", "using is called model now"},
		"using of a tool": {"  - tool: slots/find\n    fill: {day: which}\n    using: medium\n",
			"using is called fill_model now"},
		"about": {"  - decide:\n      cases: [{judge: damp, about: x, gives: {a: b}}]\n" +
			"      otherwise: {gives: {a: c}}\n", "about is called going_by now"},
		"on": {"  - wait:\n      hear: {webhook: {path: a, verify: key}, on: x}\n      give_up_after: 1d\n",
			"on is called answering now"},
		"at_most": {"  - repeat:\n      gives: {n: '${index}'}\n      till: last.n > 1\n      at_most: 4\n",
			"at_most is called rounds_at_most now"},
		"at_most of a wait": {"  - wait:\n      hear: {webhook: {path: a, verify: key}, answering: x}\n" +
			"      at_most: 1d\n", "at_most is called give_up_after now"},
		"of":      {"  - review: {of: owner, show: x}\n", "of is called ask now"},
		"timeout": {"  - timeout: 1h\n    label: {as: [x]}\n", "timeout is called within now"},
		"else": {"  - decide:\n      cases: [{when: 'true', gives: {a: b}}]\n      else: {gives: {a: c}}\n",
			"else is called otherwise now"},
		"hint": {"  - question: {text: 'How much?', hint: Digits.}\n", "hint is called not_valid now"},
		"times": {"  - retry: {times: 2}\n    label: {as: [x]}\n",
			"times is called tries now, and counts the first try"},
	} {
		files := withSteps(c.steps)
		_, problems := flow.Decode(files)
		if len(problems) != 1 || problems[0].What != c.says || problems[0].Fix == nil {
			t.Errorf("%s: %v, want %q alone, with a fix", old, problems, c.says)
			continue
		}
		p := problems[0]
		lines := strings.Split(files[p.File], "\n")
		line := lines[p.Fix.Line-1]
		lines[p.Fix.Line-1] = line[:p.Fix.Column-1] + p.Fix.Text + line[p.Fix.End-1:]
		files[p.File] = strings.Join(lines, "\n")
		if _, problems := flow.Decode(files); len(problems) > 0 {
			t.Errorf("%s, mended: %v", old, problems)
		}
	}
}

// TestWhatIsSaidInAnotherWayIsTold writes limits as they once were.
func TestWhatIsSaidInAnotherWayIsTold(t *testing.T) {
	files := withSteps("  - label: {as: [x]}\n")
	files["workflows/intake.yaml"] = strings.Replace(files["workflows/intake.yaml"], "steps:\n",
		"limits: {key: '${signal.body.grower}', at_once_per_key: 1, debounce: 30s}\nsteps:\n", 1)
	_, problems := flow.Decode(files)
	if len(problems) != 3 {
		t.Fatalf("%v, want one for each", problems)
	}
	for _, p := range problems {
		if !strings.HasSuffix(p.What, "is said in another way now") ||
			!strings.HasPrefix(p.Remedy, "write same: {by: …") {
			t.Error(p)
		}
	}
	files["workflows/intake.yaml"] = strings.Replace(files["workflows/intake.yaml"],
		"{key: '${signal.body.grower}', at_once_per_key: 1, debounce: 30s}",
		"{same: {by: '${signal.body.grower}'}}", 1)
	if _, problems := flow.Decode(files); len(problems) != 1 ||
		problems[0].What != "nothing is said of runs that are about the same" {
		t.Errorf("limits that limit nothing: %v", problems)
	}
}

// TestAToolOfAnotherNameIsNamed writes a tool's old name, and a slip of the pen.
func TestAToolOfAnotherNameIsNamed(t *testing.T) {
	for wrong, right := range map[string]string{"models/post_message": "models/write_in", "models/fnd": "models/find"} {
		files := withSteps("  - id: a\n    tool: " + wrong + "\n")
		w, _ := flow.Decode(files)
		problems := w.Check(catalogue, "models/find", "models/write_in", "other/fnd")
		if len(problems) != 1 || problems[0].Fix == nil || problems[0].Fix.Text != right ||
			problems[0].What != "there is no tool "+wrong {
			t.Errorf("%s: %v, want %s as the fix", wrong, problems, right)
		}
	}
}
