package engine

import (
	"context"
	"errors"
	"fmt"
	"strings"
	"sync/atomic"
	"testing"
	"time"

	"woolsignal/core/run"
	"woolsignal/server/store"
	"woolsignal/server/testbed"
)

// ahead is a time so far off, as a model writes it.
func ahead(d time.Duration) string { return time.Now().Add(d).UTC().Format(time.RFC3339) }

// followUpAt is a model's wish to come back to somebody.
func followUpAt(at, what string) reply {
	return reply{tool: "self/follow_up", args: map[string]any{"at": at, "what": what}}
}

// following is a desk whose clerk can come back to people.
func followingDesk(t *testing.T, more string, think func(prompt) reply) (*Engine, *testbed.Bed) {
	t.Helper()
	e, bed, _ := thinking(t, map[string]string{
		"woolsignal.yaml":   "name: Larkrigg\nzone: Europe/London\nmodel: small\nlimits: {links: 3}\n",
		"agents/clerk.yaml": clerk("  - self/follow_up\n  - {tool: self/call_person, args: {who: owner}}\n"),
		"workflows/desk.yaml": pageDesk + "steps:\n  - {id: m, agent: clerk, task: '${signal.text}'" + more + "}\n" +
			"  - say: {text: '${m.text}'}\n",
	}, think)
	return e, bed
}

// comesDue lets the time of every follow-up come.
func comesDue(t *testing.T, e *Engine, bed *testbed.Bed) {
	t.Helper()
	var b store.Batch
	b.Do("UPDATE follow_ups SET due = ?", store.Time(time.Now()))
	if err := bed.Store.Write(context.Background(), b); err != nil {
		t.Fatal(err)
	}
	e.clock.set(time.Now())
}

// toCome lists what the follow-ups that are open are about.
func toCome(t *testing.T, e *Engine) string {
	t.Helper()
	all, err := e.FollowUps(context.Background(), "", 100, "")
	if err != nil {
		t.Fatal(err)
	}
	var out []string
	for _, f := range all {
		out = append(out, f.What)
	}
	return strings.Join(out, "|")
}

// What an agent sets that is tried again counts, and what the try before it set is taken back: the agent knows nothing
// of it any more.
func TestAFollowUpOfASecondTryIsTheOneThatIsMade(t *testing.T) {
	var asked atomic.Int32
	e, _ := followingDesk(t, ", retry: {tries: 2, first: 1s}", func(prompt) reply {
		switch asked.Add(1) {
		case 1:
			return followUpAt(ahead(240*time.Hour), "the wrong day")
		case 2, 3, 4:
			return reply{text: ""}
		case 5:
			return followUpAt(ahead(24*time.Hour), "the right day")
		}
		return reply{text: "I come back to you."}
	})
	s := becomes(t, e, talk(t, e, "desk", "1", "hello"), run.Done)
	if got := toCome(t, e); got != "the right day" {
		t.Errorf("the follow-ups that are open are about %q", got)
	}
	if len(s.FollowUps) != 2 || s.FollowUps[0].Cancelled == "" || s.FollowUps[1].Cancelled != "" {
		t.Errorf("the run tells of %+v", s.FollowUps)
	}
}

// A conversation that follows up by itself again and again is no chain of runs that drive each other.
func TestFollowUpsAreNoLinks(t *testing.T) {
	e, bed := followingDesk(t, "", func(p prompt) reply {
		if strings.HasPrefix(p.last(), "{\"at\"") {
			return reply{text: "Later then."}
		}
		return followUpAt(ahead(time.Hour), "ask whether it is done")
	})
	becomes(t, e, talk(t, e, "desk", "1", "hello"), run.Done)
	for n := range 6 { // the workspace allows three links
		comesDue(t, e, bed)
		await(t, fmt.Sprintf("the %dth follow-up is done", n+1), func() bool {
			return counted(t, bed, "SELECT count(*) FROM runs WHERE status = 'done'") == n+2
		})
	}
	if got := toCome(t, e); got != "ask whether it is done" {
		t.Errorf("the follow-ups that are open are about %q", got)
	}
}

// Stopping a run takes back what it set.
func TestAStopTakesFollowUpsBack(t *testing.T) {
	e, bed := followingDesk(t, "", func(p prompt) reply {
		switch {
		case strings.HasPrefix(p.last(), "hello"):
			return followUpAt(ahead(time.Hour), "ring them")
		case strings.Contains(p.last(), `"at"`):
			return reply{tool: "self/call_person", args: map[string]any{"why": "May I?"}}
		}
		return reply{text: "Done."}
	})
	id := talk(t, e, "desk", "1", "hello")
	becomes(t, e, id, run.Waiting)
	if got := toCome(t, e); got != "ring them" {
		t.Fatalf("before the stop, the follow-ups that are open are about %q", got)
	}
	if err := e.StopRun(context.Background(), id, run.Stop{By: "Ines", Note: "this is not wanted"}); err != nil {
		t.Fatal(err)
	}
	if n := counted(t, bed, "SELECT count(*) FROM follow_ups"); n != 0 {
		t.Errorf("the run was stopped, and %d of its follow-ups are to come", n)
	}
	s, err := e.Fold(context.Background(), id)
	if err != nil || len(s.FollowUps) != 1 || s.FollowUps[0].Cancelled != "with the run" {
		t.Errorf("the run tells of %+v (%v)", s.FollowUps, err)
	}
}

