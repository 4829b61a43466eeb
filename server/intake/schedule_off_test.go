package intake

import (
	"context"
	"log/slog"
	"testing"
	"time"

	"woolsignal/server/engine"
	"woolsignal/server/testbed"
)

// Times while a workflow was off, or had no such trigger, are skipped, whatever its schedule says of missed ones; times
// while everything was paused are made up for as it says, once it goes on.
func TestOnlyWhatNobodyMeantToSkipIsMadeUpFor(t *testing.T) {
	const with = "    schedule: {every: 15m, missed: all}\n"
	watch := func(schedule string) string {
		return "workflow: watch\ntitle: Watch\ntriggers:\n  - id: rounds\n" + schedule +
			"steps:\n  - compute: {at: now()}\n"
	}
	ctx := context.Background()
	for name, c := range map[string]struct {
		stops, goesOn func(*testing.T, *testbed.Bed, *engine.Engine)
		runs          int
	}{
		"switched off": {func(t *testing.T, bed *testbed.Bed, _ *engine.Engine) {
			check(t, bed.Workspace.Switch(ctx, "watch", false))
		}, func(t *testing.T, bed *testbed.Bed, _ *engine.Engine) {
			check(t, bed.Workspace.Switch(ctx, "watch", true))
		}, 0},
		"without the trigger": {func(t *testing.T, bed *testbed.Bed, _ *engine.Engine) {
			bed.Add(t, map[string]string{"workflows/watch.yaml": "workflow: watch\ntitle: Watch\n" +
				"inputs: {type: object}\nsteps:\n  - compute: {at: now()}\n"})
		}, func(t *testing.T, bed *testbed.Bed, _ *engine.Engine) {
			bed.Add(t, map[string]string{"workflows/watch.yaml": watch(with)})
		}, 0},
		"everything paused": {func(t *testing.T, _ *testbed.Bed, e *engine.Engine) { check(t, e.Pause(ctx, true)) },
			func(t *testing.T, _ *testbed.Bed, e *engine.Engine) { check(t, e.Pause(ctx, false)) }, 40},
	} {
		t.Run(name, func(t *testing.T) {
			bed := testbed.Open(t, map[string]string{"workflows/watch.yaml": watch(with)})
			log := slog.New(slog.DiscardHandler)
			e := engine.New(bed.Store, bed.Workspace, bed.Kit, bed.Secrets, bed.Scripts, log)
			s := &Schedules{Workspace: bed.Workspace, Engine: e, Store: bed.Store, Log: log}
			begin := time.Date(2026, 11, 23, 10, 7, 0, 0, time.UTC)
			s.fire(ctx, begin)
			c.stops(t, bed, e)
			for h := range 10 { // the service runs all the time
				s.fire(ctx, begin.Add(time.Duration(h)*time.Hour))
			}
			c.goesOn(t, bed, e)
			s.fire(ctx, begin.Add(10*time.Hour))
			if n := runsIn(t, bed); n != c.runs {
				t.Errorf("ten hours later it starts %d runs at once, not %d", n, c.runs)
			}
			s.fire(ctx, begin.Add(10*time.Hour+8*time.Minute))
			if n := runsIn(t, bed); n != c.runs+1 {
				t.Errorf("at its next time it has started %d runs, not %d", n, c.runs+1)
			}
		})
	}
}

func check(t *testing.T, err error) {
	t.Helper()
	if err != nil {
		t.Fatal(err)
	}
}

func runsIn(t *testing.T, bed *testbed.Bed) (n int) {
	t.Helper()
	check(t, bed.Store.Read().QueryRow("SELECT count(*) FROM runs").Scan(&n))
	return n
}
