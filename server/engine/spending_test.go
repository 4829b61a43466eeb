package engine

import (
	"context"
	"fmt"
	"maps"
	"strings"
	"sync/atomic"
	"testing"
	"time"

	"woolsignal/core/money"
	"woolsignal/core/run"
	"woolsignal/server/store"
	"woolsignal/server/testbed"
)

const dearModel = "  - {id: m, model: small, prompt: Summary, if_fails: carry_on}\n"

// spentToday is what the budget of a workflow's day knows of.
func spentToday(t *testing.T, e *Engine, workflow string) int64 {
	t.Helper()
	all, err := e.Spending(context.Background())
	if err != nil {
		t.Fatal(err)
	}
	for _, one := range all {
		if one.Workflow == workflow && one.Period == "day" {
			return int64(one.Spent)
		}
	}
	t.Fatalf("%s has no budget of a day", workflow)
	return 0
}

// ends waits until a run has ended, whichever way.
func ends(t *testing.T, e *Engine, id string) *run.State {
	t.Helper()
	var s *run.State
	await(t, "the run "+id+" ends", func() bool {
		var err error
		s, err = e.Fold(context.Background(), id)
		return err == nil && s.Status.Ended()
	})
	return s
}

// agrees holds what the model's server counted against the runs, the budget of a
// workflow's day, and what a service that starts anew knows of it.
func agrees(t *testing.T, e *Engine, bed *testbed.Bed, m *mind, workflow string) *Engine {
	t.Helper()
	billed := m.billed()
	await(t, "all of it is written down", func() bool {
		return int64(counted(t, bed, "SELECT coalesce(sum(cost), 0) FROM runs")) == billed &&
			spentToday(t, e, workflow) == billed
	})
	e = restart(t, e, bed)
	if after := spentToday(t, e, workflow); after != billed {
		t.Errorf("the server counted %d, after a restart the budget knows of %d", billed, after)
	}
	return e
}

// TestWhatIsNoAnswerIsPaidFor has a model answer nothing, write too much, and be
// filtered: each of its three tries counts.
func TestWhatIsNoAnswerIsPaidFor(t *testing.T) {
	for name, answer := range map[string]reply{
		"nothing":  {in: 100, out: 900},
		"cut":      {text: "Half", in: 100, out: 900, finish: "length"},
		"filtered": {text: "Half", in: 100, out: 900, finish: "content_filter"},
	} {
		t.Run(name, func(t *testing.T) {
			e, bed, m := thinking(t, map[string]string{"workflows/one.yaml": "workflow: one\ntitle: One\nbudget: " +
				"{day: 5}\n" + callable + "steps:\n" + dearModel + "  - compute: {v: 'otherwise(m.text, \"none\")'}\n"},
				func(prompt) reply { return answer })
			ends(t, e, call(t, e, "one", nil))
			agrees(t, e, bed, m, "one")
		})
	}
}

// TestADaySeesWhatIsCalled spends through helpers and called workflows, awaited or
// not, until the day's budget refuses.
func TestADaySeesWhatIsCalled(t *testing.T) {
	for name, step := range map[string]string{"a helper": "{id: a, agent: boss, task: Go}",
		"a called workflow": "{id: a, call: part}", "one nobody waits for": "{id: a, call: part, await: false}"} {
		t.Run(name, func(t *testing.T) {
			files := bossAndWorker()
			files["workflows/part.yaml"] = "workflow: part\ntitle: Part\n" + callable + "steps:\n" +
				"  - {id: m, model: small, prompt: Summary}\n"
			files["workflows/dear.yaml"] = "workflow: dear\ntitle: Dear\nbudget: {day: 0.25, month: 0.25}\n" +
				callable + "steps:\n  - " + step + "\n"
			e, bed, m := thinking(t, files, func(p prompt) reply {
				answer := asksItsWorker(p)
				if strings.Contains(p.all(), "Summary") || strings.Contains(p.all(), "You toil") {
					answer = reply{text: "Toiled.", in: 10, out: 900}
				}
				return answer
			})
			for range 6 {
				ends(t, e, call(t, e, "dear", nil))
				await(t, "what it called ends", func() bool {
					return counted(t, bed, "SELECT count(*) FROM runs WHERE ended IS NULL") == 0
				})
			}
			if most := int64(money.FromUnits(0.25)); m.billed() > most {
				t.Errorf("%d was spent of %d", m.billed(), most)
			}
			if m.billed() < int64(money.FromUnits(0.08)) {
				t.Errorf("only %d was spent", m.billed())
			}
			agrees(t, e, bed, m, "dear")
		})
	}
}

