package engine

import (
	"context"
	"errors"
	"fmt"
	"time"

	"woolsignal/core/flow"
	"woolsignal/core/run"
	"woolsignal/core/trigger"
	"woolsignal/server/fault"
	"woolsignal/server/store"
	"woolsignal/server/workspace"
)

// errGivenUp says that a called run is no longer wanted, and was not started.
var errGivenUp = errors.New("the run that called it went on without it")

// startChild starts the run of a called workflow, once, however often it is
// asked to. What is in its way for a while does not fail the step: it is tried
// again.
func (e *Engine) startChild(errand run.Errand, start *run.Start) (again bool, err error) {
	by, err := e.parentage(errand, start)
	var ticket *Ticket
	if err == nil && start.Agent != "" {
		ticket, err = e.consult(e.hard, *start, errand.Key(), by)
	} else if err == nil {
		ticket, err = e.call(e.hard, *start, errand.Key(), by)
	}
	var invalid *InputError
	var broken *fault.Error
	switch {
	case err == nil && ticket.known:
	case err == nil:
		e.deliver(errand.Run, errand.Answer(&run.ChildBegan{Run: ticket.Run}))
	case e.hard.Err() != nil || errors.Is(err, errGivenUp):
		return false, nil
	case errors.As(err, &broken):
		return false, err
	case errors.As(err, &invalid), errors.Is(err, workspace.ErrNoWorkflow), errors.Is(err,
		workspace.ErrNotLive), errors.Is(err, workspace.ErrOff), errors.Is(err, workspace.ErrNoAgent),
		errors.Is(err, workspace.ErrAgentOff):
		e.deliver(errand.Run, errand.Answer(&run.Returned{Error: err.Error()}))
	default:
		e.log.Error("a called workflow could not be started; it is tried again", "run", errand.Run, "step", errand.Step,
			"error", err)
		return true, nil
	}
	return false, nil
}

// call starts a workflow with inputs.
func (e *Engine) call(ctx context.Context, start run.Start, id string, by *calling) (*Ticket, error) {
	workflow := e.workspace.Now().Current(start.Workflow)
	_, def, err := e.workspace.Definition(ctx, workflow)
	if err != nil {
		return nil, err
	}
	if err := fitsInputs(def.Workflow, start.Inputs); err != nil {
		return nil, err
	}
	signal := &run.Signal{ID: id, Source: calls.String(), Type: "workflow.called", Time: e.now(), Kind: "called",
		Trigger: "called", Body: start.Inputs, Draft: start.Draft, Stranger: start.Stranger, For: start.For}
	return e.begun(ctx, Admission{Workflow: workflow, Signal: signal}, by)
}

// cancelChild stops a called run that is no longer wanted. Where it was never
// started, it cannot be any more.
func (e *Engine) cancelChild(errand run.Errand, cancel *run.Cancel) (again bool, err error) {
	ids, err := e.column(e.hard, "SELECT run FROM deliveries WHERE source = ? AND id = ? AND run != ''", calls.String(),
		errand.Key())
	if err != nil {
		return e.hard.Err() == nil, nil
	}
	for _, id := range ids {
		e.stopUnwanted(id, cancel.By)
	}
	return false, nil
}

func (e *Engine) stopUnwanted(id, by string) {
	e.deliver(id, &run.Stop{By: by, Note: "the run that called it goes on without it"})
}

// unwanted stops called runs that were given up just before the service
// stopped.
func (e *Engine) unwanted(ctx context.Context) error {
	rows, err := e.store.Read().QueryContext(ctx,
		"SELECT id, unwanted FROM runs WHERE unwanted IS NOT NULL AND ended IS NULL")
	if err != nil {
		return fmt.Errorf("engine: %w", err)
	}
	defer rows.Close()
	for rows.Next() {
		var id, by string
		if err := rows.Scan(&id, &by); err != nil {
			return fmt.Errorf("engine: %w", err)
		}
		e.working.Go(func() { e.stopUnwanted(id, by) })
	}
	return rows.Err()
}

// ErrNoInputs says that a workflow is not called, but started by signals alone.
var ErrNoInputs = errors.New("it takes no inputs")

// InputError says what is wrong with the inputs of a workflow.
type InputError struct{ Message string }

func (i *InputError) Error() string { return i.Message }

func fitsInputs(w *flow.Workflow, inputs map[string]any) error {
	if !w.Callable() {
		return fmt.Errorf("%w: %w", ErrNoInputs, &InputError{"the workflow " + w.ID +
			" cannot be called: it names no inputs"})
	}
	if err := w.Inputs.Validate(inputs); err != nil {
		return &InputError{"the inputs of " + w.ID + " do not fit: " + err.Error()}
	}
	return nil
}

