package engine

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"time"

	"woolsignal/core/flow"
	"woolsignal/core/run"
)

// load folds a run from its journal. l.mu is held.
func (e *Engine) load(ctx context.Context, l *live) error {
	var thread sql.NullString
	err := e.store.Read().QueryRowContext(ctx, "SELECT workflow, definition, thread FROM runs WHERE id = ?", l.id).Scan(&l.workflow, &l.definition, &thread)
	if errors.Is(err, sql.ErrNoRows) {
		return fmt.Errorf("%w: %s", ErrNoRun, l.id)
	} else if err != nil {
		return fmt.Errorf("engine: %w", err)
	}
	l.thread = thread.String
	if l.def, err = e.workspace.ByHash(ctx, l.definition); err != nil {
		return err
	}
	l.state, err = e.Fold(ctx, l.id)
	return err
}

// Fold builds a run's state from its journal.
func (e *Engine) Fold(ctx context.Context, id string) (*run.State, error) {
	entries, err := e.Journal(ctx, id)
	if err != nil {
		return nil, err
	}
	return run.Fold(id, entries)
}

// Journal reads a run's journal, oldest entry first.
func (e *Engine) Journal(ctx context.Context, id string) ([]run.Entry, error) {
	rows, err := e.store.Read().QueryContext(ctx, "SELECT entry FROM journal WHERE run = ? ORDER BY seq", id)
	if err != nil {
		return nil, fmt.Errorf("engine: %w", err)
	}
	defer rows.Close()
	var entries []run.Entry
	for rows.Next() {
		var data []byte
		if err := rows.Scan(&data); err != nil {
			return nil, fmt.Errorf("engine: %w", err)
		}
		entry, err := run.DecodeEntry(data)
		if err != nil {
			return nil, err
		}
		entries = append(entries, entry)
	}
	if err := rows.Err(); err != nil {
		return nil, fmt.Errorf("engine: %w", err)
	}
	if len(entries) == 0 {
		return nil, fmt.Errorf("%w: %s", ErrNoRun, id)
	}
	return entries, nil
}

// Start takes up every run that was open when the service last stopped.
func (e *Engine) Start(ctx context.Context) error {
	rows, err := e.store.Read().QueryContext(ctx, "SELECT id, status, thread FROM runs WHERE ended IS NULL ORDER BY id")
	if err != nil {
		return fmt.Errorf("engine: %w", err)
	}
	defer rows.Close()
	var resume []string
	for rows.Next() {
		var id, status string
		var thread sql.NullString
		if err := rows.Scan(&id, &status, &thread); err != nil {
			return fmt.Errorf("engine: %w", err)
		}
		first := true
		if thread.Valid {
			e.threads[thread.String] = append(e.threads[thread.String], id)
			first = len(e.threads[thread.String]) == 1
		}
		if status == string(run.Running) || status == string(run.Queued) && first {
			resume = append(resume, id)
		}
	}
	if err := rows.Err(); err != nil {
		return fmt.Errorf("engine: %w", err)
	}
	for _, id := range resume {
		e.resume(ctx, id)
	}
	if len(resume) > 0 {
		e.log.Info("took up what was open", "runs", len(resume))
	}
	return nil
}

// resume sends again what one run still waits for.
func (e *Engine) resume(ctx context.Context, id string) {
	l, err := e.find(ctx, id)
	if err != nil {
		e.log.Error("a run cannot be taken up", "run", id, "error", err)
		return
	}
	queued := l.state.Status == run.Queued
	errands, err := run.Outstanding(l.def, l.state, now())
	l.mu.Unlock()
	if err != nil {
		e.log.Error("a run cannot be taken up", "run", id, "error", err)
		return
	}
	if queued {
		e.begin(id)
		return
	}
	for _, errand := range errands {
		switch {
		case errand.Recall != nil:
			e.working.Go(func() { e.recallLate(errand) })
		case errand.Call != nil && errand.Call.Resend == flow.ResendNever:
			e.working.Go(func() { e.take(errand.Run, run.Event{Step: errand.Step, CallID: errand.CallID, Lost: true}) })
		default:
			errand.Again = true
			e.do(errand)
		}
	}
}

// recallLate answers a memory errand that was not answered in the entry it
// came from, as a journal may hold that somebody else wrote.
func (e *Engine) recallLate(errand run.Errand) {
	remembered, err := e.remembered(e.hard, errand.Recall)
	if err != nil {
		e.log.Error("a memory could not be read", "run", errand.Run, "error", err)
		return
	}
	e.take(errand.Run, run.Event{Step: errand.Step, Recalled: &run.Recalled{Messages: remembered}})
}

// later takes a run up again that could not be written, once the disk may
// have recovered.
func (e *Engine) later(id string) {
	e.working.Go(func() {
		select {
		case <-time.After(2 * time.Second):
			e.resume(e.ctx, id)
		case <-e.ctx.Done():
		}
	})
}
