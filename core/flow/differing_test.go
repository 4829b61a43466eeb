package flow_test

import (
	"slices"
	"testing"

	"woolsignal/core/flow"
)

func TestDiffering(t *testing.T) {
	now := map[string]string{"same": "a", "changed": "a", "gone": ""}
	next := map[string]string{"same": "a", "changed": "b", "new": ""}
	if got := flow.Differing(now, next); !slices.Equal(got, []string{"changed", "gone", "new"}) {
		t.Errorf("%q differ", got)
	}
	if got := flow.Differing(now, nil); len(got) != 3 {
		t.Errorf("of nothing %q differ", got)
	}
}
