package engine

import (
	"testing"

	"woolsignal/core/run"
)

// TestARunThatEndedHasEndedWhateverComesBehind has an entry behind the one a run ended with fail
// before anybody goes on from the end: who waits behind it begins, and its failure is told.
func TestARunThatEndedHasEndedWhateverComesBehind(t *testing.T) {
	e, bed := workshop(t, map[string]string{
		"fails": "limits: {at_once: 1}\n" + callable + "steps:\n  - review: {ask: owner, show: hello}\n" +
			"  - end_run: {outcome: failed, because: wet}\n",
		"told": "triggers:\n  - {id: f, failure: {}}\nsteps:\n  - label: {as: [told]}\n"})
	first := call(t, e, "fails", nil)
	review := becomes(t, e, first, run.Waiting).Reviews
	second := call(t, e, "fails", nil)
	l := e.runs.hold(first)
	defer e.runs.release(l)
	for id := range review {
		var a advance
		if err := e.moveOnce(t.Context(), l, &a, &run.Decided{Review: id, Choice: run.Approve, By: ines},
			nextBatch); err != nil {
			t.Fatal(err)
		}
		if err := <-a.durable; err != nil {
			t.Fatal(err)
		}
		l.mu.Lock()
		l.state = nil // as where an entry behind it was skipped
		l.mu.Unlock()
		e.written(l, a)
	}
	becomes(t, e, second, run.Waiting)
	await(t, "the failure is told", func() bool {
		return counted(t, bed, "SELECT count(*) FROM labels WHERE label = 'told'") == 1
	})
}
