package engine

import (
	"context"
	"errors"
	"fmt"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"woolsignal/core/flow"
	"woolsignal/core/run"
	"woolsignal/server/testbed"
	"woolsignal/server/tool"
)

const hooked = "triggers:\n  - id: hook\n    webhook: {path: answers, verify: key, subject: '${signal.body.lot}'}\n" +
	"steps:\n  - compute: {a: '1'}\n"

func hook(id string) *run.Signal {
	return &run.Signal{ID: id, Source: "/in/answers", Kind: "webhook", Trigger: "hook", Subject: "lot-9",
		Body: map[string]any{"kg": int64(50), "lot": "lot-9"}}
}

// counted gives how many rows a query counts.
func counted(t *testing.T, bed *testbed.Bed, query string, args ...any) (n int) {
	t.Helper()
	if err := bed.Store.Read().QueryRow(query, args...).Scan(&n); err != nil {
		t.Fatal(err)
	}
	return n
}

// patience is how long a test waits for what is to come: many share the machine.
const patience = time.Minute

// await waits until something holds.
func await(t *testing.T, what string, holds func() bool) {
	t.Helper()
	for end := time.Now().Add(patience); !holds(); time.Sleep(10 * time.Millisecond) {
		if time.Now().After(end) {
			t.Fatal("never: " + what)
		}
	}
}

// A caller who is turned away left nothing: the same delivery sent again
// starts its run.
func TestADeliveryThatIsTurnedAwayLeavesNothing(t *testing.T) {
	e, bed := workshop(t, map[string]string{"listen": callable + "steps:\n" + listening, "intake": hooked})
	e.runs.mu.Lock()
	for i := range maxLive {
		e.runs.byID[fmt.Sprint("x", i)] = &live{}
	}
	e.runs.mu.Unlock()
	if _, err := e.Receive(context.Background(), "intake", hook("d1")); !errors.Is(err, ErrBusy) {
		t.Errorf("while there is too much going on: %v", err)
	}
	if n := counted(t, bed, "SELECT (SELECT count(*) FROM inbox) + (SELECT count(*) FROM deliveries)"); n != 0 {
		t.Errorf("%d rows are left of a delivery that was turned away", n)
	}
	e.runs.mu.Lock()
	clear(e.runs.byID)
	e.runs.mu.Unlock()
	ticket, err := e.Receive(context.Background(), "intake", hook("d1"))
	if err != nil || ticket.Run == "" {
		t.Fatalf("sent again: run %q, %v", ticket.Run, err)
	}
	becomes(t, e, ticket.Run, run.Done)
}

// A caller may leave at any moment: the delivery left nothing, or it starts
// its run, once, whoever sends it again.
func TestACallerWhoLeavesLosesNothing(t *testing.T) {
	e, bed := workshop(t, map[string]string{"listen": callable + "steps:\n" + listening, "intake": hooked})
	var callers sync.WaitGroup
	for i := range 60 {
		for range 2 { // two at once
			callers.Go(func() {
				ctx, leave := context.WithCancel(context.Background())
				if i%3 == 0 {
					leave()
				} else {
					go leave()
				}
				_, err := e.Receive(ctx, "intake", hook(fmt.Sprint("d", i)))
				if err != nil && !errors.Is(err, context.Canceled) {
					t.Error(err)
				}
				leave()
			})
		}
	}
	callers.Wait()
	for i := range 60 {
		ticket, err := e.Receive(context.Background(), "intake", hook(fmt.Sprint("d", i)))
		if err != nil || ticket.Run == "" {
			t.Fatalf("delivery %d sent again: run %q, %v", i, ticket.Run, err)
		}
	}
	await(t, "the inbox is empty", func() bool {
		return counted(t, bed,
			"SELECT count(*) FROM inbox WHERE state = 'new'") == 0
	})
	if n := counted(t, bed, "SELECT count(*) FROM runs WHERE workflow = 'intake'"); n != 60 {
		t.Errorf("%d runs of 60 deliveries", n)
	}
}

