package engine

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"maps"
	"strings"

	"woolsignal/core/expr"
	"woolsignal/core/flow"
	"woolsignal/core/run"
	"woolsignal/server/workspace"
)

// StartRun starts a run because a person or a program says so: on inputs
// where the workflow can be called, else on a signal that was kept. draft
// takes the draft instead of what is live; by is the e-mail of who says so, whom it acts
// for. Errors: those of [Engine.Accept], *[InputError].
func (e *Engine) StartRun(ctx context.Context, workflow string, draft bool, signal *run.Signal,
	by string) (*Ticket, error) {
	a := Admission{Workflow: workflow, Signal: signal}
	var err error
	if draft {
		if a.Definition, err = e.workspace.Draft(ctx, workflow); err != nil {
			return nil, err
		}
	}
	if signal.Kind == "called" {
		_, def, err := e.definition(ctx, a)
		if err != nil {
			return nil, err
		}
		inputs, _ := signal.Body.(map[string]any)
		if err := fitsInputs(def.Workflow, inputs); err != nil {
			return nil, err
		}
	}
	signal.ID, signal.Time = "start-"+newID(e.now()), e.now()
	writtenBy(signal, by)
	if _, says := signal.From[run.Verified]; says { // of a mail that did not come
		signal.From = maps.Clone(signal.From)
		delete(signal.From, run.Verified)
	}
	return e.Accept(ctx, a)
}

// writtenBy has a signal that somebody wrote, or took from a sample or another run, act
// for them and nobody else, in a conversation of its own: what it says of its sender is
// left for reading.
func writtenBy(signal *run.Signal, by string) {
	signal.Written, signal.For, signal.Via, signal.Answers, signal.Unasked = true, by, nil, "", false
	signal.Thread = ""
	if flow.HeardByOf(signal.Kind) == flow.ByConversation {
		signal.Thread = signal.ID
	}
}

// Task is something an agent is given to do, without any workflow.
type Task struct {
	Agent  string
	Words  string
	Inputs map[string]any // as the agent's file says
	Files  []run.File
	Held   bool // what would change something outside is held back
	// What the signal of its run says of where it comes from: the conversation it
	// belongs to, where it has one, and whom it is done for.
	Source, Thread string
	From           map[string]string
	For            string
}

// StartTask gives an agent a task: a run like any other. Errors: those of
// [Engine.Accept], [workspace.ErrNoAgent], [workspace.ErrProblems], *[InputError].
func (e *Engine) StartTask(ctx context.Context, t Task) (*Ticket, error) {
	def := e.workspace.Now().Agents[t.Agent]
	if def == nil {
		return nil, fmt.Errorf("%w: %s", workspace.ErrNoAgent, t.Agent)
	}
	at := e.now()
	signal := &run.Signal{ID: "task-" + newID(at), Source: t.Source, Type: "agent.task", Time: at, Kind: "task",
		Trigger: "task", Thread: t.Thread, Text: t.Words, Body: expr.Canonical(any(t.Inputs)), Files: t.Files,
		From: t.From, For: t.For}
	switch {
	case def.Inputs == nil && len(t.Inputs) > 0:
		return nil, &InputError{def.Title + " is given nothing beside its task; its file has no inputs:"}
	case def.Inputs != nil:
		given, _ := signal.Body.(map[string]any)
		if err := run.Fit("what the agent is given", def.Inputs, given); err != nil {
			return nil, &InputError{err.Error()}
		}
	}
	hash, err := e.workspace.Task(ctx, t.Agent, signal)
	if err != nil {
		return nil, err
	}
	if ticket, err := e.answers(ctx, workspace.TaskOf(t.Agent), signal, t.Held); ticket != nil || err != nil {
		return ticket, err
	}
	a := Admission{Workflow: workspace.TaskOf(t.Agent), Definition: hash, Signal: signal, outside: true}
	if t.Held {
		task, err := e.workspace.ByHash(ctx, hash)
		if err != nil {
			return nil, err
		}
		gives, err := e.pretended(ctx, a.Workflow, task, nil)
		if err != nil {
			return nil, err
		}
		a.Origin = &run.Origin{Kind: run.OfTry, Held: true, Trial: run.Trial{By: t.For, Gives: gives}}
	}
	return e.Accept(ctx, a)
}