// TestTodaysSpendingOfOldRunsIsKnownAfterARestart spends today in runs that came in long
// ago.
func TestTodaysSpendingOfOldRunsIsKnownAfterARestart(t *testing.T) {
	e, bed, m := thinking(t, map[string]string{"workflows/slow.yaml": "workflow: slow\ntitle: Slow\nbudget: {day: " +
		"0.15, month: 0.15}\n" + callable + "steps:\n  - review: {ask: owner, show: hello}\n" + dearModel},
		func(prompt) reply { return reply{text: "Fine.", in: 100, out: 900} })
	var ids []string
	for range 3 {
		ids = append(ids, call(t, e, "slow", nil))
		becomes(t, e, ids[len(ids)-1], run.Waiting)
	}
	var b store.Batch
	b.Do("UPDATE runs SET accepted = accepted - ?", int64(40*24*time.Hour/time.Millisecond))
	if err := bed.Store.Write(context.Background(), b); err != nil {
		t.Fatal(err)
	}
	for _, id := range ids {
		e = restart(t, e, bed)
		approves(t, e, id)
		ends(t, e, id)
		e = agrees(t, e, bed, m, "slow")
	}
	if most := int64(money.FromUnits(0.15)); m.billed() > most {
		t.Errorf("%d was spent of %d", m.billed(), most)
	}
	if _, err := e.Rebuild(context.Background()); err != nil {
		t.Fatal(err)
	}
	if n := int64(counted(t, bed, "SELECT sum(cost) FROM spending WHERE workflow = 'slow'")); n != m.billed() {
		t.Errorf("the book made anew says %d, the server counted %d", n, m.billed())
	}
}

// TestATurnThatComesTooLateIsPaidFor stops a run while its model writes.
func TestATurnThatComesTooLateIsPaidFor(t *testing.T) {
	free := make(chan struct{})
	var asked atomic.Bool
	e, bed, m := thinking(t, map[string]string{"workflows/one.yaml": "workflow: one\ntitle: One\nbudget: {day: 1}\n" +
		callable + "steps:\n" + dearModel}, func(prompt) reply {
		asked.Store(true)
		<-free
		return reply{text: "Fine.", in: 100, out: 900}
	})
	id := call(t, e, "one", nil)
	await(t, "the model is asked", asked.Load)
	if err := e.StopRun(context.Background(), id, run.Stop{By: "Ines"}); err != nil {
		t.Fatal(err)
	}
	close(free)
	await(t, "its cost is written down", func() bool { return m.billed() > 0 })
	agrees(t, e, bed, m, "one")
	if s, err := e.Fold(context.Background(), id); err != nil || s.Status != run.Stopped {
		t.Errorf("the run is %s, %v", s.Status, err)
	}
}

