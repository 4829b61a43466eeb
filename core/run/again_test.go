package run_test

import (
	"testing"
	"time"

	"woolsignal/core/run"
)

// TestGoingAgainRepeatsNothingThatFailedBefore goes again from behind a call that failed
// in doubt and was carried on from: it is not sent once more, under another key.
func TestGoingAgainRepeatsNothingThatFailedBefore(t *testing.T) {
	def := script(t, "  - id: gone\n    retry: {tries: 2, first: 1s}\n    if_fails: carry_on\n    tool: slots/remove\n"+
		"    args: {id: A}\n  - id: behind\n    compute: {a: '1'}\n")
	l := begin(t, def, delivery(int64(30), int64(4)))
	for range 2 {
		l.handle(l.next().Answer(&run.Returned{Error: "502", Effect: run.Unsure}))
		l.later += time.Minute
		if l.state.Status != run.Done {
			l.tick()
		}
	}
	recorded, err := run.Recorded(def, def, l.state, "behind", nil)
	if err != nil {
		t.Fatal(err)
	}
	state, signal := run.NewState("r2"), delivery(int64(30), int64(4))
	_, errands, err := run.Move(def, state, noon.Add(time.Hour), run.Host{}, &run.Arrive{Signal: &signal,
		Origin: &run.Origin{Kind: run.OfAgain, Run: "r1", Step: "behind"}, Recorded: recorded}, &run.Begin{})
	if err != nil {
		t.Fatal(err)
	}
	if state.Status != run.Done || len(errands) != 0 {
		t.Errorf("the run is %s, and asks for %v", state.Status, errands)
	}
}
