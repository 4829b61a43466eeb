package engine

import (
	"context"
	"fmt"

	"woolsignal/server/store"
)

// Pause holds everything back, or lets it go on: no run begins, none is
// woken, and no errand is sent. Signals are still taken in and queue; what is
// on its way comes home. It lasts over restarts.
func (e *Engine) Pause(ctx context.Context, on bool) error {
	var b store.Batch
	b.Do("INSERT INTO settings (name, value) VALUES ('paused', ?) ON CONFLICT (name) DO UPDATE SET value = "+
		"excluded.value", fmt.Sprint(on))
	if err := e.store.Write(ctx, b); err != nil {
		return fmt.Errorf("engine: %w", err)
	}
	e.hold(on)
	return nil
}

func (e *Engine) hold(on bool) {
	e.paused.Store(on)
	e.errands.pause(on)
	e.lanes.pause(on)
	e.clock.nudge()
	select {
	case e.Resumed <- struct{}{}:
	default:
	}
}

// Paused tells whether everything is held back.
func (e *Engine) Paused() bool { return e.paused.Load() }

func (e *Engine) loadPause(ctx context.Context) error {
	values, err := e.column(ctx, "SELECT value FROM settings WHERE name = 'paused'")
	if err != nil {
		return fmt.Errorf("engine: %w", err)
	}
	if len(values) > 0 && values[0] == "true" {
		e.hold(true)
	}
	return nil
}
