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

// arrival is a signal in the inbox.
type arrival struct {
	delivery   run.Deliverer
	workflow   string // the one it starts where nobody waits; "" for none
	definition string // … as it was when the signal was taken in
	signal     *run.Signal
}

// settlement is an arrival on its way to whom it is for.
type settlement struct {
	done   chan struct{} // closed once it is there, or it is known to take longer
	ticket *Ticket
}

// Receive takes in a signal that a run may wait for. A run that does hears
// it; else it starts the workflow its trigger belongs to, where there is one;
// else it is kept for who comes to wait. The ticket's Run is "" where no run
// was started. workflow is "" where the signal starts none.
//
// With an error nothing was kept. Once the signal is kept, what becomes of it
// no longer depends on the caller. Errors: [ErrNobodyWaits], those of
// [Engine.Accept].
func (e *Engine) Receive(ctx context.Context, workflow string, signal *run.Signal) (*Ticket, error) {
	if !e.mayBeHeard(ctx, signal) {
		if workflow == "" {
			if came, err := e.Came(ctx, signal); err != nil {
				return nil, err
			} else if came {
				return e.repeated(ctx, deliverer("", signal), signal.ID)
			}
			return nil, fmt.Errorf("%w: %s", ErrNobodyWaits, signal.Source)
		}
		a := Admission{Workflow: workflow, Signal: signal}
		if err := e.drafted(ctx, &a); err != nil {
			return nil, err
		}
		return e.Accept(ctx, a)
	}
	a, err := e.arriving(ctx, workflow, signal)
	if err != nil {
		return nil, err
	}
	data, err := json.Marshal(signal)
	if err != nil {
		return nil, fmt.Errorf("engine: %w", err)
	}
	var b store.Batch
	b.Guard("the delivery is the first of its id",
		"INSERT INTO deliveries (source, id, run) VALUES (?, ?, '') ON CONFLICT DO NOTHING", a.delivery.String(),
		signal.ID)
	heardAs, key := signal.HeardAs()
	b.Do("INSERT INTO inbox (delivery, id, source, key, workflow, definition, state, at, signal) VALUES (?, ?, ?, "+
		"?, ?, ?, 'new', ?, ?)",
		a.delivery.String(), signal.ID, heardAs, key, workflow, a.definition, store.Time(e.Now()), data)
	if err := e.store.Write(ctx, b); errors.Is(err, store.ErrGuard) {
		return e.repeated(ctx, a.delivery, signal.ID)
	} else if err != nil {
		return nil, fmt.Errorf("engine: the signal could not be kept: %w", err)
	}
	return e.settling(a).wait(ctx)
}

// arriving readies a signal for the inbox, and refuses what could not be
// started: afterwards nothing is refused.
func (e *Engine) arriving(ctx context.Context, workflow string, signal *run.Signal) (arrival, error) {
	a := arrival{delivery: deliverer(workflow, signal), workflow: workflow, signal: signal}
	e.hide(workflow, signal)
	if workflow == "" {
		return a, nil
	}
	if e.full() {
		return a, ErrBusy
	}
	var err error
	if signal.Draft {
		a.definition, err = e.workspace.Draft(ctx, workflow)
		return a, err
	}
	a.definition, _, err = e.workspace.Definition(ctx, workflow)
	return a, err
}

// mayBeHeard tells whether a run waits for such signals, or may come to.
func (e *Engine) mayBeHeard(ctx context.Context, signal *run.Signal) bool {
	source, key := signal.HeardAs()
	if key == "" || signal.Draft && signal.Kind != "chat" { // what waits is live
		return false
	}
	if e.workspace.Now().Heard[source] || e.postedIn(signal) != "" {
		return true
	}
	var one int
	return e.store.Read().QueryRowContext(ctx, "SELECT 1 FROM hears WHERE source = ? LIMIT 1", source).Scan(&one) == nil
}

// Expects tells whether a run waits for what a signal that starts nothing is about,
// or whether it came before.
func (e *Engine) Expects(ctx context.Context, signal *run.Signal) (yes bool, err error) {
	source, key := signal.HeardAs()
	if key == "" {
		return false, nil
	}
	if came, err := e.Came(ctx, signal); came || err != nil {
		return came, err
	}
	err = e.store.Read().QueryRowContext(ctx, "SELECT EXISTS (SELECT 1 FROM hears WHERE source = ? AND key = ?)",
		source, key).Scan(&yes)
	return yes, err
}