// A delivery that a waiting run heard says so to whoever sends it again.
func TestARepeatOfWhatWasHeardNamesWhoHeardIt(t *testing.T) {
	e, bed := workshop(t, map[string]string{"listen": callable + "steps:\n" + listening, "intake": hooked})
	id := call(t, e, "listen", map[string]any{"who": "lot-9"})
	becomes(t, e, id, run.Waiting)
	for range 3 {
		ticket, err := e.Receive(context.Background(), "intake", hook("d1"))
		if err != nil || ticket.Run != id {
			t.Errorf("run %q, %v; want the one that waited, %s", ticket.Run, err, id)
		}
	}
	becomes(t, e, id, run.Done)
	if n := counted(t, bed, "SELECT count(*) FROM runs WHERE workflow = 'intake'"); n != 0 {
		t.Errorf("%d runs were started beside", n)
	}
}

// Of runs that wait for quiet and arrive together, the youngest stays.
func TestTheYoungestOfRunsThatArriveTogetherStays(t *testing.T) {
	e, bed := workshop(t, map[string]string{"deb": callable +
		"limits: {same: {by: '${inputs.who}', quiet_for: 60ms}}\nsteps:\n  - compute: {a: '1'}\n"})
	var callers sync.WaitGroup
	for round := range 40 {
		for range 2 + round%3 {
			callers.Go(func() { call(t, e, "deb", map[string]any{"who": fmt.Sprint("k", round)}) })
		}
	}
	callers.Wait()
	await(t, "every run ends", func() bool {
		return counted(t, bed,
			"SELECT count(*) FROM runs WHERE ended IS NULL") == 0
	})
	for round := range 40 {
		if n := counted(t, bed, "SELECT count(*) FROM runs WHERE key = ? AND status = 'done'",
			fmt.Sprint("k", round)); n < 1 {
			t.Errorf("round %d: nothing is left of %d", round, 2+round%3)
		}
	}
}

// After a crash the youngest of those that wait for quiet stays too.
func TestTheYoungestStaysAfterACrash(t *testing.T) {
	e, bed := workshop(t, map[string]string{"deb": callable +
		"limits: {same: {by: '${inputs.who}', quiet_for: 4s}}\nsteps:\n  - compute: {a: '1'}\n"})
	first := call(t, e, "deb", map[string]any{"who": "k"}) // quiet for longer than a slow machine takes to start
	e.stop()                                               // before the second can put it aside
	e.working.Wait()
	e = restart(t, e, bed)
	second := call(t, e, "deb", map[string]any{"who": "k"})
	becomes(t, e, second, run.Done)
	becomes(t, e, first, run.Stopped)
}

// A stopped run does nothing more: what was queued for it is not sent.
func TestAStoppedRunDoesNothingMore(t *testing.T) {
	e, bed := workshop(t, map[string]string{
		"parent": callable + "steps:\n  - call: child\n    inputs: {n: '${1}'}\n",
		"child":  callable + "steps:\n  - compute: {a: '1'}\n",
	})
	e.errands.pause(true)
	id := call(t, e, "parent", nil)
	becomes(t, e, id, run.Running)
	if err := e.StopRun(context.Background(), id, run.Stop{By: "Ines"}); err != nil {
		t.Fatal(err)
	}
	e.errands.pause(false)
	await(t, "the errands are done", func() bool { return e.errands.idle() })
	if n := counted(t, bed, "SELECT count(*) FROM runs WHERE workflow = 'child'"); n != 0 {
		t.Errorf("%d runs were started for a run that was stopped", n)
	}
}

// idle tells whether the dispatcher has nothing.
func (d *dispatcher) idle() bool {
	d.mu.Lock()
	defer d.mu.Unlock()
	return len(d.flying) == 0
}

