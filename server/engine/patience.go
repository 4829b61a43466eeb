package engine

import (
	"errors"
	"fmt"
	"time"

	"woolsignal/core/run"
	"woolsignal/server/fault"
)

// How long the engine waits before it tries again what it cannot give up:
// longer each time, for a disk that is full stays so for a while.
const (
	firstPause  = 100 * time.Millisecond
	longestWait = 10 * time.Second
)

// patiently does what must be done until it is, and tells so; or until the
// engine stops: then it is taken up at the next start.
func (e *Engine) patiently(what string, about []any, do func() error) bool {
	for pause := firstPause; ; pause = min(2*pause, longestWait) {
		err := do()
		if err == nil || e.hard.Err() != nil {
			return err == nil
		}
		e.log.Error(what+"; it is tried again", append(about, "error", err, "in", pause)...)
		select {
		case <-time.After(pause):
		case <-e.ctx.Done():
			return false
		}
	}
}

// deliver brings an event to its run where no caller waits to be told of
// trouble. What came back from outside is not lost because a disk was full
// for a while: it is brought until it is written, or no longer awaited.
func (e *Engine) deliver(id string, event run.Event) {
	e.patiently("an event could not be taken in", []any{"run", id, "event", fmt.Sprintf("%T", event)}, func() error {
		err := e.handle(e.hard, id, event)
		var broken *fault.Error
		if errors.Is(err, run.ErrStale) || errors.Is(err, ErrNoRun) || errors.As(err, &broken) {
			return nil // it was logged where it happened
		}
		return err
	})
}