// TestARunsBudgetHoldsForWhatItLeftBehind ends a run while one it started is with its
// model, and another asks then.
func TestARunsBudgetHoldsForWhatItLeftBehind(t *testing.T) {
	free := make(chan struct{})
	var n atomic.Int64
	part := "inputs: {type: object}\nsteps:\n  - hold\n"
	e, bed, m := thinking(t, map[string]string{
		"workflows/parent.yaml": "workflow: parent\ntitle: Parent\nbudget: {run: 0.12, day: 5}\n" + callable +
			"steps:\n  - {call: quick, await: false}\n  - {call: later, await: false}\n",
		"workflows/quick.yaml": "workflow: quick\ntitle: Quick\n" + strings.Replace(part, "hold",
			"{model: small, prompt: Summary, if_fails: carry_on}", 1),
		"workflows/later.yaml": "workflow: later\ntitle: Later\n" + strings.Replace(part, "  - hold\n",
			"  - review: {ask: owner, show: hello}\n"+strings.Repeat(
				"  - {model: small, prompt: Summary, if_fails: carry_on}\n", 2), 1),
	}, func(prompt) reply {
		if n.Add(1) == 1 {
			<-free
		}
		return reply{text: "Fine.", in: 100, out: 999}
	})
	becomes(t, e, call(t, e, "parent", nil), run.Done)
	await(t, "the quick one is with its model", func() bool { return n.Load() == 1 })
	var later string
	await(t, "the later one waits", func() bool {
		return bed.Store.Read().QueryRow("SELECT id FROM runs WHERE workflow = 'later' AND status = 'waiting'").
			Scan(&later) == nil
	})
	approves(t, e, later)
	ends(t, e, later)
	close(free)
	await(t, "all have ended", func() bool {
		return counted(t, bed, "SELECT count(*) FROM runs WHERE ended IS NULL") == 0
	})
	if most := int64(money.FromUnits(0.12)); m.billed() > most {
		t.Errorf("%d was spent of a run's budget of %d", m.billed(), most)
	}
	e = agrees(t, e, bed, m, "parent")
	e.budgets.mu.Lock()
	defer e.budgets.mu.Unlock()
	for key, p := range e.budgets.all {
		if key.run != "" {
			t.Errorf("the purse of a run that is over is kept: %+v", p)
		}
	}
}

// TestAnAgentsLimitHoldsForAllItsTries tries an agent again and again.
func TestAnAgentsLimitHoldsForAllItsTries(t *testing.T) {
	e, _, m := thinking(t, map[string]string{
		"agents/clerk.yaml": clerk("  - things/find\n") + "limits: {cost: 0.25, turns: 1}\n",
		"workflows/w.yaml": "workflow: w\ntitle: W\n" + callable + "steps:\n  - {agent: clerk, task: Go, retry: " +
			"{tries: 5, first: 100ms, factor: 1}, if_fails: carry_on}\n"},
		func(prompt) reply { return reply{tool: "things/find", args: map[string]any{}, in: 10, out: 990} })
	ends(t, e, call(t, e, "w", nil))
	if most := int64(money.FromUnits(0.25)); m.billed() > most || m.billed() == 0 {
		t.Errorf("%d was spent of an agent's %d", m.billed(), most)
	}
}

// TestACallThatAPersonSaysHappenedIsPaidFor confirms a priced call in doubt.
func TestACallThatAPersonSaysHappenedIsPaidFor(t *testing.T) {
	r := &room{answer: func(int) (int, string) { return 0, "" }}
	e, bed := among(t, r, map[string]string{
		"connections/chat.yaml": chatServer + "tools: {write_in: {price: 0.5, resend: never}}\n",
		"workflows/tell.yaml": "workflow: tell\ntitle: Tell\nbudget: {day: 5}\n" + callable +
			"steps:\n  - tool: chat/write_in\n    args: {room: dock, text: 'Your ram is sold.'}\n"})
	id := call(t, e, "tell", nil)
	for _, review := range becomes(t, e, id, run.Waiting).Reviews {
		if err := e.Decide(context.Background(), id, run.Decided{Review: review.ID, Choice: run.Happened,
			By: ines}); err != nil {
			t.Fatal(err)
		}
	}
	s := becomes(t, e, id, run.Done)
	if s.Spent.All() != money.FromUnits(0.5) || spentToday(t, e, "tell") != int64(money.FromUnits(0.5)) {
		t.Errorf("it cost %d by its own account, %d by the budget's", s.Spent.All(), spentToday(t, e, "tell"))
	}
	if n := counted(t, bed, "SELECT count(*) FROM spending"); n != 2 {
		t.Errorf("the book has %d rows", n)
	}
}

