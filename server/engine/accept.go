package engine

import (
	"context"
	"errors"
	"fmt"
	"time"

	"woolsignal/core/run"
	"woolsignal/server/fault"
	"woolsignal/server/store"
)

// Ticket is a signal that was taken in.
type Ticket struct {
	Run      string
	engine   *Engine
	Heard    bool  // a run that waited heard it
	live     *live // nil for a repeat
	known    bool  // to the run that waits for it
	answered <-chan struct{}
}

// Admission is a signal on its way in, and how its run begins where that is
// not the usual way.
type Admission struct {
	Workflow   string
	Signal     *run.Signal
	Origin     *run.Origin // nil for a signal from outside
	Definition string      // hash; "" is the version that is live
	Recorded   []run.Record
	by         *calling // the run that calls, where one does
	outside    bool     // it came from outside, whatever its origin: it has its conversation
	arrived    *arrival // where the delivery is known already, and waits in the inbox
}

// inside tells whether the signal comes from the service's own runs, or was
// taken in before. Such a one is never turned away: whoever sent it cannot
// send it again, and runs that wait for those they call would wait for ever.
func (a Admission) inside() bool {
	return a.arrived != nil || a.Signal.Kind == "failure" || a.Origin != nil && a.Origin.Kind == run.OfCall
}

// Accept takes a signal in and starts a run, or queues it behind others. It
// returns once that is durable; a delivery that came before gives the run it
// started then. With an error nothing was kept. Errors: [ErrBusy],
// [workspace.ErrNoWorkflow], [workspace.ErrNotLive], [workspace.ErrOff].
func (e *Engine) Accept(ctx context.Context, a Admission) (*Ticket, error) {
	n, err := e.enters(ctx, a)
	if err != nil {
		return nil, err
	}
	l := n.live
	defer e.runs.release(l)
	// Nothing is sent before it is known that this delivery is the first of its id.
	if err := <-n.done.durable; err != nil {
		spoil(l, n.done)
		e.end(l)
		if errors.Is(err, store.ErrGuard) {
			return e.repeated(ctx, deliverer(l.workflow(), a.Signal), a.Signal.ID)
		}
		return nil, fmt.Errorf("engine: the signal could not be kept: %w", err)
	}
	l.unsure.Store(false)
	e.written(l, n.done)
	if a.Definition != "" && (a.Origin == nil || a.Origin.Kind != run.OfTry) {
		if err := e.workspace.Follow(context.WithoutCancel(ctx), l.workflow(), l.definition); err != nil {
			e.log.Error("what a run may wait for is not listened to", "run", l.id, "error", err)
		}
	}
	if a.Origin == nil {
		if _, err := e.workspace.Caught(ctx, l.workflow(), a.Signal, false); err != nil {
			e.log.Error("a sample could not be kept", "workflow", l.workflow(), "error", err)
		}
	}
	if !n.first {
		e.lanes.arrived(l.id)
	}
	return &Ticket{Run: l.id, engine: e, live: l, answered: n.answered, known: n.done.caller != nil}, nil
}

// newcomer is a new run on its way to the database. It is held.
type newcomer struct {
	live     *live
	first    bool // nothing holds it back
	done     advance
	answered <-chan struct{}
}

// enters makes a new run of a signal, and takes it as far as it gets. With an error there is none.
func (e *Engine) enters(ctx context.Context, a Admission) (n newcomer, err error) {
	e.naming.RLock()
	defer e.naming.RUnlock()
	if w := e.workspace.Now(); w.Workflows[a.Workflow] == nil {
		a.Workflow = w.Current(a.Workflow) // it was renamed on the way here
	}
	at := e.now()
	if n.live, err = e.made(ctx, a, at); err != nil {
		return n, err
	}
	err = n.live.locked(func() (err error) { // from before anybody can find it
		var room bool
		if n.answered, room = e.runs.add(n.live, a.inside()); !room || e.ctx.Err() != nil {
			return ErrBusy
		}
		e.runs.holdCaller(n.live, a.Origin)
		n.first = e.lanes.enter(n.live.id, n.live.place)
		n.done, err = e.firstAdvance(ctx, n.live, a, n.first, at)
		return err
	})
	if err != nil && n.answered != nil {
		e.end(n.live)
		e.runs.release(n.live)
	}
	if err != nil && !errors.Is(err, ErrBusy) {
		err = fmt.Errorf("engine: %w", err)
	}
	return n, err
}