// A person takes one back, once, though its run is over; it stays so when lists are made anew. One that has begun is
// taken back by nobody.
func TestAPersonTakesAFollowUpBack(t *testing.T) {
	e, bed := followingDesk(t, "", func(p prompt) reply {
		if strings.HasPrefix(p.last(), "hello") {
			return followUpAt(ahead(time.Hour), "ring them")
		}
		return reply{text: "Done."}
	})
	ctx := context.Background()
	id := talk(t, e, "desk", "1", "hello")
	becomes(t, e, id, run.Done)
	all, err := e.FollowUps(ctx, id, 100, "")
	if err != nil || len(all) != 1 || all[0].Workflow != "desk" || all[0].Run != id {
		t.Fatalf("%+v, %v", all, err)
	}
	if err := e.CancelFollowUp(ctx, all[0].ID, "Tobias"); err != nil {
		t.Fatal(err)
	}
	if err := e.CancelFollowUp(ctx, all[0].ID, "Ines"); !errors.Is(err, run.ErrStale) {
		t.Errorf("taking it back twice gives %v", err)
	}
	if s, err := e.Fold(ctx, id); err != nil || s.FollowUps[0].Cancelled != "Tobias" {
		t.Errorf("the run tells of %+v (%v)", s.FollowUps, err)
	}
	second := talk(t, e, "desk", "2", "hello again")
	becomes(t, e, second, run.Done)
	all, err = e.FollowUps(ctx, second, 100, "")
	if err != nil || len(all) != 1 {
		t.Fatalf("%+v, %v", all, err)
	}
	comesDue(t, e, bed)
	await(t, "the second begins", func() bool { return counted(t, bed, "SELECT count(*) FROM runs") == 3 })
	if err := e.CancelFollowUp(ctx, all[0].ID, "Ines"); !errors.Is(err, run.ErrStale) {
		t.Errorf("taking back one that has begun gives %v", err)
	}
	await(t, "all is done", func() bool {
		return counted(t, bed, "SELECT count(*) FROM runs WHERE status = 'done'") == 3
	})
	e.Stop(ctx)
	if _, err := e.Rebuild(ctx); err != nil {
		t.Fatal(err)
	}
	again := restart(t, nil, bed)
	comesDue(t, again, bed) // as it has, but for this test's hurry
	await(t, "those that began are known to have", func() bool {
		return counted(t, bed, "SELECT count(*) FROM follow_ups") == 0
	})
	if n := counted(t, bed, "SELECT count(*) FROM runs"); n != 3 {
		t.Errorf("after lists are made anew there are %d runs, not 3 (%s)", n, toCome(t, again))
	}
}

// A conversation has so many open at once and no more, over all its runs, and none is due at once: what refuses them
// is told the agent.
func TestFollowUpsAreBounded(t *testing.T) {
	var told []string
	n := 0
	e, bed := followingDesk(t, "", func(p prompt) reply {
		if strings.HasPrefix(p.last(), "hello") {
			n = 0
		} else {
			told = append(told, p.last())
		}
		switch n++; {
		case strings.HasPrefix(p.last(), "hello soon"):
			return followUpAt(ahead(30*time.Second), "at once")
		case n > 11:
			return reply{text: "Done."}
		case strings.Contains(p.last(), "less than a minute"):
			return reply{text: "Later then."}
		}
		return followUpAt(ahead(time.Duration(n)*time.Hour), "ring them")
	})
	for i := range 2 {
		becomes(t, e, talk(t, e, "desk", fmt.Sprint(i), "hello"), run.Done)
	}
	if n := counted(t, bed, "SELECT count(*) FROM follow_ups"); n != run.MostFollowUps {
		t.Errorf("%d follow-ups are open, and a conversation has %d at most", n, run.MostFollowUps)
	}
	if last := told[len(told)-1]; !strings.Contains(last, "20 follow-ups open") {
		t.Errorf("the agent that wants one more is told %q", last)
	}
	becomes(t, e, talk(t, e, "desk", "soon", "hello soon"), run.Done)
	if last := told[len(told)-1]; !strings.Contains(last, "less than a minute away") {
		t.Errorf("the agent that wants one at once is told %q", last)
	}
}
