package engine

import (
	"context"
	"strings"
	"testing"
	"time"

	"woolsignal/core/run"
)

// TestASignalThatAlsoStartsIsHeardOnce has two runs wait for a signal that starts one as
// well, which fails for a while.
func TestASignalThatAlsoStartsIsHeardOnce(t *testing.T) {
	also := strings.Replace(listening, "        match:", "        also_starts: true\n        match:", 1)
	e, bed := workshop(t, map[string]string{"listen": callable + "steps:\n" + also, "intake": hooked})
	waiting := []string{call(t, e, "listen", map[string]any{"who": "lot-9"}),
		call(t, e, "listen", map[string]any{"who": "lot-9"})}
	for _, id := range waiting {
		becomes(t, e, id, run.Waiting)
	}
	mend := bed.Spoil(t, "runs", "NEW.workflow = 'intake'")
	if _, err := e.Receive(context.Background(), "intake", hook("d1")); err != nil {
		t.Log(err) // it is kept all the same
	}
	await(t, "it was heard and could not be started", func() bool {
		return counted(t, bed, "SELECT count(*) FROM inbox WHERE state = 'starts'") == 1 && troubled.Load() > 0
	})
	mend()
	await(t, "it starts", func() bool {
		return counted(t, bed, "SELECT count(*) FROM runs WHERE workflow = 'intake'") == 1
	})
	heard := 0
	for _, id := range waiting {
		if s, err := e.Fold(context.Background(), id); err == nil && s.Status == run.Done {
			heard++
		}
	}
	if heard != 1 {
		t.Errorf("%d runs heard it", heard)
	}
	if n := counted(t, bed, "SELECT count(*) FROM inbox"); n != 0 {
		t.Errorf("%d signals are left in the inbox", n)
	}
}

// TestAMinuteHoldsOverARestart begins as many runs as a minute may have, and starts the
// service anew.
func TestAMinuteHoldsOverARestart(t *testing.T) {
	e, bed := workshop(t, map[string]string{"w": "limits: {per_minute: 2}\n" + callable +
		"steps:\n  - compute: {a: '1'}\n"})
	for range 3 {
		for range 2 {
			call(t, e, "w", nil)
		}
		await(t, "two are done", func() bool {
			return counted(t, bed, "SELECT count(*) FROM runs WHERE status = 'done'") >= 2
		})
		e = restart(t, e, bed)
	}
	if n := counted(t, bed, "SELECT count(*) FROM runs WHERE status = 'done'"); n != 2 {
		t.Errorf("%d runs began within a minute", n)
	}
}

// TestAMinuteEndsThoughTheClockIsPutBack puts the clock back by an hour while a minute is
// full.
func TestAMinuteEndsThoughTheClockIsPutBack(t *testing.T) {
	m, at := &minute{}, time.Date(2026, 11, 23, 12, 0, 0, 0, time.UTC)
	for range 3 {
		m.took(at)
	}
	back := at.Add(-time.Hour)
	if m.room(back, 3, func() {}) {
		t.Error("there is room in the minute that is full")
	}
	if !m.room(back.Add(time.Minute), 3, func() {}) {
		t.Error("a minute later there is no room")
	}
}
