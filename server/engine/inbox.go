package engine

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"time"

	"woolsignal/core/run"
	"woolsignal/server/store"
)

// keptFor is how long a signal nobody waited for is kept for somebody who
// comes to wait for it.
const keptFor = 30 * 24 * time.Hour

// Receive takes in a signal that a run may wait for. A run that does hears
// it; else it starts the workflow its trigger belongs to, where there is one;
// else it is kept for who comes to wait. The ticket's Run is "" where no run
// was started. workflow is "" where the signal starts none.
func (e *Engine) Receive(ctx context.Context, workflow string, signal *run.Signal) (*Ticket, error) {
	if !e.mayBeHeard(ctx, signal) {
		if workflow == "" {
			return nil, fmt.Errorf("%w: %s", ErrNobodyWaits, signal.Source)
		}
		return e.Accept(ctx, Admission{Workflow: workflow, Signal: signal})
	}
	signal.Text = e.secrets.Mask(signal.Text)
	signal.Body = e.secrets.MaskValue(signal.Body)
	data, err := json.Marshal(signal)
	if err != nil {
		return nil, fmt.Errorf("engine: %w", err)
	}
	var b store.Batch
	b.Guard("INSERT INTO deliveries (source, id, run) VALUES (?, ?, '') ON CONFLICT DO NOTHING", source(workflow, signal), signal.ID)
	heardAs, key := signal.HeardAs()
	b.Do("INSERT INTO inbox (source, id, key, workflow, state, at, signal) VALUES (?, ?, ?, ?, 'new', ?, ?)",
		heardAs, signal.ID, key, workflow, store.Time(time.Now()), data)
	if err := e.store.Write(ctx, b); errors.Is(err, store.ErrGuard) {
		return e.repeated(ctx, workflow, signal)
	} else if err != nil {
		return nil, fmt.Errorf("engine: the signal could not be kept: %w", err)
	}
	return e.settle(ctx, workflow, signal)
}

// mayBeHeard tells whether a run waits for such signals, or may come to.
func (e *Engine) mayBeHeard(ctx context.Context, signal *run.Signal) bool {
	source, key := signal.HeardAs()
	if key == "" {
		return false
	}
	if e.workspace.Now().Heard[source] {
		return true
	}
	var one int
	return e.store.Read().QueryRowContext(ctx, "SELECT 1 FROM hears WHERE source = ? LIMIT 1", source).Scan(&one) == nil
}

// settle brings a signal that is in the inbox to whom it is for.
func (e *Engine) settle(ctx context.Context, workflow string, signal *run.Signal) (*Ticket, error) {
	heardAs, key := signal.HeardAs()
	rows, err := e.store.Read().QueryContext(ctx, "SELECT run, step, also_starts FROM hears WHERE source = ? AND key = ?", heardAs, key)
	if err != nil {
		return nil, fmt.Errorf("engine: %w", err)
	}
	type listener struct {
		run, step string
		also      bool
	}
	var all []listener
	for rows.Next() {
		var l listener
		if err := rows.Scan(&l.run, &l.step, &l.also); err != nil {
			rows.Close()
			return nil, fmt.Errorf("engine: %w", err)
		}
		all = append(all, l)
	}
	if err := errors.Join(rows.Err(), rows.Close()); err != nil {
		return nil, fmt.Errorf("engine: %w", err)
	}
	for _, l := range all {
		if e.hears(l.run, l.step, signal) {
			if l.also && workflow != "" {
				break
			}
			return &Ticket{Run: l.run, Heard: true, engine: e, answered: e.await(l.run)}, nil
		}
	}
	if workflow != "" {
		return e.Accept(ctx, Admission{Workflow: workflow, Signal: signal, inbox: true})
	}
	var b store.Batch
	b.Do("UPDATE inbox SET state = 'kept' WHERE source = ? AND id = ? AND state = 'new'", heardAs, signal.ID)
	b.Do("DELETE FROM inbox WHERE at < ? AND state != 'new'", store.Time(time.Now().Add(-keptFor)))
	return &Ticket{engine: e, answered: e.await("")}, e.store.Write(ctx, b)
}

// hears offers a signal to a step that waits and tells whether it was meant.
func (e *Engine) hears(id, step string, signal *run.Signal) bool {
	copied := *signal
	err := e.handle(e.hard, id, run.Event{Step: step, Heard: &copied})
	if err != nil && !errors.Is(err, run.ErrStale) && !errors.Is(err, store.ErrGuard) && e.hard.Err() == nil {
		e.log.Error("a signal could not be brought to the run that waits for it", "run", id, "step", step, "error", err)
	}
	return err == nil
}

// listen looks for signals a step missed that only now waits for them.
func (e *Engine) listen(errand run.Errand) {
	rows, err := e.store.Read().QueryContext(e.hard, "SELECT signal FROM inbox WHERE source = ? AND key = ? AND state != 'heard' AND at >= ? ORDER BY at",
		errand.Listen.Source, errand.Listen.Key, store.Time(errand.Listen.Since))
	if err != nil {
		e.log.Error("the inbox could not be read", "run", errand.Run, "error", err)
		return
	}
	var found []*run.Signal
	for rows.Next() {
		var data []byte
		if err = rows.Scan(&data); err != nil {
			break
		}
		signal, err := run.DecodeSignal(data)
		if err == nil {
			found = append(found, signal)
		}
	}
	if err := errors.Join(err, rows.Err(), rows.Close()); err != nil {
		e.log.Error("the inbox could not be read", "run", errand.Run, "error", err)
	}
	for _, signal := range found {
		if e.hears(errand.Run, errand.Step, signal) {
			return
		}
	}
}

// unheard takes up steps that began to wait just before the service stopped,
// for signals that had come before.
func (e *Engine) unheard(ctx context.Context) error {
	rows, err := e.store.Read().QueryContext(ctx, `SELECT DISTINCT h.run, h.step, h.source, h.key, r.workflow, r.accepted FROM inbox i
		JOIN hears h ON h.source = i.source AND h.key = i.key JOIN runs r ON r.id = h.run WHERE i.state = 'kept'`)
	if err != nil {
		return fmt.Errorf("engine: %w", err)
	}
	defer rows.Close()
	for rows.Next() {
		var errand run.Errand
		var workflow string
		var accepted int64
		errand.Listen = &run.Listen{}
		if err := rows.Scan(&errand.Run, &errand.Step, &errand.Listen.Source, &errand.Listen.Key, &workflow, &accepted); err != nil {
			return fmt.Errorf("engine: %w", err)
		}
		errand.Listen.Since = store.FromTime(accepted)
		e.errands.put(workflow, errand)
	}
	return rows.Err()
}

// unsettled takes up signals that came in just before the service stopped.
func (e *Engine) unsettled(ctx context.Context) error {
	rows, err := e.store.Read().QueryContext(ctx, "SELECT workflow, signal FROM inbox WHERE state = 'new'")
	if err != nil {
		return fmt.Errorf("engine: %w", err)
	}
	defer rows.Close()
	for rows.Next() {
		var workflow string
		var data []byte
		if err := rows.Scan(&workflow, &data); err != nil {
			return fmt.Errorf("engine: %w", err)
		}
		signal, err := run.DecodeSignal(data)
		if err != nil {
			return err
		}
		e.working.Go(func() {
			if _, err := e.settle(e.ctx, workflow, signal); err != nil && e.ctx.Err() == nil {
				e.log.Error("a signal of before the stop could not be settled", "source", signal.Source, "id", signal.ID, "error", err)
			}
		})
	}
	return rows.Err()
}
