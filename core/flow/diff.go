package flow

import (
	"strings"

	"github.com/pmezard/go-difflib/difflib"
)

// ScriptDiff is one line of a script that two versions have apart or in
// common.
type ScriptDiff struct {
	How  string `json:"how"` // same, added or removed
	Line string `json:"line"`
}

// DiffScripts tells two explained scripts apart, sentence by sentence.
func DiffScripts(from, to []Line) []ScriptDiff {
	a, b := sentences(from), sentences(to)
	out := []ScriptDiff{}
	put := func(how string, lines []string) {
		for _, l := range lines {
			out = append(out, ScriptDiff{how, l})
		}
	}
	for _, op := range difflib.NewMatcher(a, b).GetOpCodes() {
		if op.Tag == 'e' {
			put("same", b[op.J1:op.J2])
			continue
		}
		put("removed", a[op.I1:op.I2])
		put("added", b[op.J1:op.J2])
	}
	return out
}

// sentences writes lines with their depth; numbers are left out, since one
// step more changes them all.
func sentences(lines []Line) []string {
	out := make([]string, len(lines))
	for i, l := range lines {
		out[i] = strings.Repeat("  ", l.Depth) + l.Text()
	}
	return out
}

// DiffTexts gives the unified diff of a file; "" where it did not change.
func DiffTexts(path, from, to string) string {
	if from == to {
		return ""
	}
	text, err := difflib.GetUnifiedDiffString(difflib.UnifiedDiff{A: difflib.SplitLines(from),
		B: difflib.SplitLines(to), FromFile: path, ToFile: path, Context: 2})
	if err != nil {
		return err.Error()
	}
	return text
}
