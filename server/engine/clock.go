package engine

import (
	"context"
	"errors"
	"sync"
	"sync/atomic"
	"time"

	"woolsignal/core/run"
	"woolsignal/server/store"
)

// clock knows when the next run is to be woken.
type clock struct {
	mu      sync.Mutex // guards next
	next    time.Time
	changed chan struct{}
}

func newClock() *clock { return &clock{changed: make(chan struct{}, 1)} }

// set tells of a time a run is to be woken at.
func (c *clock) set(t time.Time) {
	if t.IsZero() {
		return
	}
	c.mu.Lock()
	sooner := c.next.IsZero() || t.Before(c.next)
	if sooner {
		c.next = t
	}
	c.mu.Unlock()
	if sooner {
		c.nudge()
	}
}

func (c *clock) nudge() {
	select {
	case c.changed <- struct{}{}:
	default:
	}
}

// longestSleep bounds how long a clock that jumps goes unnoticed while a run
// waits for a time.
const longestSleep = 30 * time.Second

// wakeAtOnce is how many runs are woken at the same time.
const wakeAtOnce = 16

// wakeups wakes runs whose time has come until the engine stops. Runs that
// wait are found by the time they wait for; none of them is in memory.
func (e *Engine) wakeups() {
	for {
		sleep := time.Duration(0) // till somebody waits for a time
		if !e.Paused() {
			next, err := e.wakeDue()
			if err != nil && e.ctx.Err() == nil {
				e.log.Error("waiting runs could not be looked up", "error", err)
				next = e.Now().Add(time.Second)
			}
			if !next.IsZero() {
				sleep = min(longestSleep, max(next.Sub(e.Now()), time.Nanosecond))
			}
		}
		var due <-chan time.Time
		if sleep > 0 {
			due = time.After(sleep)
		}
		select {
		case <-due:
		case <-e.clock.changed:
		case <-e.ctx.Done():
			return
		}
	}
}

// wakeDue wakes every run that is due and gives the time of the next.
func (e *Engine) wakeDue() (time.Time, error) {
	e.clock.mu.Lock()
	e.clock.next = time.Time{}
	e.clock.mu.Unlock()
	for e.ctx.Err() == nil {
		ids, err := e.column(e.ctx, "SELECT id FROM runs WHERE wake <= ? ORDER BY wake LIMIT 500",
			store.Time(e.Now()))
		if err != nil {
			return time.Time{}, err
		}
		if len(ids) == 0 {
			break
		}
		if moved := e.wakeAll(ids); moved == 0 {
			return e.Now().Add(time.Second), nil // their state and their row disagree; do not spin
		}
	}
	if err := e.followUps(); err != nil {
		return time.Time{}, err
	}
	var ms *int64
	if err := e.store.Read().QueryRowContext(e.ctx, "SELECT min(at) FROM (SELECT min(wake) AS at FROM runs WHERE wake "+
		"IS NOT NULL UNION ALL SELECT min(due) FROM follow_ups)").Scan(&ms); err != nil || ms == nil {
		return time.Time{}, err
	}
	next := store.FromTime(*ms)
	e.clock.mu.Lock()
	defer e.clock.mu.Unlock()
	if e.clock.next.IsZero() || next.Before(e.clock.next) {
		e.clock.next = next
	}
	return e.clock.next, nil
}

// wakeAll wakes runs and gives how many went on.
func (e *Engine) wakeAll(ids []string) int64 {
	var moved atomic.Int64
	var group sync.WaitGroup
	free := make(chan struct{}, wakeAtOnce)
	for _, id := range ids {
		free <- struct{}{}
		group.Go(func() {
			defer func() { <-free }()
			var err error
			e.onRun(id, func() { err = e.handle(e.hard, id, &run.Tick{}) })
			if err == nil {
				moved.Add(1)
			} else if !errors.Is(err, run.ErrStale) && e.hard.Err() == nil {
				e.log.Error("a waiting run could not go on", "run", id, "error", err)
			}
		})
	}
	group.Wait()
	return moved.Load()
}

// column reads one column of texts.
func (e *Engine) column(ctx context.Context, query string, args ...any) ([]string, error) {
	rows, err := e.store.Read().QueryContext(ctx, query, args...)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	var out []string
	for rows.Next() {
		var one string
		if err := rows.Scan(&one); err != nil {
			return nil, err
		}
		out = append(out, one)
	}
	return out, rows.Err()
}