// A called run whose step was given up is stopped, though the service stops
// between any two of what it writes.
func TestACrashOrphansNoCalledRun(t *testing.T) {
	files := map[string]string{
		"parent": callable + "steps:\n  - within: 150ms\n    if_fails: carry_on\n    call: child\n" +
			"    inputs: {n: '${1}'}\n  - wait: {for: 1h}\n",
		"child": callable + "steps:\n  - wait: {for: 1h}\n",
	}
	e, bed := workshop(t, files)
	id := call(t, e, "parent", nil)
	await(t, "the child has begun", func() bool {
		return counted(t, bed, "SELECT count(*) FROM runs WHERE workflow = 'child' AND status = 'waiting'") == 1
	})
	e.errands.pause(true) // so that nobody is told that it is no longer wanted
	await(t, "the step is given up", func() bool {
		s, err := e.Fold(context.Background(), id)
		return err == nil && s.Step("0").Status == run.Failed
	})
	e = restart(t, e, bed)
	await(t, "the child is stopped", func() bool {
		return counted(t, bed, "SELECT count(*) FROM runs WHERE workflow = 'child' AND status = 'stopped'") == 1
	})

	// A start that was on its way when its step was given up starts nothing.
	e.errands.pause(true)
	late := call(t, e, "parent", nil)
	await(t, "its step is given up", func() bool {
		s, err := e.Fold(context.Background(), late)
		return err == nil && s.Step("0") != nil && s.Step("0").Status == run.Failed
	})
	s, err := e.Fold(context.Background(), late)
	if err != nil {
		t.Fatal(err)
	}
	start := &run.Start{Workflow: "child", Inputs: map[string]any{"n": int64(1)}}
	errand := run.Errand{Run: late, Ticket: run.Ticket{Step: "0", Sending: s.Step("0").Sending}, Task: start}
	if again, err := e.startChild(errand, start); again || err != nil {
		t.Errorf("a start that came too late: again %t, %v", again, err)
	}
	if n := counted(t, bed, "SELECT count(*) FROM runs WHERE workflow = 'child'"); n != 1 {
		t.Errorf("%d children", n)
	}
}

// offers is a workflow whose step uses the tool of the test.
func offers(t *testing.T) (*Engine, *testbed.Bed) {
	t.Helper()
	bed := testbed.Open(t, map[string]string{"workflows/offer.yaml": "workflow: offer\ntitle: Offer\n" + callable +
		"steps:\n  - id: o\n    tool: register/add\n    args: {lot: a}\n",
		"tables/register.yaml": "table: register\ntitle: Register\ncolumns:\n  - {name: lot}\n"})
	return restart(t, nil, bed), bed
}

// replace puts something else behind the tool the workflow uses.
func replace(bed *testbed.Bed, resend flow.Resend, do func(s tool.Sending) (any, error)) {
	op := *bed.Workspace.Now().Tools["register/add"]
	op.Resend = resend
	op.Call = func(_ context.Context, _ map[string]any, s tool.Sending) (any, error) { return do(s) }
	bed.Workspace.Now().Tools["register/add"] = &op
}

// A disk that is full for a while loses no answer: a call that must not be
// repeated is not asked about though its answer came.
func TestAFullDiskLosesNoAnswer(t *testing.T) {
	e, bed := offers(t)
	left, let := make(chan struct{}, 8), make(chan struct{})
	var sent atomic.Int32
	replace(bed, flow.ResendNever, func(tool.Sending) (any, error) {
		sent.Add(1)
		left <- struct{}{}
		<-let
		return map[string]any{"row": int64(1)}, nil
	})
	id := call(t, e, "offer", nil)
	<-left
	mend, before := bed.Spoil(t, "journal", "1"), troubled.Load()
	let <- struct{}{} // its answer comes while nothing can be written
	await(t, "it could not be taken in", func() bool { return troubled.Load() > before })
	e.resume(id) // as it is looked at again after a failed write
	mend()
	s := becomes(t, e, id, run.Done)
	if len(s.Reviews) != 0 || sent.Load() != 1 {
		t.Errorf("%d people were asked, and it was sent %d times", len(s.Reviews), sent.Load())
	}
}

// The run that called is told of an end that could not be written at once.
func TestAParentIsToldOnceTheDiskHasRoom(t *testing.T) {
	e, bed := workshop(t, map[string]string{
		"parent": callable + "steps:\n  - call: child\n    inputs: {}\n",
		"child":  callable + "steps:\n  - review: {ask: owner, show: hello}\n",
	})
	id := call(t, e, "parent", nil)
	await(t, "the child waits", func() bool { return counted(t, bed, "SELECT count(*) FROM reviews") == 1 })
	becomes(t, e, id, run.Waiting)
	var child, review string
	if err := bed.Store.Read().QueryRow("SELECT run, id FROM reviews").Scan(&child, &review); err != nil {
		t.Fatal(err)
	}
	mend, before := bed.Spoil(t, "journal", "NEW.run = '"+id+"'"), troubled.Load()
	if err := e.Decide(context.Background(), child,
		run.Decided{Review: review, Choice: "approve", By: "Elin"}); err != nil {
		t.Fatal(err)
	}
	await(t, "the parent could not be told", func() bool { return troubled.Load() > before })
	mend()
	becomes(t, e, id, run.Done)
}

