package intake

import (
	"context"
	"log/slog"
	"strings"
	"testing"
	"time"

	"woolsignal/core/calendar"
	"woolsignal/server/engine"
	"woolsignal/server/testbed"
)

// clockwork is a workspace with one schedule of every 15 minutes.
func clockwork(t *testing.T) (*Schedules, func() int) {
	t.Helper()
	bed := testbed.Open(t, map[string]string{
		"workflows/watch.yaml": "workflow: watch\ntitle: Watch\ntriggers:\n  - id: rounds\n" +
			"    schedule: {every: 15m}\nsteps:\n  - compute: {at: now()}\n",
	})
	log := slog.New(slog.DiscardHandler)
	runs := func() (n int) {
		if err := bed.Store.Read().QueryRow("SELECT count(*) FROM runs").Scan(&n); err != nil {
			t.Fatal(err)
		}
		return n
	}
	return &Schedules{Workspace: bed.Workspace,
		Engine: engine.New(bed.Store, bed.Workspace, bed.Kit, bed.Secrets, bed.Scripts, log), Store: bed.Store,
		Log: log}, runs
}

func TestEachDueTimeStartsOneRun(t *testing.T) {
	s, runs := clockwork(t)
	ctx, begin := context.Background(), time.Date(2026, 11, 23, 10, 7, 0, 0, time.UTC)
	for _, step := range []struct {
		at   time.Duration
		want int
		next string
	}{
		{0, 0, "10:08"},                // looks again within a minute
		{7 * time.Minute, 0, "10:15"},  // … or when it is due
		{8 * time.Minute, 1, "10:16"},  // due
		{8 * time.Minute, 1, "10:16"},  // looking twice starts nothing
		{23 * time.Minute, 2, "10:31"}, // the next
		{70 * time.Minute, 2, "11:18"}, // three were missed while the service was down: skipped
		{83 * time.Minute, 3, "11:31"}, // and it goes on in step
	} {
		now := begin.Add(step.at)
		if next := s.fire(ctx, now); runs() != step.want || next.Format("15:04") != step.next {
			t.Errorf("at %s: %d runs and the next look at %s, want %d and %s", now.Format("15:04"), runs(),
				next.Format("15:04"), step.want, step.next)
		}
	}
}

func TestTheSameTimeAfterACrashStartsNothing(t *testing.T) {
	s, runs := clockwork(t)
	ctx, due := context.Background(), time.Date(2026, 11, 23, 10, 15, 0, 0, time.UTC)
	// The run was accepted, and the service died before it kept the next time.
	s.start(ctx, "watch", "rounds", due)
	if err := s.keep(ctx, "watch/rounds", due); err != nil {
		t.Fatal(err)
	}
	s.fire(ctx, due.Add(time.Second))
	if runs() != 1 {
		t.Errorf("%d runs of one due time", runs())
	}
}

func TestAChangedIntervalCountsAtOnce(t *testing.T) {
	s, _ := clockwork(t)
	ctx, now := context.Background(), time.Date(2026, 11, 23, 10, 7, 0, 0, time.UTC)
	// what an interval of a day left
	if err := s.keep(ctx, "watch/rounds", now.Add(9*time.Hour+8*time.Minute)); err != nil {
		t.Fatal(err)
	}
	due, err := s.due(ctx, "watch/rounds", &calendar.Rule{Every: 15 * time.Minute}, now)
	if err != nil || due.Format("15:04") != "10:15" {
		t.Errorf("next due at %s, %v", due, err)
	}
}

func TestMissedTimesAreTheSchedulesChoice(t *testing.T) {
	rule := &calendar.Rule{Every: 15 * time.Minute}
	due := time.Date(2026, 11, 23, 10, 15, 0, 0, time.UTC)
	for _, c := range []struct {
		missed string
		after  time.Duration
		want   string
	}{
		{"skip", 0, "10:15"}, {"skip", 30 * time.Second, "10:15"}, {"skip", 10 * time.Minute, ""},
		{"skip", 45*time.Minute + time.Second, "11:00"},
		{"once", 10 * time.Minute, "10:15"}, {"once", 50 * time.Minute, "11:00"},
		{"all", 50 * time.Minute, "10:15 10:30 10:45 11:00"},
	} {
		var got []string
		for _, at := range starts(rule, c.missed, due, due.Add(c.after)) {
			got = append(got, at.Format("15:04"))
		}
		if s := strings.Join(got, " "); s != c.want {
			t.Errorf("missed: %s, looked at %s later: %q, want %q", c.missed, c.after, s, c.want)
		}
	}
}

// A schedule does not move past a start that did not succeed: it is made up
// for once there is room, however late that is, and once.
func TestAStartThatFailsIsOwed(t *testing.T) {
	bed := testbed.Open(t, map[string]string{
		"workflows/watch.yaml": "workflow: watch\ntitle: Watch\ntriggers:\n  - id: rounds\n" +
			"    schedule: {every: 15m}\nsteps:\n  - compute: {at: now()}\n",
	})
	log := slog.New(slog.DiscardHandler)
	s := &Schedules{Workspace: bed.Workspace,
		Engine: engine.New(bed.Store, bed.Workspace, bed.Kit, bed.Secrets, bed.Scripts, log), Store: bed.Store,
		Log: log}
	ctx, begin := context.Background(), time.Date(2026, 11, 23, 10, 7, 0, 0, time.UTC)
	s.fire(ctx, begin)
	mend := bed.Spoil(t, "journal", "1")
	if next := s.fire(ctx, begin.Add(8*time.Minute)); next.Sub(begin) != 8*time.Minute+startAgain {
		t.Errorf("after a start that failed it looks again at %s", next)
	}
	s.fire(ctx, begin.Add(25*time.Minute)) // late enough to count as missed, and another is due
	mend()
	var runs int
	for range 2 {
		s.fire(ctx, begin.Add(26*time.Minute))
		if err := bed.Store.Read().QueryRow("SELECT count(*) FROM runs").Scan(&runs); err != nil {
			t.Fatal(err)
		}
	}
	if runs != 1 {
		t.Errorf("%d runs of the start that failed, want 1; the time that came %d minutes before anybody looked was "+
			"missed", runs, 3)
	}
}