// Came tells whether a signal that starts nothing came before.
func (e *Engine) Came(ctx context.Context, signal *run.Signal) (yes bool, err error) {
	err = e.store.Read().QueryRowContext(ctx, "SELECT EXISTS (SELECT 1 FROM deliveries WHERE source = ? AND id = ?)",
		deliverer("", signal).String(), signal.ID).Scan(&yes)
	return yes, err
}

// wait gives the ticket of an arrival once it is settled. A caller that leaves
// changes nothing.
func (s *settlement) wait(ctx context.Context) (*Ticket, error) {
	select {
	case <-s.done:
		return s.ticket, nil
	case <-ctx.Done():
		return nil, ctx.Err()
	}
}

// settling brings an arrival to whom it is for, however often that takes, and
// gives how far it is. An arrival that is on its way already is brought once.
func (e *Engine) settling(a arrival) *settlement {
	key := a.delivery.String() + "\n" + a.signal.ID
	e.mu.Lock()
	defer e.mu.Unlock()
	if s := e.settlements[key]; s != nil {
		return s
	}
	s := &settlement{done: make(chan struct{}), ticket: &Ticket{engine: e, answered: closed()}}
	e.settlements[key] = s
	e.working.Go(func() {
		told := false
		tell := func() {
			if !told {
				close(s.done) // whoever sent it need not wait for what takes longer
				told = true
			}
		}
		e.afterPost(a, tell)
		e.patiently("a signal could not be brought to whom it is for",
			[]any{"source", a.signal.Source, "id", a.signal.ID}, func() error {
				ticket, err := e.assign(a)
				if err == nil && !told {
					s.ticket = ticket
				}
				tell()
				return err
			})
		e.mu.Lock()
		defer e.mu.Unlock()
		delete(e.settlements, key)
	})
	return s
}

func closed() <-chan struct{} {
	c := make(chan struct{})
	close(c)
	return c
}

// assign tries once to bring an arrival to whom it is for.
func (e *Engine) assign(a arrival) (*Ticket, error) {
	w := e.workspace.Now()
	if now := w.Current(a.workflow); now != a.workflow && w.Workflows[a.workflow] == nil { // as the inbox has it
		if a.delivery.Workflow == a.workflow {
			a.delivery.Workflow = now
		}
		a.workflow = now
	}
	heardAs, key := a.signal.HeardAs()
	rows, err := e.store.Read().QueryContext(e.hard,
		"SELECT h.run, h.step, h.also_starts FROM hears h JOIN runs r ON r.id = h.run WHERE h.source = ? AND h.key "+
			"= ? AND (r.workflow = ? OR NOT ?)",
		heardAs, key, a.workflow, a.signal.Private())
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
			return nil, errors.Join(fmt.Errorf("engine: %w", err), rows.Close())
		}
		all = append(all, l)
	}
	if err := errors.Join(rows.Err(), rows.Close()); err != nil {
		return nil, fmt.Errorf("engine: %w", err)
	}
	for _, l := range all {
		heard, err := e.hears(l.run, l.step, a)
		if err != nil {
			return nil, err
		}
		if heard && l.also && a.workflow != "" {
			break
		} else if heard {
			return &Ticket{Run: l.run, Heard: true, engine: e, answered: e.runs.await(l.run)}, nil
		}
	}
	if a.workflow != "" {
		admission := Admission{Workflow: a.workflow, Signal: a.signal, arrived: &a}
		if err := e.drafted(e.hard, &admission); err != nil {
			return nil, err
		}
		return e.Accept(e.hard, admission)
	}
	var b store.Batch
	b.Do("UPDATE inbox SET state = 'kept' WHERE delivery = ? AND id = ? AND state = 'new'",
		a.delivery.String(), a.signal.ID)
	clearInbox(&b, e.now())
	return &Ticket{engine: e, answered: closed()}, e.store.Write(e.hard, b)
}

// hears offers a signal to a step that waits and tells whether it was meant.
func (e *Engine) hears(id, step string, a arrival) (bool, error) {
	copied := *a.signal
	heard := &run.Heard{Step: step, Signal: &copied, From: a.delivery, Trial: a.signal.Draft}
	err := e.handleAs(e.hard, id, heard, heardBatch(a))
	switch {
	case err == nil:
		return true, nil
	case errors.Is(err, run.ErrStale), errors.Is(err, ErrNoRun), e.wasHeard(a):
		return false, nil
	}
	return false, fmt.Errorf("the run %s waits at step %s: %w", id, step, err)
}

