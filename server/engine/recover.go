package engine

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"slices"
	"time"

	"woolsignal/core/flow"
	"woolsignal/core/run"
	"woolsignal/server/store"
	"woolsignal/server/workspace"
)

// load folds a run from its journal. l is locked.
func (e *Engine) load(ctx context.Context, l *live) error {
	err := e.identify(ctx, l)
	if err != nil {
		return err
	}
	var unreadable *workspace.UnreadableError
	if l.def, err = e.workspace.ByHash(ctx, l.definition); errors.As(err, &unreadable) {
		l.def, l.unreadable = run.Unreadable(l.workflow()), err
	} else if err != nil {
		return err
	}
	// Read before the journal: of an entry that comes between, the head is not known, and
	// what follows from it is refused.
	if err := e.store.Read().QueryRowContext(ctx, "SELECT head FROM runs WHERE id = ?", l.id).
		Scan(&l.head); err != nil {
		return fmt.Errorf("engine: %w", err)
	}
	if l.state, l.kept, err = e.fold(ctx, l.id); err != nil {
		return err
	}
	if !l.state.Status.Ended() {
		e.runs.holdCaller(l, l.state.Origin)
	}
	return nil
}

// identify reads what a run is known by, and what it follows. Where something was
// renamed at that moment it reads again.
func (e *Engine) identify(ctx context.Context, l *live) error {
	if l.names.Load() != nil {
		return nil // it is renamed with the workflow
	}
	for {
		renames := e.renames.Load()
		var workflow string
		var thread sql.NullString
		err := e.store.Read().QueryRowContext(ctx, "SELECT workflow, definition, thread FROM runs WHERE id = ?",
			l.id).Scan(&workflow, &l.definition, &thread)
		if errors.Is(err, sql.ErrNoRows) {
			return fmt.Errorf("%w: %s", ErrNoRun, l.id)
		} else if err != nil {
			return fmt.Errorf("engine: %w", err)
		}
		if l.called(workflow, thread.String); renames == e.renames.Load() {
			return nil
		}
	}
}

// Fold builds a run's state from its journal, beginning at its snapshot where
// it has one.
func (e *Engine) Fold(ctx context.Context, id string) (*run.State, error) {
	state, _, err := e.fold(ctx, id)
	return state, err
}

// fold tells also what is known of the run's snapshots.
func (e *Engine) fold(ctx context.Context, id string) (*run.State, kept, error) {
	state, k := run.NewState(id), kept{}
	var data []byte
	err := e.store.Read().QueryRowContext(ctx, "SELECT seq, state FROM snapshots WHERE run = ?", id).Scan(&k.after,
		&data)
	if err == nil {
		k.size = len(data)
		state, err = run.DecodeState(data)
	} else if errors.Is(err, sql.ErrNoRows) {
		err = nil
	}
	if err != nil {
		return nil, k, fmt.Errorf("engine: %w", err)
	}
	entries, size, err := e.entries(ctx, id, k.after)
	if err != nil {
		return nil, k, err
	}
	k.grown = size
	for _, entry := range entries {
		if err := state.Apply(entry); err != nil {
			return nil, k, err
		}
	}
	if state.Signal == nil {
		return nil, k, fmt.Errorf("%w: %s", ErrNoRun, id)
	}
	return state, k, nil
}

// Journal reads a run's journal, oldest entry first.
func (e *Engine) Journal(ctx context.Context, id string) ([]run.Entry, error) {
	entries, _, err := e.entries(ctx, id, 0)
	if err == nil && len(entries) == 0 {
		err = fmt.Errorf("%w: %s", ErrNoRun, id)
	}
	return entries, err
}

// entries reads the part of a journal behind an entry, and tells how many
// bytes that is.
func (e *Engine) entries(ctx context.Context, id string, after int64) (entries []run.Entry, size int, err error) {
	rows, err := e.store.Read().QueryContext(ctx, "SELECT entry FROM journal WHERE run = ? AND seq > ? ORDER BY seq",
		id, after)
	if err != nil {
		return nil, 0, fmt.Errorf("engine: %w", err)
	}
	defer rows.Close()
	for rows.Next() {
		var data []byte
		if err := rows.Scan(&data); err != nil {
			return nil, 0, fmt.Errorf("engine: %w", err)
		}
		entry, err := run.DecodeEntry(data)
		if err != nil {
			return nil, 0, fmt.Errorf("the run %s: %w", id, err)
		}
		entries, size = append(entries, entry), size+len(data)
	}
	if err := rows.Err(); err != nil {
		return nil, 0, fmt.Errorf("engine: %w", err)
	}
	return entries, size, nil
}

// Start takes up what was open when the service last stopped, and from then
// on wakes runs whose time has come.
func (e *Engine) Start(ctx context.Context) error {
	if err := errors.Join(e.whole(ctx), e.loadPause(ctx), e.loadEndings(ctx)); err != nil {
		return err
	}
	if err := e.loadMinutes(ctx); err != nil {
		return err
	}
	resume, begin, stop, err := e.open(ctx)
	if err != nil {
		return err
	}
	if err := errors.Join(e.unsettled(ctx), e.unheard(ctx), e.untold(ctx), e.unwanted(ctx),
		e.untoldCallOffs(ctx)); err != nil {
		return err
	}
	for _, id := range resume {
		e.onRun(id, func() { e.resume(id) })
	}
	for _, id := range begin {
		e.begin(id)
	}
	for id, why := range stop {
		e.working.Go(func() { e.deliver(id, &run.Break{Why: why}) })
	}
	if n := len(resume) + len(begin); n > 0 {
		e.log.Info("took up what was open", "runs", n)
	}
	e.working.Go(e.wakeups)
	e.working.Go(e.index)
	return nil
}

