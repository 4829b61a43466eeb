package engine

import (
	"context"
	"errors"
	"fmt"
	"slices"

	"woolsignal/core/flow"
	"woolsignal/core/run"
	"woolsignal/server/store"
)

// startChild starts the run of a called workflow, once, however often it is
// asked to.
func (e *Engine) startChild(errand run.Errand) run.Event {
	event := run.Event{Step: errand.Step, Try: errand.Try}
	id, err := e.call(e.hard, *errand.Start, errand.Key(), &run.Origin{Kind: run.OfCall, Run: errand.Run, Step: errand.Step, Try: errand.Try})
	if err != nil {
		event.Returned = &run.Returned{Error: err.Error()}
		return event
	}
	event.Started = id
	return event
}

// call starts a workflow with inputs.
func (e *Engine) call(ctx context.Context, start run.Start, id string, origin *run.Origin) (string, error) {
	workflow := e.workspace.Now().Current(start.Workflow)
	_, def, err := e.workspace.Definition(ctx, workflow)
	if err != nil {
		return "", err
	}
	if err := fitsInputs(def.Workflow, start.Inputs); err != nil {
		return "", err
	}
	signal := &run.Signal{ID: id, Source: "/call", Type: "workflow.called", Time: now(), Kind: "called", Trigger: "called", Body: start.Inputs, Draft: start.Draft}
	ticket, err := e.Accept(ctx, Admission{Workflow: workflow, Signal: signal, Origin: origin})
	if err != nil {
		return "", err
	}
	return ticket.Run, nil
}

// InputError says what is wrong with the inputs of a workflow.
type InputError struct{ Message string }

func (i *InputError) Error() string { return i.Message }

func fitsInputs(w *flow.Workflow, inputs map[string]any) error {
	if !w.Callable() {
		return &InputError{"the workflow " + w.ID + " cannot be called: it names no inputs"}
	}
	if err := w.Inputs.Validate(inputs); err != nil {
		return &InputError{"the inputs of " + w.ID + " do not fit: " + err.Error()}
	}
	return nil
}

// awaited tells whom a run's end is to be told: its parent, the workflows
// that look after failures, or nobody.
func awaited(l *live) any {
	s := l.state
	switch {
	case !s.Status.Ended():
		return nil
	case s.Origin != nil && s.Origin.Kind == run.OfCall:
		return "parent"
	case s.Status == run.Failed && s.Origin == nil && s.Signal.Kind != "failure":
		return "failure"
	}
	return nil
}

// tell passes a run's end on to whom it concerns. What was not told when the
// service stops is told at the next start.
func (e *Engine) tell(l *live) {
	whom, _ := awaited(l).(string)
	if whom == "" {
		return
	}
	e.working.Go(func() {
		var err error
		if whom == "parent" {
			err = e.tellParent(l)
		} else {
			err = e.tellFailure(l)
		}
		if err != nil {
			if e.ctx.Err() == nil {
				e.log.Error("the end of a run could not be told", "run", l.id, "whom", whom, "error", err)
			}
			return
		}
		var b store.Batch
		b.Do("UPDATE runs SET tell = NULL WHERE id = ?", l.id)
		<-e.store.Queue(b) // told again at the next start where this is lost; that is harmless
	})
}

func (e *Engine) tellParent(l *live) error {
	s := l.state
	event := run.Event{Step: s.Origin.Step, Returned: &run.Returned{Result: s.Result}}
	switch s.Status {
	case run.Failed:
		event.Returned = &run.Returned{Error: l.def.Workflow.Title + " failed: " + s.Because}
	case run.Stopped:
		event.Returned = &run.Returned{Error: l.def.Workflow.Title + " was " + s.Because}
	}
	if event.Returned.Error == "" && event.Returned.Result == nil {
		event.Returned.Result = map[string]any{}
	}
	// The run that called may not have noted yet which run it called.
	if err := e.handle(e.hard, s.Origin.Run, run.Event{Step: s.Origin.Step, Try: s.Origin.Try, Started: l.id}); err != nil && !errors.Is(err, run.ErrStale) {
		return err
	}
	event.Try = s.Origin.Try
	if err := e.handle(e.hard, s.Origin.Run, event); err != nil && !errors.Is(err, run.ErrStale) && !errors.Is(err, ErrNoRun) {
		return err
	}
	return nil
}

// tellFailure starts the workflows that look after a failure.
func (e *Engine) tellFailure(l *live) error {
	for id, w := range e.workspace.Live() {
		for _, t := range w.Triggers {
			if t.Failure == nil || id == l.workflow || len(t.Failure.Of) > 0 && !slices.Contains(t.Failure.Of, l.workflow) {
				continue
			}
			signal := &run.Signal{ID: "failure-" + l.id, Source: "/failure", Type: "run.failed", Time: l.state.Ended, Kind: "failure", Trigger: t.ID, Subject: l.def.Workflow.Title + ": " + l.state.Because,
				Body: map[string]any{"run": l.id, "workflow": l.workflow, "title": l.def.Workflow.Title, "because": l.state.Because, "about": about(l.state.Signal), "address": "/runs/" + l.id}}
			if _, err := e.Accept(e.hard, Admission{Workflow: id, Signal: signal}); err != nil {
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
		l := &live{id: id}
		if err := e.load(ctx, l); err != nil {
			e.log.Error("the end of a run could not be told", "run", id, "error", err)
			continue
		}
		e.tell(l)
	}
	return nil
}
