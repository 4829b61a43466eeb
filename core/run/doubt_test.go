package run

import (
	"testing"

	"woolsignal/core/agent"
)

// TestALateAnswerOfACallThatAnotherTryDoesNotKnow has the answer come of a call in doubt whose
// step began anew since: its agent knows no such call, and nothing is said of another.
func TestALateAnswerOfACallThatAnotherTryDoesNotKnow(t *testing.T) {
	s := NewState("r1")
	s.Reviews = map[string]*Review{"rv": {ID: "rv", Kind: OfDoubt, Call: "c1", Choice: Happened}}
	s.Root.Steps = []*Step{{Path: "0", Agent: &agent.State{}, Reviews: []string{"rv"}}}
	m := &machine{state: s}
	answer := &Answer{Ticket: Ticket{Step: "0", CallID: "c1"}}
	if doubt := m.doubtOf(answer); doubt != nil {
		t.Errorf("it is taken for %+v", doubt)
	}
	s.Root.Steps[0].Agent.Calls = []*agent.Call{{ID: "c1"}}
	if m.doubtOf(answer) != s.Reviews["rv"] {
		t.Error("where the agent knows it, it is not found")
	}
}
