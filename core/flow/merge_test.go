package flow_test

import (
	"strings"
	"testing"

	"woolsignal/core/flow"
	"woolsignal/core/fuzztest"
)

const merged = `workflow: walks
title: Walks
# what is worked out
inputs:
  type: object
steps:
  - id: one
    compute:
      a: 1
  - id: many
    each:
      of: signal.body.list
      do:
        - id: inner
          compute:
            b: 2
        - id: other
          compute:
            c: 3
      gives:
        b: ${inner.b}
  - id: tail
    compute:
      d: 4
`

// TestChangesToDifferentStepsBothStand merges what two people did to the same
// text at once, whichever of the two was first.
func TestChangesToDifferentStepsBothStand(t *testing.T) {
	changes := map[string][2]string{
		"title":           {"title: Walks", "title: Long walks"},
		"first step":      {"a: 1", "a: 10"},
		"inner step":      {"b: 2", "b: 20"},
		"next inner step": {"c: 3", "c: 30"},
		"tail of outer":   {"b: ${inner.b}", "b: ${inner.b}\n        c: ${other.c}"},
		"last step":       {"d: 4", "d: 40"},
		"step removed":    {"  - id: tail\n    compute:\n      d: 4\n", ""},
		"step added":      {"  - id: tail\n", "  - id: new\n    compute:\n      e: 5\n  - id: tail\n"},
	}
	for mine, m := range changes {
		for theirs, o := range changes {
			a, b := strings.Replace(merged, o[0], o[1], 1), strings.Replace(merged, m[0], m[1], 1)
			got, clashes := flow.Merge(merged, a, b, flow.PreferNone)
			const same = "last step removed"
			clash := mine != theirs && strings.Contains(same, mine) && strings.Contains(same, theirs)
			switch {
			case clash && len(clashes) != 1:
				t.Errorf("%s and %s: %d clashes", mine, theirs, len(clashes))
			case clash:
				continue
			case len(clashes) > 0:
				t.Errorf("%s and %s clash: %+v", mine, theirs, clashes)
			case mine == theirs && got != a:
				t.Errorf("%s by both became %s", mine, got)
			case mine != theirs && (!strings.Contains(got, firstLine(m[1])) || !strings.Contains(got, firstLine(o[1]))):
				t.Errorf("%s and %s became\n%s", mine, theirs, got)
			}
			if _, problems := flow.DecodeWorkflow("workflows/walks.yaml", got); len(problems) > 0 {
				t.Errorf("%s and %s: %v", mine, theirs, problems)
			}
		}
	}
}

func firstLine(s string) string { return strings.SplitN(s, "\n", 2)[0] }

// TestTheSameStepClashes shows both texts of a step that two changed, and
// takes the one that is preferred.
func TestTheSameStepClashes(t *testing.T) {
	theirs := strings.Replace(strings.Replace(merged, "a: 1", "a: 11", 1), "d: 4", "d: 44", 1)
	mine := strings.Replace(strings.Replace(merged, "a: 1", "a: 12", 1), "b: 2", "b: 22", 1)
	got, clashes := flow.Merge(merged, theirs, mine, flow.PreferNone)
	if got != "" || len(clashes) != 1 || !strings.Contains(clashes[0].Mine, "a: 12") ||
		!strings.Contains(clashes[0].Theirs, "a: 11") || strings.Contains(clashes[0].Mine, "b: 22") {
		t.Fatalf("%q %+v", got, clashes)
	}
	for prefer, want := range map[flow.Prefer]string{flow.PreferMine: "a: 12", flow.PreferTheirs: "a: 11"} {
		got, _ := flow.Merge(merged, theirs, mine, prefer)
		if !strings.Contains(got, want) || !strings.Contains(got, "b: 22") || !strings.Contains(got, "d: 44") {
			t.Errorf("%s: %s", prefer, got)
		}
	}
}

// TestATextThatCannotBeReadClashesAsAWhole keeps a broken text apart from what
// another did meanwhile.
func TestATextThatCannotBeReadClashesAsAWhole(t *testing.T) {
	broken := "workflow: [walks\n"
	if got, clashes := flow.Merge(merged, merged, broken, flow.PreferNone); got != broken || len(clashes) > 0 {
		t.Errorf("%q %+v", got, clashes)
	}
	theirs := strings.Replace(merged, "a: 1", "a: 11", 1)
	_, clashes := flow.Merge(merged, theirs, broken, flow.PreferNone)
	if len(clashes) == 0 {
		t.Error("a broken text was merged")
	}
}

// FuzzMerge merges whatever: what one side alone changed is what stands.
func FuzzMerge(fuzzed *testing.F) {
	f := fuzztest.New(fuzzed)
	f.Add(merged, strings.Replace(merged, "a: 1", "a: 2", 1))
	f.Add("steps: [", "\n \n- x")
	f.Fuzz(func(t *testing.T, from, to string) {
		for _, pair := range [][2]string{{from, to}, {to, from}, {to, to}} {
			if got, clashes := flow.Merge(from, pair[0], pair[1], flow.PreferNone); got != to || len(clashes) > 0 {
				t.Fatalf("%q and %q became %q, %+v", pair[0], pair[1], got, clashes)
			}
		}
	})
}