// TestACallInDoubtKeepsItsPriceAside has a priced call in doubt, for which a person is asked
// whether it happened: until they say, nobody spends what it would have cost, and once they say
// that it did not, somebody may.
func TestACallInDoubtKeepsItsPriceAside(t *testing.T) {
	r := &room{answer: func(int) (int, string) { return 0, "" }}
	e, bed := among(t, r, map[string]string{
		"connections/chat.yaml": chatServer + "tools: {write_in: {price: 0.5, resend: never}}\n",
		"workflows/tell.yaml": "workflow: tell\ntitle: Tell\nbudget: {day: 0.9}\n" + callable +
			"steps:\n  - tool: chat/write_in\n    args: {room: dock, text: 'Your ram is sold.'}\n"})
	first := call(t, e, "tell", nil)
	becomes(t, e, first, run.Waiting)
	refused := func() {
		t.Helper()
		if s := ends(t, e, call(t, e, "tell", nil)); !strings.Contains(s.Because, "the budget of") {
			t.Errorf("beside a call in doubt another is begun: %s, %s", s.Status, s.Because)
		}
	}
	refused()
	e = restart(t, e, bed)
	refused()
	e.Stop(context.Background())
	if _, err := e.Rebuild(context.Background()); err != nil {
		t.Fatal(err)
	}
	e = restart(t, nil, bed)
	refused()
	for _, review := range becomes(t, e, first, run.Waiting).Reviews {
		if err := e.Decide(context.Background(), first, run.Decided{Review: review.ID, Choice: run.DidNot,
			By: ines}); err != nil {
			t.Fatal(err)
		}
	}
	ends(t, e, first)
	second := call(t, e, "tell", nil)
	becomes(t, e, second, run.Waiting)
	refused()
	if err := e.StopRun(context.Background(), second, run.Stop{By: "Ines"}); err != nil {
		t.Fatal(err)
	}
	ends(t, e, second)
	becomes(t, e, call(t, e, "tell", nil), run.Waiting) // nobody will ever say what became of the stopped one
}

// TestWhatWasHeardLeavesTheInbox hears signals, and looks at what is kept of them.
func TestWhatWasHeardLeavesTheInbox(t *testing.T) {
	e, bed := workshop(t, map[string]string{"listen": callable + "steps:\n" + listening, "intake": hooked})
	hear := func(id string) {
		r := call(t, e, "listen", map[string]any{"who": "lot-9"})
		becomes(t, e, r, run.Waiting)
		if _, err := e.Receive(context.Background(), "intake", hook(id)); err != nil {
			t.Fatal(err)
		}
		becomes(t, e, r, run.Done)
	}
	for i := range 5 {
		hear(fmt.Sprint("old", i))
	}
	if n := counted(t, bed, "SELECT coalesce(sum(length(signal)), 0) FROM inbox WHERE state = 'heard'"); n != 0 {
		t.Errorf("what was heard is kept twice: %d bytes", n)
	}
	var b store.Batch
	b.Do("UPDATE inbox SET at = at - ?", int64(2*keptFor/time.Millisecond))
	if err := bed.Store.Write(context.Background(), b); err != nil {
		t.Fatal(err)
	}
	hear("new")
	if n := counted(t, bed, "SELECT count(*) FROM inbox"); n != 1 {
		t.Errorf("%d signals are in the inbox, of which one is new", n)
	}
}

