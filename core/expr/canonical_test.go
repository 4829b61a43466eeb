package expr_test

import (
	"math"
	"reflect"
	"testing"

	"woolsignal/core/expr"
)

// TestCanonicalLeavesWhatItWasGiven holds values of every form that changes,
// at every depth, against what they were before.
func TestCanonicalLeavesWhatItWasGiven(t *testing.T) {
	given := func() map[string]any {
		return map[string]any{"kg": 4.0, "fleeces": []any{1.0, "wet\xff", map[string]any{"n": math.Inf(1)}},
			"farm\xff": "Nettlecote", "same": []any{"a", int64(1)}}
	}
	v := given()
	want := map[string]any{"kg": int64(4), "fleeces": []any{int64(1), "wet\uFFFD", map[string]any{"n": "Infinity"}},
		"farm\uFFFD": "Nettlecote", "same": []any{"a", int64(1)}}
	if got := expr.Canonical(v); !reflect.DeepEqual(got, want) {
		t.Errorf("its form is %v, want %v", got, want)
	}
	if got := expr.CanonicalMap(v); !reflect.DeepEqual(got, want) {
		t.Errorf("as a map its form is %v, want %v", got, want)
	}
	if !reflect.DeepEqual(v, given()) {
		t.Errorf("what was given is now %v", v)
	}
}

// TestCanonicalGivesBackWhatHasItsForm copies nothing without a need: runs
// pass the same values many times.
func TestCanonicalGivesBackWhatHasItsForm(t *testing.T) {
	v := map[string]any{"a": []any{int64(1), "b"}, "c": nil}
	if n := testing.AllocsPerRun(10, func() { expr.CanonicalMap(v) }); n > 0 {
		t.Errorf("a value in its form is copied: %v allocations", n)
	}
}
