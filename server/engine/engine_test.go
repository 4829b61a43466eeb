package engine

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"slices"
	"sync"
	"testing"
	"time"

	"woolsignal/core/run"
	"woolsignal/server/store"
	"woolsignal/server/testbed"
)

// open makes an engine over a workspace of one workflow of pure steps and one
// that waits for a person.
func open(t *testing.T) (*Engine, *store.Store) {
	t.Helper()
	chat := func(page string) string { return "triggers:\n  - id: page\n    chat: {page: " + page + "}\nsteps:\n" }
	bed := testbed.Open(t, map[string]string{
		"workflows/echo.yaml": "workflow: echo\ntitle: Echo\n" + chat("echo") + "  - say: {text: \"${signal.text}\"}\n",
		"workflows/ask.yaml": "workflow: ask\ntitle: Ask\n" + chat("ask") +
			"  - id: said\n    review: {ask: owner, show: \"${signal.text}\"}\n  - say: {text: \"${said.choice}\"}\n",
	})
	e := New(bed.Store, bed.Workspace, bed.Kit, bed.Secrets, bed.Scripts, slog.New(slog.DiscardHandler))
	t.Cleanup(func() { e.Stop(context.Background()) })
	return e, bed.Store
}

func message(id, thread, text string) *run.Signal {
	return &run.Signal{ID: id, Kind: "chat", Source: "/test", Trigger: "page", Thread: thread, Text: text}
}

func status(t *testing.T, e *Engine, id string) run.Status {
	t.Helper()
	state, err := e.Fold(context.Background(), id)
	if err != nil {
		t.Fatal(err)
	}
	return state.Status
}

func TestAConversationMovesOneRunAtATimeInOrder(t *testing.T) {
	e, s := open(t)
	ctx := context.Background()
	var ids []string
	for i := range 5 {
		ticket, err := e.Accept(ctx, Admission{Workflow: "ask",
			Signal: message(fmt.Sprint(i), "t1", fmt.Sprint("question ", i))})
		if err != nil {
			t.Fatal(err)
		}
		ids = append(ids, ticket.Run)
	}
	other, err := e.Accept(ctx, Admission{Workflow: "ask", Signal: message("x", "t2", "elsewhere")})
	if err != nil || status(t, e, other.Run) != run.Waiting {
		t.Errorf("another conversation is held up: %v", err)
	}
	for i, id := range ids {
		for !slices.Contains([]run.Status{run.Waiting}, status(t, e, id)) {
			time.Sleep(time.Millisecond) // the one before it has just ended
		}
		for _, later := range ids[i+1:] {
			if got := status(t, e, later); got != run.Queued {
				t.Errorf("run %d moves while run %d waits: %s", slices.Index(ids, later), i, got)
			}
		}
		var review string
		if err := s.Read().QueryRow("SELECT id FROM reviews WHERE run = ? AND decided IS NULL",
			id).Scan(&review); err != nil {
			t.Fatal(err)
		}
		if err := e.Decide(ctx, id, run.Decided{Review: review, Choice: "approve", By: "Elin"}); err != nil {
			t.Fatal(err)
		}
		if err := e.Decide(ctx, id, run.Decided{Review: review, Choice: "approve", By: "Elin"}); !errors.Is(err,
			run.ErrStale) {
			t.Errorf("a second decision: %v", err)
		}
	}
}

func TestWaitingAndEndedRunsAreNotKeptInMemory(t *testing.T) {
	e, _ := open(t)
	var wg sync.WaitGroup
	for i := range 200 {
		wg.Go(func() {
			for _, workflow := range []string{"echo", "ask"} {
				if _, err := e.Accept(context.Background(),
					Admission{Workflow: workflow,
						Signal: message(fmt.Sprint(i), fmt.Sprint(workflow, i), "hello")}); err != nil {
					t.Error(err)
				}
			}
		})
	}
	wg.Wait()
	e.runs.mu.Lock()
	defer e.runs.mu.Unlock()
	if len(e.runs.byID) != 0 || len(e.runs.waiters) != 0 || len(e.lanes.runs) != 200 {
		t.Errorf("%d runs, %d waiters and %d conversations in memory; want 0, 0 and the 200 that wait",
			len(e.runs.byID), len(e.runs.waiters), len(e.lanes.runs))
	}
}

func TestTheSameDeliveryAtOnceStartsOneRun(t *testing.T) {
	e, s := open(t)
	var wg sync.WaitGroup
	var mu sync.Mutex
	started := map[string]int{}
	for range 30 {
		wg.Go(func() {
			ticket, err := e.Accept(context.Background(),
				Admission{Workflow: "echo", Signal: message("same", "", "hello")})
			if err != nil {
				t.Error(err)
				return
			}
			mu.Lock()
			defer mu.Unlock()
			started[ticket.Run]++
		})
	}
	wg.Wait()
	var n int
	if err := s.Read().QueryRow("SELECT count(*) FROM runs").Scan(&n); err != nil || n != 1 || len(started) != 1 {
		t.Errorf("%d runs, tickets for %v (%v)", n, started, err)
	}
}

func TestTooMuchIsRefusedAndNothingKept(t *testing.T) {
	e, s := open(t)
	for i := range maxLive {
		e.runs.byID[fmt.Sprint(i)] = &live{}
	}
	if _, err := e.Accept(context.Background(),
		Admission{Workflow: "echo", Signal: message("a", "", "hello")}); !errors.Is(err, ErrBusy) {
		t.Errorf("with %d runs moving: %v", maxLive, err)
	}
	clear(e.runs.byID)
	e.stop()
	if _, err := e.Accept(context.Background(),
		Admission{Workflow: "echo", Signal: message("b", "", "hello")}); !errors.Is(err, ErrBusy) {
		t.Errorf("while stopping: %v", err)
	}
	var n int
	if err := s.Read().QueryRow("SELECT count(*) FROM runs").Scan(&n); err != nil || n != 0 {
		t.Errorf("%d runs were kept (%v)", n, err)
	}
}

func TestASlowListenerIsToldToReadAnew(t *testing.T) {
	h := newHub()
	slow, end := h.Listen()
	defer end()
	for i := range 1000 {
		h.Tell(News{Kind: "run", Run: fmt.Sprint(i)})
	}
	for range cap(slow) {
		<-slow
	}
	h.Tell(News{Kind: "run", Run: "last"})
	if n := <-slow; n.Kind != "resync" {
		t.Errorf("after missing 744 news it got %+v", n)
	}
	if n := <-slow; n.Run != "last" {
		t.Errorf("then it got %+v", n)
	}
}

func TestIDsSortByAge(t *testing.T) {
	at := time.Now()
	var ids []string
	for i := range 100 {
		ids = append(ids, newID(at.Add(time.Duration(i)*time.Millisecond)))
	}
	if !slices.IsSorted(ids) || len(ids[0]) != 16 {
		t.Errorf("ids %v", ids[:3])
	}
}