// wasHeard tells whether some run has heard a signal.
func (e *Engine) wasHeard(a arrival) bool {
	var one int
	return e.store.Read().QueryRowContext(e.hard,
		"SELECT 1 FROM inbox WHERE delivery = ? AND id = ? AND state IN ('heard', 'starts')", a.delivery.String(),
		a.signal.ID).Scan(&one) == nil
}

// arrivals reads signals of the inbox.
func (e *Engine) arrivals(ctx context.Context, where string, args ...any) ([]arrival, error) {
	rows, err := e.store.Read().QueryContext(ctx, "SELECT delivery, workflow, definition, signal FROM inbox WHERE "+
		where, args...)
	if err != nil {
		return nil, fmt.Errorf("engine: the inbox could not be read: %w", err)
	}
	defer rows.Close()
	var out []arrival
	for rows.Next() {
		var a arrival
		var delivery string
		var data []byte
		if err := rows.Scan(&delivery, &a.workflow, &a.definition, &data); err != nil {
			return nil, fmt.Errorf("engine: the inbox could not be read: %w", err)
		}
		a.delivery = run.ParseDeliverer(delivery)
		if a.signal, err = run.DecodeSignal(data); err != nil {
			return nil, err
		}
		out = append(out, a)
	}
	return out, rows.Err()
}

// listen looks for signals a step missed that only now waits for them.
func (e *Engine) listen(errand run.Errand, wanted *run.Listen) error {
	found, err := e.arrivals(e.hard, "source = ? AND key = ? AND state IN ('new', 'kept') AND at >= ? ORDER BY at",
		wanted.Source, wanted.Key, store.Time(wanted.Since))
	var workflow string
	if len(found) > 0 {
		err = errors.Join(err, e.store.Read().QueryRowContext(e.hard, "SELECT workflow FROM runs WHERE id = ?",
			errand.Run).Scan(&workflow))
	}
	for _, a := range found {
		if a.signal.Private() && a.workflow != workflow {
			continue
		}
		heard, missed := e.hears(errand.Run, errand.Step, a)
		if heard {
			return nil
		}
		err = errors.Join(err, missed)
	}
	return err
}

// unheard takes up steps that began to wait just before the service stopped,
// for signals that had come before.
func (e *Engine) unheard(ctx context.Context) error {
	rows, err := e.store.Read().QueryContext(ctx, `SELECT DISTINCT
			h.run, h.step, h.source, h.key, r.workflow, r.accepted FROM inbox i
		JOIN hears h ON h.source = i.source AND h.key = i.key JOIN runs r ON r.id = h.run WHERE i.state = 'kept'`)
	if err != nil {
		return fmt.Errorf("engine: %w", err)
	}
	defer rows.Close()
	for rows.Next() {
		var errand run.Errand
		var workflow string
		var accepted int64
		var listen run.Listen
		if err := rows.Scan(&errand.Run, &errand.Step, &listen.Source, &listen.Key, &workflow, &accepted); err != nil {
			return fmt.Errorf("engine: %w", err)
		}
		listen.Since = store.FromTime(accepted)
		errand.Task = &listen
		e.errands.submit(workflow, errand)
	}
	return rows.Err()
}

// unsettled takes up signals that came in just before the service stopped.
func (e *Engine) unsettled(ctx context.Context) error {
	all, err := e.arrivals(ctx, "state IN ('new', 'starts')")
	for _, a := range all {
		e.settling(a)
	}
	return err
}

// repeated finds what became of a delivery that came before: the run it
// started or was heard by. One that is still on its way is waited for.
func (e *Engine) repeated(ctx context.Context, by run.Deliverer, id string) (*Ticket, error) {
	var started string
	if err := e.store.Read().QueryRowContext(ctx, "SELECT run FROM deliveries WHERE source = ? AND id = ?", by.String(),
		id).Scan(&started); err != nil {
		return nil, fmt.Errorf("engine: %w", err)
	}
	if started != "" {
		return &Ticket{Run: started, engine: e, answered: e.runs.await(started)}, nil
	}
	waiting, err := e.arrivals(ctx, "delivery = ? AND id = ? AND state IN ('new', 'starts')", by.String(), id)
	if err != nil {
		return nil, err
	}
	if len(waiting) > 0 {
		return e.settling(waiting[0]).wait(ctx)
	}
	return &Ticket{engine: e, answered: closed()}, nil
}
