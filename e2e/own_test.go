package e2e_test

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"woolsignal/core/agent"
	"woolsignal/core/run"
	"woolsignal/e2e/harness"
	"woolsignal/wire"
)

// clerk is an agent with what it does about its own work, in a conversation.
func clerk(t *testing.T, s *harness.Service, more string) {
	t.Helper()
	withFiles(t, s, map[string]string{
		"agents/clerk.yaml": "agent: clerk\ntitle: Clerk\npurpose: Helps.\nmodel: medium\ninstructions: " +
			"Help.\ntools:\n" +
			"  - self/follow_up\n  - self/label\n  - self/remember\n  - {tool: self/call_person, args: {who: " +
			"reviewer}}\n" +
			"  - {tool: mishaps/add, approval: none}\n  - {tool: wool-kinds/add, approval: none}\n" +
			"memory: {facts: [workspace]}\nlimits: {turns: 8}\n" + more,
		"workflows/clerking.yaml": "workflow: clerking\ntitle: Clerking\ntriggers:\n  - {id: page, chat: {page: " +
			"clerk}}\n" +
			"steps:\n  - {id: answer, agent: clerk, task: '${signal.text}'}\n  - say: {text: '${answer.text}'}\n"})
	if _, err := s.As("Ines").Publish(harness.Context(t), wire.Publish{Workflows: []string{"clerking"}}); err != nil {
		t.Fatal(err)
	}
}

func clerkHears(t *testing.T, s *harness.Service, words string) string {
	t.Helper()
	heard, err := s.As("Ines").Say(harness.Context(t), "clerking", "t1", words)
	if err != nil {
		t.Fatal(err)
	}
	return heard.Run
}

// TestAnAgentActsOnItsOwnWork has an agent mark its run, keep a fact, bring in a person,
// who holds the conversation until they answer, and go on by itself at a time, also when
// the service was down at that time.
func TestAnAgentActsOnItsOwnWork(t *testing.T) {
	t.Parallel()
	s := harness.Demo(t)
	clerk(t, s, "")
	soon := time.Now().Add(4 * time.Second).Truncate(time.Second).UTC()
	rehearses(s,
		map[string]any{"words": []string{"ring them"}, "say": "I rang them."},
		map[string]any{"words": []string{"look after"}, "do": []map[string]any{
			{"tool": "self/label", "args": map[string]any{"label": "late load"}},
			{"tool": "self/remember", "args": map[string]any{"about": "workspace",
				"fact": "The ford floods in November."}},
			{"tool": "self/call_person", "args": map[string]any{"why": "May they come on Sunday?"}},
			{"tool": "self/follow_up", "args": map[string]any{"at": soon.Format(time.RFC3339),
				"what": "Please ring them"}}},
			"say": "Settled."},
		map[string]any{"words": []string{"how is the ford"}, "say": "See above."})
	id := clerkHears(t, s, "Look after this")
	d, err := s.As("Ines").Settled(harness.Context(t), id)
	if err != nil {
		t.Fatal(err)
	}
	review := s.OpenReview(d)
	if review.Kind != run.OfAdvice || review.Ask != "reviewer" || review.Title != "May they come on Sunday?" {
		t.Fatalf("%+v", review)
	}
	if _, err := s.As("Tobias").Decide(harness.Context(t), review.ID,
		wire.Decision{Choice: run.AnswerIt}); err == nil ||
		!strings.Contains(err.Error(), "write along with it") {
		t.Errorf("an answer without words: %v", err)
	}
	if _, err := s.As("Tobias").Decide(harness.Context(t), review.ID, wire.Decision{Choice: run.AnswerIt,
		Note: "Yes, before noon"}); err != nil {
		t.Fatal(err)
	}
	d = s.Ended(id)
	calls := stepOf(t, d, "answer").Agent.Calls
	if d.Status != run.Done || len(calls) != 4 || fmt.Sprint(calls[2].Result) !=
		"map[answer:Yes, before noon answered_by:Tobias Quill]" || strings.Join(d.Labels, "") != "late load" {
		t.Fatalf("%s %s: %v, %+v", d.Status, d.Because, d.Labels, calls)
	}
	next := s.Ended(clerkHears(t, s, "How is the ford?"))
	if a := stepOf(t, next, "answer").Agent; !strings.Contains(a.System, "The ford floods in November.") {
		t.Errorf("what it kept is not known: %s", a.System)
	}
	s.Kill()
	followed := s.RunOf("clerking", "follows up", func(d wire.Detail) bool { return d.Signal.Type == run.FollowUpType })
	followed = s.Ended(followed.ID)
	talk, err := s.As("Ines").Thread(harness.Context(t), "clerking", "t1")
	if err != nil {
		t.Fatal(err)
	}
	last, note := talk.Messages[len(talk.Messages)-1], talk.Messages[len(talk.Messages)-2]
	if last.Text != "I rang them." || note.Who != "note" || !strings.Contains(note.Text, "Please ring them") {
		t.Errorf("%s %s: it went on with %q, after %+v", followed.Status, followed.Because, last.Text, note)
	}
}

// TestAPlanIsShownAndHeldTo has an agent that must say its plan: it changes nothing before
// it did, and what it does beside the plan is marked.
func TestAPlanIsShownAndHeldTo(t *testing.T) {
	t.Parallel()
	s := harness.Demo(t)
	clerk(t, s, "plan: {ask: speaker}\n")
	row := map[string]any{"tool": "mishaps/add", "args": map[string]any{"workflow": "gate", "because": "broken",
		"state": "open"}}
	kind := map[string]any{"tool": "wool-kinds/add", "args": map[string]any{"name": "felt", "meaning": "matted"}}
	plan := map[string]any{"tool": "self/plan", "args": map[string]any{"steps": []map[string]any{
		{"what": "Note the gate", "tool": "wool-kinds/add"}}}}
	rehearses(s, map[string]any{"words": []string{"rashly"}, "do": []any{kind}, "say": "Done."},
		map[string]any{"words": []string{"the gate"}, "do": []any{plan, kind, row}, "say": "Noted."})
	hasty := stepOf(t, s.Ended(clerkHears(t, s, "Do it rashly")), "answer").Agent.Calls[0]
	if hasty.State != agent.Failed || !strings.Contains(hasty.Error, "say with self/plan what you are going to do") {
		t.Errorf("without a plan: %+v", hasty)
	}
	id := clerkHears(t, s, "Note the gate")
	if back := asked(t, s, id); back.Back.Text != "This is what I am going to do:\n1. Note the gate\nYes or no?" {
		t.Errorf("it reads back %q", back.Back.Text)
	}
	clerkHears(t, s, "yes")
	d := s.Ended(id)
	a := stepOf(t, d, "answer").Agent
	if d.Status != run.Done || len(a.Plan) != 1 || len(a.Calls) < 3 || a.Calls[1].Beside || !a.Calls[2].Beside {
		t.Errorf("%s %s: %+v, %+v", d.Status, d.Because, a.Plan, a.Calls)
	}
}