// Runs that call others get room for them, though callers are turned away.
func TestACallIsNeverTurnedAway(t *testing.T) {
	e, _ := workshop(t, map[string]string{
		"parent": callable + "steps:\n  - call: child\n    inputs: {}\n",
		"child":  callable + "steps:\n  - compute: {a: '1'}\n",
	})
	e.errands.pause(true)
	id := call(t, e, "parent", nil)
	e.runs.mu.Lock()
	for i := range maxLive {
		e.runs.byID[fmt.Sprint("x", i)] = &live{}
	}
	e.runs.mu.Unlock()
	e.errands.pause(false)
	becomes(t, e, id, run.Done)
}

// A chain of runs that start one another ends, with a failure that names it.
// Whoever looks after failures hears of it.
func TestAChainOfRunsEnds(t *testing.T) {
	e, bed := workshop(t, map[string]string{
		"intake": hooked,
		"care":   "triggers:\n  - id: failed\n    failure: {}\nsteps:\n  - label: {as: [looked after]}\n",
	})
	cause := ""
	for i := range 21 {
		signal := hook(fmt.Sprint("d", i))
		signal.Cause = cause
		ticket, err := e.Accept(context.Background(), Admission{Workflow: "intake", Signal: signal})
		if err != nil {
			t.Fatal(err)
		}
		cause = ticket.Run
		s, wanted := becomes(t, e, ticket.Run,
			map[bool]run.Status{true: run.Done, false: run.Failed}[i < 20]),
			"20 runs in a row started one another: … → "
		if i == 20 && (!strings.HasPrefix(s.Because, wanted) ||
			!strings.HasSuffix(s.Because, "limits: links in woolsignal.yaml says how many may.") ||
			strings.Count(s.Because, "intake") != 13) {
			t.Errorf("it says: %s", s.Because)
		}
	}
	await(t, "somebody looks after it", func() bool {
		return counted(t, bed, "SELECT count(*) FROM runs WHERE workflow = 'care' AND status = 'done'") == 1
	})
}

// TestAChainOfCallsEndsThoughEachRests has each of many workflows call the next after
// somebody said yes, when its run was read from its journal anew.
func TestAChainOfCallsEndsThoughEachRests(t *testing.T) {
	line := map[string]string{"deep20": callable + "steps:\n  - compute: {n: '1'}\n"}
	for n := range 20 {
		line[fmt.Sprint("deep", n)] = callable + "steps:\n  - review: {ask: owner, show: Deeper}\n" +
			fmt.Sprintf("  - call: deep%d\n    inputs: {}\n", n+1)
	}
	e, bed := workshop(t, line)
	top := call(t, e, "deep0", nil)
	for n := range 20 {
		var id, review string
		await(t, "the next one asks", func() bool {
			open := bed.Store.Read().QueryRow("SELECT run, id FROM reviews WHERE decided IS NULL")
			return open.Scan(&id, &review) == nil
		})
		yes := run.Decided{Review: review, Choice: "approve", By: "Elin"}
		if err := e.Decide(context.Background(), id, yes); err != nil {
			t.Fatalf("%d: %v", n, err)
		}
	}
	if s := becomes(t, e, top, run.Failed); !strings.Contains(s.Because, "20 runs in a row started one another") {
		t.Errorf("it says: %s", s.Because)
	}
}