// loadMinutes reads when runs began lately of workflows that are limited by the minute.
// That is when they came, or later.
func (e *Engine) loadMinutes(ctx context.Context) error {
	for id, def := range e.workspace.Now().Live {
		most := def.Workflow.Limits.PerMinute
		if most == 0 {
			continue
		}
		rows, err := e.store.Read().QueryContext(ctx, "SELECT accepted FROM runs WHERE workflow = ? AND "+
			"status != 'queued' ORDER BY id DESC LIMIT ?", id, most)
		if err != nil {
			return fmt.Errorf("engine: %w", err)
		}
		var began []time.Time
		for rows.Next() {
			var at int64
			if err := rows.Scan(&at); err != nil {
				return errors.Join(fmt.Errorf("engine: %w", err), rows.Close())
			}
			began = append(began, store.FromTime(at))
		}
		if err := errors.Join(rows.Err(), rows.Close()); err != nil {
			return fmt.Errorf("engine: %w", err)
		}
		slices.Reverse(began) // the oldest first
		e.lanes.remember(id, began)
	}
	return nil
}

// open reads the open runs, puts each in its place, and gives those to send
// errands for again, those to begin, and those to stop, with why: what they
// follow can no longer be read. Runs that only wait stay where they are.
func (e *Engine) open(ctx context.Context) (resume, begin []string, stop map[string]string, err error) {
	stop = map[string]string{}
	rows, err := e.store.Read().QueryContext(ctx,
		"SELECT id, workflow, definition, status, thread, key, accepted FROM runs WHERE ended IS NULL ORDER BY id")
	if err != nil {
		return nil, nil, nil, fmt.Errorf("engine: %w", err)
	}
	defer rows.Close()
	type waiting struct {
		id    string
		place place
	}
	var queued []waiting
	for rows.Next() {
		var id, workflow, definition, status string
		var thread, key sql.NullString
		var accepted int64
		if err := rows.Scan(&id, &workflow, &definition, &status, &thread, &key, &accepted); err != nil {
			return nil, nil, nil, fmt.Errorf("engine: %w", err)
		}
		p := place{workflow: workflow, thread: thread.String, key: key.String, accepted: store.FromTime(accepted)}
		def, err := e.workspace.ByHash(ctx, definition)
		var unreadable *workspace.UnreadableError
		if errors.As(err, &unreadable) {
			stop[id] = err.Error()
			continue
		}
		if err == nil {
			limits := def.Workflow.Limits
			p.atOnce, p.perKey = limits.AtOnce, limits.Same.AtOnce
			p.perMinute, p.quietFor = limits.PerMinute, limits.Same.QuietFor
		}
		switch run.Status(status) {
		case run.Queued:
			queued = append(queued, waiting{id, p})
		case run.Running:
			e.lanes.occupy(id, p)
			resume = append(resume, id)
		default:
			e.lanes.occupy(id, p)
		}
	}
	// Those that moved have their places before any other asks for one: ids of
	// one millisecond are in no order.
	for _, w := range queued {
		if e.lanes.enter(w.id, w.place) {
			begin = append(begin, w.id)
		}
	}
	for _, w := range queued {
		e.lanes.arrived(w.id) // of those that waited for quiet, the youngest alone still does
	}
	return resume, begin, stop, rows.Err()
}

// resume sends again what one run still waits for and nobody in this process
// has: a service that stopped, or a disk that failed, may have kept it from
// being sent, or its answer from being taken in.
func (e *Engine) resume(id string) {
	l := e.runs.hold(id)
	defer e.runs.release(l)
	var errands []run.Errand
	var broken error
	underWay := false
	err := e.locked(e.hard, l, func() error {
		if underWay = l.writing > 0; !underWay { // else what that entry sends is not known to be sent yet
			errands, broken = run.Outstanding(l.def, l.state, e.now())
		}
		return nil
	})
	switch {
	case errors.Is(err, ErrNoRun):
		return
	case err != nil:
		e.log.Error("a run cannot be taken up; it is tried again", "run", id, "error", err)
		e.later(id)
		return
	case underWay:
		e.later(id)
		return
	case broken != nil:
		e.log.Error("a run cannot be taken up", "run", id, "error", broken)
		return
	}
	errands = slices.DeleteFunc(errands, e.errands.has)
	workflow := l.workflow()
	for _, errand := range errands {
		if call, is := errand.Task.(*run.Call); is && call.Resend == flow.ResendNever {
			e.working.Go(func() {
				e.deliver(errand.Run,
					errand.Answer(&run.Lost{Why: "The service stopped while this call was on its way."}))
			})
			continue
		}
		errand.Again = true
		e.errands.submit(workflow, errand)
	}
}

// recallLate answers a memory errand that was not answered in the entry it
// came from, as a journal may hold that somebody else wrote.
func (e *Engine) recallLate(errand run.Errand, recall *run.Recall) (again bool, err error) {
	remembered, err := e.recall(e.hard, recall)
	if err != nil {
		e.log.Error("a memory could not be read; it is tried again", "run", errand.Run, "error", err)
		return e.hard.Err() == nil, nil
	}
	e.deliver(errand.Run, errand.Answer(remembered))
	return false, nil
}

// later looks at a run again that could not be written, once the disk may
// have recovered.
func (e *Engine) later(id string) {
	e.working.Go(func() {
		select {
		case <-time.After(2 * time.Second):
			e.resume(id)
		case <-e.ctx.Done():
		}
	})
}