// answers takes what is said in a conversation with an agent to the run that reads
// something back there; nil where none does. What is held back answers tries alone.
func (e *Engine) answers(ctx context.Context, workflow string, signal *run.Signal, held bool) (*Ticket, error) {
	conversation := signal.Conversation()
	if conversation.IsZero() {
		return nil, nil
	}
	var id, step string
	err := e.store.Read().QueryRowContext(ctx, "SELECT h.run, h.step FROM hears h JOIN runs r ON r.id = h.run "+
		"WHERE h.source = ? AND h.key = ? AND r.workflow = ? AND (coalesce(r.origin, '') = ?) = ?", run.ChatSource,
		conversation.String(), workflow, run.OfTry, held).Scan(&id, &step)
	if errors.Is(err, sql.ErrNoRows) {
		return nil, nil
	} else if err != nil {
		return nil, fmt.Errorf("engine: who reads something back: %w", err)
	}
	e.hide(workflow, signal)
	err = e.handle(ctx, id, &run.Heard{Step: step, Signal: signal, From: deliverer(workflow, signal), Trial: held})
	if errors.Is(err, run.ErrStale) {
		return nil, nil // it was answered meanwhile, or its time is over
	} else if err != nil {
		return nil, err
	}
	return &Ticket{Run: id, engine: e, Heard: true, answered: closed()}, nil
}

// Repeat is a run to be gone through again.
type Repeat struct {
	Run    string
	From   string         // id or path of the step to begin at; "" is the first
	Edited map[string]any // outputs of steps before it, by id or path
	Body   any            // in place of the signal's; nil keeps it
	Same   bool           // on the version it followed, not the one that is live
	By     string         // the e-mail of who says so: nobody else is acted for
}

// Again goes through a run again, from a step on, in a new run. What came
// before the step is taken from the record.
func (e *Engine) Again(ctx context.Context, r Repeat) (*Ticket, error) {
	l := &live{id: r.Run}
	if err := e.load(ctx, l); err != nil {
		return nil, err
	}
	a := Admission{Workflow: l.workflow(), Definition: l.definition}
	if !r.Same {
		var err error
		if a.Definition, err = e.workspace.Again(ctx, l.workflow(), l.state.Signal); err != nil {
			return nil, err
		}
	}
	def, err := e.workspace.ByHash(ctx, a.Definition)
	if err != nil {
		return nil, err
	}
	if err := notATry(l.state.Origin); err != nil {
		return nil, err
	}
	if r.From != "" {
		if a.Recorded, err = run.Recorded(l.def, def, l.state, r.From, r.Edited); err != nil {
			return nil, &InputError{err.Error()}
		}
	} else if len(r.Edited) > 0 {
		return nil, &InputError{"values can be edited of steps before the one it begins at; say from where"}
	}
	signal := *l.state.Signal
	signal.ID = "again-" + newID(e.now())
	signal.Draft = signal.Draft && r.Same
	if r.Body != nil {
		signal.Body = r.Body
	}
	if !strings.EqualFold(signal.For, r.By) {
		signal.For = ""
		if signal.Private() { // nobody says anything in somebody else's own conversation
			signal.Source, signal.Thread = run.ConsoleSource+strings.ToLower(r.By), signal.ID
		}
	}
	a.Signal, a.Origin = &signal, &run.Origin{Kind: run.OfAgain, Run: r.Run, Step: r.From}
	return e.Accept(ctx, a)
}

// notATry refuses to repeat a try, or a run that one called: what was held back would
// be done. Error: *[InputError].
func notATry(o *run.Origin) error {
	switch {
	case o == nil || o.Kind != run.OfTry && !o.Held:
		return nil
	case o.Kind != run.OfTry:
		return &InputError{"this was done for a try, which held back what changes something outside; try that again " +
			"instead"}
	case o.Step != "":
		return &InputError{"this was a step tried alone; try it again instead"}
	}
	return &InputError{"this was a try; try it again instead"}
}

// AgainAll goes through many runs again, each from its first step, and gives
// the new runs by the old ones; by is the e-mail of who says so. It goes on past those
// that cannot be repeated, whose errors it joins.
func (e *Engine) AgainAll(ctx context.Context, ids []string, same bool, by string) (map[string]string, error) {
	out := map[string]string{}
	var failed error
	for _, id := range ids {
		ticket, err := e.Again(ctx, Repeat{Run: id, Same: same, By: by})
		if err != nil {
			failed = errors.Join(failed, fmt.Errorf("%s: %w", id, err))
			continue
		}
		out[id] = ticket.Run
	}
	return out, failed
}
