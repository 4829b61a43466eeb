package e2e_test

import (
	"database/sql"
	"fmt"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"woolsignal/core/agent"
	"woolsignal/core/run"
	"woolsignal/e2e/browser"
	"woolsignal/e2e/harness"
	"woolsignal/server/store"
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

// comesDue lets the time of every follow-up come while nobody looks: the service is to
// be stopped.
func comesDue(t *testing.T, s *harness.Service) {
	t.Helper()
	db, err := sql.Open("sqlite", "file:"+filepath.Join(s.Data, store.FileName)+"?_pragma=busy_timeout(5000)")
	if err != nil {
		t.Fatal(err)
	}
	defer db.Close()
	if _, err := db.Exec("UPDATE follow_ups SET due = ?", store.Time(time.Now())); err != nil {
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
	soon := time.Now().Add(time.Hour).Truncate(time.Second).UTC()
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
	if a := stepOf(t, next, "answer").Agent; !slices.Contains(a.Facts, "The ford floods in November.") {
		t.Errorf("what it kept is not known: %q", a.Facts)
	}
	comesDue(t, s)
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

// comesBack has an agent set a follow-up, and gives the run that did.
func comesBack(t *testing.T, s *harness.Service) string {
	t.Helper()
	clerk(t, s, "")
	rehearses(s, map[string]any{"words": []string{"come back"}, "do": []map[string]any{
		{"tool": "self/follow_up", "args": map[string]any{"at": time.Now().Add(48 * time.Hour).Format(time.RFC3339),
			"what": "Ask whether the fleeces are dry"}}}, "say": "I come back to you."})
	return s.Ended(clerkHears(t, s, "Please come back to me")).ID
}

// TestAFollowUpIsFoundAndCancelled has somebody who decides what agents ask find a follow-up in
// the browser and cancel it: nobody is written to, and the run says who it was. Who only reads is
// refused the list, and nobody cancels it twice.
func TestAFollowUpIsFoundAndCancelled(t *testing.T) {
	t.Parallel()
	s := harness.Demo(t)
	id := comesBack(t, s)
	listed, stderr, code := s.Command("Tobias", "", "follow-ups")
	if code != 0 || !strings.Contains(listed, "Ask whether the fleeces are dry") {
		t.Fatalf("the command lists %s (%s)", listed, stderr)
	}
	if _, err := s.As("Owen").FollowUps(harness.Context(t), "", ""); err == nil {
		t.Error("a reader is told whom agents come back to")
	}
	set, err := s.As("Tobias").FollowUps(harness.Context(t), id, "")
	if err != nil || len(set.FollowUps) != 1 {
		t.Fatal(set, err)
	}
	if err := s.As("Owen").CancelFollowUp(harness.Context(t), set.FollowUps[0].ID); err == nil {
		t.Error("a reader cancels a follow-up")
	}
	ctx, h, tobias := page(t), &browser.Hand{}, s.Person("Tobias")
	do(t, ctx, browser.SignIn(s.URL, tobias.Email, tobias.Password), h.Click("link", "Runs"),
		h.Click("link", "Follow-ups"), browser.HasText("Ask whether the fleeces are dry"),
		h.Click("button", "Cancel the follow-up"), h.Click("button", "Leave it"),
		h.Click("button", "Cancel the follow-up"), h.Click("button", "Cancel it"),
		browser.HasText("No follow-up is set"))
	d, err := s.As("Tobias").Run(harness.Context(t), id)
	if err != nil || len(d.FollowUps) != 1 || d.FollowUps[0].Cancelled != "Tobias Quill" {
		t.Errorf("the run tells of %+v (%v)", d.FollowUps, err)
	}
	if _, stderr, code := s.Command("Ines", "", "follow-ups", "-cancel", set.FollowUps[0].ID); code == 0 ||
		!strings.Contains(stderr, "cancelled") {
		t.Errorf("cancelling it again says %q", stderr)
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

// keepsFact has an agent keep a fact about everybody's work.
func keepsFact(t *testing.T, s *harness.Service, fact string) {
	t.Helper()
	rehearses(s, map[string]any{"words": []string{"keep in mind"}, "do": []map[string]any{
		{"tool": "self/remember", "args": map[string]any{"about": "workspace", "fact": fact}}}, "say": "I do."})
	s.Ended(clerkHears(t, s, "Please keep in mind"))
}

// TestAFactIsFoundCorrectedAndRemoved has somebody who decides what agents ask find a wrong fact
// in the browser, correct it, and remove it after: agents are told so at once. Who only reads is
// refused the list, and what somebody else changed meanwhile is not written over.
func TestAFactIsFoundCorrectedAndRemoved(t *testing.T) {
	t.Parallel()
	s := harness.Demo(t)
	clerk(t, s, "")
	keepsFact(t, s, "The ford floods in June.")
	listed, stderr, code := s.Command("Tobias", "", "facts", "-about", "workspace")
	if code != 0 || !strings.Contains(listed, "The ford floods in June.") {
		t.Fatalf("the command lists %s (%s)", listed, stderr)
	}
	call := harness.Context(t)
	if _, err := s.As("Owen").Facts(call, "", "", ""); err == nil {
		t.Error("a reader is told what agents know of people")
	}
	found, err := s.As("Tobias").Facts(call, "", "FLOODS", "")
	if err != nil || len(found.Facts) != 1 {
		t.Fatal(found, err)
	}
	id := found.Facts[0].ID
	if err := s.As("Owen").CorrectFact(call, id, "", "Owen may do all."); err == nil {
		t.Error("a reader corrects a fact")
	}
	ctx, h, tobias := page(t), &browser.Hand{}, s.Person("Tobias")
	do(t, ctx, browser.SignIn(s.URL, tobias.Email, tobias.Password), h.Click("link", "Agents"),
		h.Click("link", "Facts they know"), browser.HasText("The ford floods in June."),
		h.Click("button", "Correct the fact"), h.Press("Control+a"), h.Type("The ford floods in November."),
		h.Click("button", "Save"), browser.HasText("corrected by Tobias Quill"))
	next := s.Ended(clerkHears(t, s, "How is the ford?"))
	if a := stepOf(t, next, "answer").Agent; !slices.Equal(a.Facts, []string{"The ford floods in November."}) {
		t.Errorf("after the correction it knows %q", a.Facts)
	}
	if err := s.As("Elin").CorrectFact(call, id, "The ford floods in June.", "x"); err == nil ||
		!strings.Contains(err.Error(), "not say any more what you read") {
		t.Errorf("a correction of what was corrected meanwhile: %v", err)
	}
	do(t, ctx, h.Click("button", "Remove the fact"), h.Click("button", "Leave it"),
		h.Click("button", "Remove the fact"), h.Click("button", "Remove it"), browser.HasText("No fact is kept"))
	if _, stderr, code := s.Command("Ines", "", "facts", "-remove", id); code == 0 ||
		!strings.Contains(stderr, "none of this id is kept") {
		t.Errorf("removing it again gives %d: %s", code, stderr)
	}
}
