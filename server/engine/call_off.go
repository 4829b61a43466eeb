package engine

import (
	"context"
	"encoding/json"
	"fmt"
	"time"

	"woolsignal/core/run"
	"woolsignal/server/store"
)

// callOffFor is how long the other side is told again, at each start, that a call is no
// longer wanted where it could not be told.
const callOffFor = 24 * time.Hour

// callOff is what there is to be told of one call.
type callOff struct {
	Ticket run.Ticket   `json:"ticket"`
	Task   *run.Abandon `json:"task"`
}

// calledOff keeps with an advance what it calls off elsewhere, so that the other side is
// told though the service stops at that moment.
func calledOff(b *store.Batch, errands []run.Errand, at time.Time) error {
	for _, errand := range errands {
		task, is := errand.Task.(*run.Abandon)
		if !is {
			continue
		}
		data, err := json.Marshal(callOff{errand.Ticket, task})
		if err != nil {
			return fmt.Errorf("engine: %w", err)
		}
		b.Do("INSERT INTO call_offs (run, ref, at, errand) VALUES (?, ?, ?, ?) ON CONFLICT DO NOTHING", errand.Run,
			task.Ref, store.Time(at), data)
	}
	return nil
}

// callOff tells the other side that a call is no longer wanted. It is told again at the
// next start where that fails, for a day.
func (e *Engine) callOff(errand run.Errand, task *run.Abandon) {
	err := e.workspace.Now().Tools.Abandon(e.hard, task.Tool, task.Ref, task.For)
	if err != nil {
		e.log.Warn("a call that is no longer wanted could not be called off", "run", errand.Run, "tool", task.Tool,
			"error", e.secrets.Mask(err.Error()))
	}
	var b store.Batch
	b.Do("DELETE FROM call_offs WHERE run = ? AND ref = ? AND (? OR at < ?)", errand.Run, task.Ref, err == nil,
		store.Time(e.Now().Add(-callOffFor)))
	if err := e.store.Write(e.hard, b); err != nil {
		e.log.Warn("a call that was called off is called off once more at the next start", "run", errand.Run, "error",
			err)
	}
}

// untoldCallOffs are those that nobody could be told of before the service stopped.
func (e *Engine) untoldCallOffs(ctx context.Context) error {
	rows, err := e.store.Read().QueryContext(ctx, "SELECT run, errand FROM call_offs ORDER BY at")
	if err != nil {
		return fmt.Errorf("engine: %w", err)
	}
	defer rows.Close()
	for rows.Next() {
		var errand run.Errand
		var data []byte
		var c callOff
		if err := rows.Scan(&errand.Run, &data); err != nil {
			return fmt.Errorf("engine: %w", err)
		}
		if err := json.Unmarshal(data, &c); err != nil {
			return fmt.Errorf("engine: %w", err)
		}
		errand.Ticket, errand.Task, errand.Again = c.Ticket, c.Task, true
		e.errands.submit("", errand)
	}
	return rows.Err()
}