// made makes the run an admission begins.
func (e *Engine) made(ctx context.Context, a Admission, at time.Time) (*live, error) {
	hash, def, err := e.definition(ctx, a)
	if err != nil {
		return nil, err
	}
	signal := a.Signal
	e.hide(a.Workflow, signal) // what its limits go by is kept as well
	signal.Draft = signal.Draft || a.Definition != "" && a.Origin == nil && signal.Kind != "task"
	l := &live{id: newID(at), definition: hash, def: def}
	l.state = run.NewState(l.id)
	l.unsure.Store(true)
	thread := ""
	if a.Origin == nil || a.Origin.Kind == run.OfAgain || a.outside {
		thread = run.Thread{Workflow: a.Workflow, Conversation: signal.Conversation()}.String()
	}
	l.called(a.Workflow, thread)
	if l.chain, err = e.chainOf(ctx, a); err != nil {
		return nil, err
	}
	l.place = placeOf(l, signal, at)
	return l, nil
}

// begun is what a new run is among others.
func (l *live) begun(a Admission) *run.Begun {
	b := &run.Begun{Workflow: l.workflow(), Definition: l.definition, Key: l.place.key,
		Delivery: deliverer(l.workflow(), a.Signal), Cause: l.chain.cause, Links: l.chain.links}
	if l.thread() != "" {
		b.Thread = a.Signal.Conversation()
	}
	if a.arrived != nil {
		b.Delivery = a.arrived.delivery
	}
	return b
}

// firstAdvance takes a new run as far as it gets before anything is awaited,
// where it may start at once. l is locked.
func (e *Engine) firstAdvance(ctx context.Context, l *live, a Admission, first bool, at time.Time) (advance, error) {
	batch := firstBatch
	if a.arrived != nil {
		batch = inboxBatch(a.arrived)
	}
	begun := l.begun(a)
	events := []run.Event{&run.Arrive{Signal: a.Signal, Origin: a.Origin, Begun: begun, Recorded: a.Recorded}}
	if why := l.chain.broken; why != "" {
		events = append(events, &run.Break{Why: why})
	} else if first {
		events = append(events, &run.Begin{})
	}
	done, err := e.move(ctx, l, at, batch, events...)
	var broken *fault.Error
	if !errors.As(err, &broken) {
		return done, err
	}
	// The signal is kept all the same, with a run that says what is wrong.
	l.state = run.NewState(l.id)
	return e.move(ctx, l, at, batch, &run.Arrive{Signal: a.Signal, Origin: a.Origin, Begun: begun},
		&run.Break{Why: broken.Error()})
}

// definition finds what a new run is started with.
func (e *Engine) definition(ctx context.Context, a Admission) (string, *run.Definition, error) {
	if a.arrived != nil {
		def, err := e.workspace.ByHash(ctx, a.arrived.definition)
		return a.arrived.definition, def, err
	}
	if a.Definition == "" {
		return e.workspace.Definition(ctx, a.Workflow)
	}
	def, err := e.workspace.ByHash(ctx, a.Definition)
	return a.Definition, def, err
}

// Answered waits until the run has answered its caller, ended, or waits for a
// person. It gives the context's error where that takes too long.
func (t *Ticket) Answered(ctx context.Context) error {
	select {
	case <-t.answered:
		return nil
	case <-ctx.Done():
		return ctx.Err()
	}
}

// Response gives what the run answered its caller; nil where it has not.
func (t *Ticket) Response(ctx context.Context) (*run.Response, error) {
	if t.live != nil {
		if answer := t.live.response(); answer != nil {
			return answer, nil
		}
	}
	state, err := t.engine.Fold(ctx, t.Run)
	if err != nil {
		return nil, err
	}
	return state.Response, nil
}
