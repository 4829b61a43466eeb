package run_test

import (
	"testing"

	"woolsignal/core/run"
)

// TestAnEndMayComeBeforeItsBeginning has a called run end before its caller was told
// that it began: the caller knows which run it was all the same, and is told nothing twice.
func TestAnEndMayComeBeforeItsBeginning(t *testing.T) {
	for text, want := range map[string]string{
		"  - call: other\n    inputs: {}\n":                   `done {"lane":"dry"}`,
		"  - call: other\n    await: false\n    inputs: {}\n": `done {"run":"child-1"}`,
	} {
		l := begin(t, script(t, text), delivery(int64(30), int64(4)))
		start := l.next()
		l.handle(start.Answer(&run.Returned{Result: map[string]any{"lane": "dry"}, Cost: 3, Child: "child-1"}))
		if got := l.output("0"); got != want || l.state.Step("0").Child != "child-1" {
			t.Errorf("%s: %s, by the run %q", text, got, l.state.Step("0").Child)
		}
		if l.state.Awaits(start) {
			t.Errorf("%s: it is to be started once more", text)
		}
	}
}

// TestARunsOwnMemoryIsReadOnceSomethingIsInIt has one agent asked twice in a run that is
// part of no conversation.
func TestARunsOwnMemoryIsReadOnceSomethingIsInIt(t *testing.T) {
	l := begin(t, script(t, "  - agent: clerk\n    task: one\n  - agent: clerk\n    task: two\n"),
		delivery(int64(30), int64(4)))
	first := l.pending[0].Task.(*run.Recall)
	l.recalls()
	l.says("One.")
	second := l.pending[0].Task.(*run.Recall)
	if first.Memory != "" || second.Memory == "" {
		t.Errorf("read first: %q, then: %q", first.Memory, second.Memory)
	}
}
