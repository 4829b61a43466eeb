package run_test

import (
	"testing"
	"time"

	"woolsignal/core/agent"
	"woolsignal/core/run"
)

// TestATaskElsewhereDoesNotUseUpAnAgentsTime has an agent elsewhere work for an hour on
// what an agent with a quarter of one asked for.
func TestATaskElsewhereDoesNotUseUpAnAgentsTime(t *testing.T) {
	l := begin(t, agentWorkflow(t, ""), chat("hi"))
	l.recalls()
	l.says("", agent.Request{ID: "x", Tool: "slots/remove", Args: map[string]any{"id": "A"}})
	l.handle(l.next().Answer(&run.Pending{Ref: `{"task":"1"}`, After: time.Minute}))
	l.later = time.Hour
	l.tick()
	l.handle(l.next().Answer(&run.Returned{Result: map[string]any{"state": "done", "text": "The ram is booked."}}))
	if l.state.Status == run.Failed {
		t.Error(l.state.Because)
	}
	if worked := l.state.Step("0").Agent.Worked(noon.Add(time.Hour)); worked > time.Minute {
		t.Errorf("it is said to have worked for %s", worked)
	}
}