// A fault of the service's own fails the step it happened in, and nothing else.
func TestAFaultFailsItsStep(t *testing.T) {
	for _, c := range []struct {
		resend flow.Resend
		wanted run.Status
	}{{flow.ResendSafe, run.Failed}, {flow.ResendNever, run.Waiting}} {
		e, bed := offers(t)
		replace(bed, c.resend, func(tool.Sending) (any, error) {
			rows := []any{}
			return rows[len(rows)], nil // as a parser would
		})
		id := call(t, e, "offer", nil)
		s := becomes(t, e, id, c.wanted)
		if c.wanted == run.Failed && !strings.Contains(s.Because, "the service itself went wrong") {
			t.Errorf("it says: %s", s.Because)
		}
		for _, r := range s.Reviews {
			if !strings.Contains(r.Why, "out of range") {
				t.Errorf("who is asked is told: %s", r.Why)
			}
		}
	}
}

// Work that ended the whole process twice is put aside.
func TestWhatEndedTheProcessTwiceIsPutAside(t *testing.T) {
	e, bed := offers(t)
	var sent atomic.Int32
	replace(bed, flow.ResendSafe, func(tool.Sending) (any, error) { sent.Add(1); return map[string]any{}, nil })
	e.errands.pause(true)
	id := call(t, e, "offer", nil)
	s := becomes(t, e, id, run.Running)
	work := "errand " + run.Errand{Run: id, Ticket: run.Ticket{Step: "0", Sending: s.Step("0").Sending},
		Task: &run.Call{}}.Key()
	for range 2 {
		if err := e.Ended(context.Background(), work, "fatal error: stack overflow"); err != nil {
			t.Fatal(err)
		}
	}
	e = restart(t, e, bed)
	s = becomes(t, e, id, run.Failed)
	if sent.Load() != 0 || !strings.Contains(s.Because,
		"ended the whole service 2 times (fatal error: stack overflow)") {
		t.Errorf("sent %d times, and it says: %s", sent.Load(), s.Because)
	}
}

// A memory that is read for an agent whose way is given up in the same advance
// does not keep its signal from being taken in.
func TestAMemoryNobodyWantsAnyMoreKeepsNothingUp(t *testing.T) {
	e, bed := workshop(t, map[string]string{"listen": callable + "steps:\n  - compute: {a: '1'}\n"})
	files := bed.Workspace.Now().Files
	files["connections/models.yaml"] = "connection: models\ntitle: Models\naddress: https://models.example/v1\n" +
		"model_server:\n  protocol: chat-completions\n  models:\n    small: {name: small}\n"
	files["agents/clerk.yaml"] = "agent: clerk\ntitle: Clerk\npurpose: Helps.\nmodel: small\ninstructions: Help.\n"
	files["workflows/race.yaml"] = "workflow: race\ntitle: Race\n" + callable +
		"steps:\n  - together:\n      finish: first\n      enough: size(value) >= 0\n      branches:\n" +
		"        - id: slow\n          do:\n            - id: a\n              agent: clerk\n" +
		"              task: Help.\n        - id: quick\n          do:\n            - compute: {b: '1'}\n"
	bed.Add(t, files)
	becomes(t, e, call(t, e, "race", nil), run.Done)
}

// What an agent is given chooses no definition of its own: whoever gives it, a model that calls a helper among them,
// chooses the names.
func TestTasksOfOneAgentLeaveOneDefinition(t *testing.T) {
	e, bed, m := thinking(t, map[string]string{
		"agents/clerk.yaml": clerk("  - things/find\n") + "inputs: {type: object}\n"},
		func(prompt) reply { return reply{text: "Done."} })
	before := counted(t, bed, "SELECT count(*) FROM definitions")
	for i := range 20 {
		ticket, err := e.StartTask(context.Background(), Task{Agent: "clerk", Words: "x", Source: "/api",
			Inputs: map[string]any{fmt.Sprint("field", i): "fleece"}})
		if err != nil {
			t.Fatal(err)
		}
		becomes(t, e, ticket.Run, run.Done)
		m.mu.Lock()
		asked := m.asked[len(m.asked)-1].last()
		m.mu.Unlock()
		if !strings.Contains(asked, fmt.Sprint("field", i)) || !strings.Contains(asked, "fleece") {
			t.Fatalf("the agent is given %q", asked)
		}
	}
	if n := counted(t, bed, "SELECT count(*) FROM definitions") - before; n != 1 {
		t.Errorf("20 tasks left %d definitions", n)
	}
}