// TestACallInDoubtStaysInDoubtWhereItsBudgetIsSpent stops the service while a priced call
// is on its way, and leaves no room for sending it again: what may have happened is sent
// again under the same key, once there is.
func TestACallInDoubtStaysInDoubtWhereItsBudgetIsSpent(t *testing.T) {
	hang := make(chan struct{})
	r := &room{answer: func(n int) (int, string) {
		if n == 1 {
			<-hang
			return 0, ""
		}
		return 200, `{"id":"m1","thread":"t1"}`
	}}
	budget := func(day string) string {
		return "name: Larkrigg\nzone: Europe/London\nmodel: small\nbudget: {day: " + day + "}\n"
	}
	e, bed := among(t, r, map[string]string{
		"woolsignal.yaml":       budget("1"),
		"connections/chat.yaml": chatServer + "tools: {write_in: {price: 0.5}}\n",
		"workflows/tell.yaml": "workflow: tell\ntitle: Tell\n" + callable + "steps:\n" +
			"  - retry: {tries: 9, first: 500ms, factor: 1}\n    tool: chat/write_in\n" +
			"    args: {room: dock, text: 'Your ram is sold.'}\n"})
	id := call(t, e, "tell", nil)
	rebudget := func(day string) {
		files := maps.Clone(bed.Workspace.Now().Files)
		files["woolsignal.yaml"] = budget(day)
		bed.Add(t, files)
	}
	await(t, "it is on its way", func() bool { return r.written() == 1 })
	rebudget("0.1")
	e.stop()
	close(hang)
	e = restart(t, e, bed)
	await(t, "it is refused", func() bool {
		s, err := e.Fold(context.Background(), id)
		return err == nil && s.Step("0") != nil && s.Step("0").Tries > 0
	})
	rebudget("5")
	becomes(t, e, id, run.Done)
	if r.written() != 2 || r.keys[0] != r.keys[1] {
		t.Errorf("it was sent with the keys %q", r.keys)
	}
}

// TestALateAnswerOfACallInDoubtIsPaidForOnce has a priced call answered after its step took too
// long and a person was asked whether it happened, who says so before the answer comes or after.
func TestALateAnswerOfACallInDoubtIsPaidForOnce(t *testing.T) {
	for _, before := range []bool{true, false} {
		t.Run(fmt.Sprint("the person first: ", before), func(t *testing.T) {
			free := make(chan struct{})
			r := &room{answer: func(int) (int, string) {
				<-free
				return 200, `{}`
			}}
			e, bed := among(t, r, map[string]string{
				"connections/chat.yaml": chatServer + "tools: {write_in: {price: 0.5, resend: never}}\n",
				"workflows/tell.yaml": "workflow: tell\ntitle: Tell\nbudget: {day: 5}\n" + callable + "steps:\n" +
					"  - tool: chat/write_in\n    within: 1s\n    args: {room: dock, text: 'Your ram is sold.'}\n"})
			id := call(t, e, "tell", nil)
			reviews := becomes(t, e, id, run.Waiting).Reviews
			if !before {
				close(free)
				await(t, "the late answer is noted", func() bool {
					return counted(t, bed, "SELECT cost FROM runs WHERE id = ?", id) > 0
				})
			}
			for _, review := range reviews {
				if err := e.Decide(context.Background(), id, run.Decided{Review: review.ID, Choice: run.Happened,
					By: ines}); err != nil {
					t.Fatal(err)
				}
			}
			becomes(t, e, id, run.Done)
			if before {
				close(free)
				await(t, "nothing is under way", func() bool {
					e.errands.mu.Lock()
					defer e.errands.mu.Unlock()
					return len(e.errands.flying) == 0
				})
			}
			s, err := e.Fold(context.Background(), id)
			if err != nil {
				t.Fatal(err)
			}
			if half := money.FromUnits(0.5); s.Spent.All() != half || spentToday(t, e, "tell") != int64(half) {
				t.Errorf("it cost %d by its own account, %d by the budget's", s.Spent.All(), spentToday(t, e, "tell"))
			}
		})
	}
}