// awaited tells whom a run's end is to be told: the run that waits for it, the
// workflows that look after failures, or nobody.
func awaited(l *live) any {
	s := l.state
	switch {
	case !s.Status.Ended():
		return nil
	case s.Origin.Awaited():
		return "parent"
	case s.Status == run.Failed && s.Origin == nil && s.Signal.Kind != "failure":
		return "failure"
	}
	return nil
}

// tell passes the end of a run that is held on to whom it concerns. What was not told when the
// service stops is told at the next start.
func (e *Engine) tell(l *live) {
	var whom string
	var end ending
	err := e.locked(e.hard, l, func() error {
		if whom, _ = awaited(l).(string); whom != "" {
			end = endingOf(l)
		}
		return nil
	})
	if err != nil {
		e.log.Error("the end of a run can be told at the next start alone", "run", l.id, "error", err)
	}
	if whom == "" {
		return
	}
	l = e.runs.hold(l.id) // and so whoever waits for it, until it knows
	e.working.Go(func() {
		defer e.runs.release(l)
		told := e.patiently("the end of a run could not be told", []any{"run", l.id, "whom", whom}, func() error {
			if whom == "parent" {
				return e.tellParent(l, end)
			}
			return e.tellFailure(l, end)
		})
		if told && whom != "parent" {
			e.told(l)
		}
	})
}

// told notes that a run's end is told. It is told again at the next start where this is
// lost; that is harmless.
func (e *Engine) told(l *live) {
	var b store.Batch
	toldIn(&b, l)
	<-e.store.Queue(b)
}

func toldIn(b *store.Batch, l *live) { b.Do("UPDATE runs SET tell = NULL WHERE id = ?", l.id) }

// ending is how a run ended, for those who are told: its state may be read anew meanwhile.
type ending struct {
	origin   *run.Origin
	returned *run.Returned
	at       time.Time
	title    string // of its workflow
	because  string
	about    string
}

// endingOf is how a run ended. l is locked.
func endingOf(l *live) ending {
	return ending{l.state.Origin, returned(l), l.state.Ended, l.def.Workflow.Title, l.state.Because,
		about(l.state.Signal)}
}

func (e *Engine) tellParent(l *live, end ending) error {
	err := e.handleAs(e.hard, end.origin.Run, replyTo(end.origin, end.returned),
		func(parent *live, entry run.Entry) (store.Batch, error) {
			b, err := nextBatch(parent, entry)
			toldIn(&b, l)
			return b, err
		})
	if errors.Is(err, run.ErrStale) || errors.Is(err, ErrNoRun) { // nobody waits for it any more
		e.told(l)
		return nil
	}
	return err
}

// returned is what a called run that ended gives.
func returned(l *live) *run.Returned {
	s, title := l.state, l.def.Workflow.Title
	out := &run.Returned{Result: s.Result, Cost: s.Spent.All(), Child: l.id}
	switch {
	case s.Status == run.Failed:
		out.Error = title + " failed: " + s.Because
	case s.Status == run.Stopped:
		out.Error = title + " was " + s.Because
	case s.Result == nil:
		out.Result = map[string]any{}
	}
	return out
}

// tellFailure starts the workflows that look after a failure.
func (e *Engine) tellFailure(l *live, end ending) error {
	for id, w := range e.workspace.Live() {
		for _, t := range w.Triggers {
			if f, after := t.Is.(*trigger.Failure); !after || id == l.workflow() || !f.LooksAfter(l.workflow()) {
				continue
			}
			signal := &run.Signal{ID: "failure-" + l.id, Source: "/failure", Type: "run.failed", Time: end.at,
				Kind: "failure", Trigger: t.ID, Cause: l.id, Subject: end.title + ": " + end.because,
				Body: map[string]any{"run": l.id, "workflow": l.workflow(), "title": end.title,
					"because": end.because, "about": end.about, "address": "/runs/" + l.id}}
			_, err := e.Accept(e.hard, Admission{Workflow: id, Signal: signal})
			if err != nil && !errors.Is(err, workspace.ErrOff) && !errors.Is(err, workspace.ErrNotLive) &&
				!errors.Is(err, workspace.ErrNoWorkflow) {
				return fmt.Errorf("%s: %w", id, err)
			}
		}
	}
	return nil
}

// untold takes up the ends of runs that were not told before the service
// stopped.
func (e *Engine) untold(ctx context.Context) error {
	ids, err := e.column(ctx, "SELECT id FROM runs WHERE tell IS NOT NULL")
	if err != nil {
		return fmt.Errorf("engine: %w", err)
	}
	for _, id := range ids {
		l := e.runs.hold(id)
		e.tell(l)
		e.runs.release(l)
	}
	return nil
}
