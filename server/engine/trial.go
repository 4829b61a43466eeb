package engine

import (
	"context"
	"fmt"

	"woolsignal/core/flow"
	"woolsignal/core/run"
	"woolsignal/core/shape"
)

// Trial is a draft that is tried: one step alone, or from the beginning, or from
// a step on, as far as another.
type Trial struct {
	Workflow string
	Step     string // the one step, by id or path; "" is the whole
	Until    string // … as far as this one, by id or path; "" is the last
	From     string // … and from this one on, by id or path, as Run went before it
	Edited   map[string]any
	Run      string // whose signal and values it sees; "" for none
	Given    map[string]any
	Signal   *run.Signal // nil takes the run's, or an empty one
	Send     bool        // let it change things outside
	How      run.Trial   // as far as the caller says; Until is a path by now
}

// Try runs a draft, or one step of it. What would change something outside is
// held back, unless asked for, and gives what such a call gave last.
func (e *Engine) Try(ctx context.Context, t Trial) (*Ticket, error) {
	hash, err := e.workspace.Draft(ctx, t.Workflow)
	if err != nil {
		return nil, err
	}
	def, err := e.workspace.ByHash(ctx, hash)
	if err != nil {
		return nil, err
	}
	a := Admission{Workflow: t.Workflow, Definition: hash,
		Origin: &run.Origin{Kind: run.OfTry, Run: t.Run, Given: map[string]any{}, Held: !t.Send, Trial: t.How}}
	for _, place := range []struct {
		name string
		into *string
	}{{t.Step, &a.Origin.Step}, {t.Until, &a.Origin.Trial.Until}} {
		if place.name == "" {
			continue
		}
		if *place.into, err = def.Find(place.name); err != nil {
			return nil, &InputError{err.Error()}
		}
	}
	if t.Run != "" {
		if err := e.tryAfter(ctx, &t, &a, def); err != nil {
			return nil, err
		}
	}
	for name, v := range t.Given {
		a.Origin.Given[name] = v
	}
	if t.Signal == nil {
		t.Signal = &run.Signal{Kind: "called", Trigger: "called"}
	}
	if a.Origin.Trial.Gives, err = e.pretended(ctx, t.Workflow, def, t.How.Gives); err != nil {
		return nil, err
	}
	t.Signal.ID, t.Signal.Time = "try-"+newID(e.now()), t.How.At
	if t.Signal.Time.IsZero() {
		t.Signal.Time = e.now()
	}
	writtenBy(t.Signal, t.How.By)
	a.Signal = t.Signal
	return e.Accept(ctx, a)
}

// drafted has a signal that came for what is written, rather than for what is
// live, tried: what would change something outside is held back, and whoever it
// is for is asked what there is to be asked.
func (e *Engine) drafted(ctx context.Context, a *Admission) error {
	if !a.Signal.Draft {
		return nil
	}
	var err error
	if a.arrived == nil {
		if a.Definition, err = e.workspace.Draft(ctx, a.Workflow); err != nil {
			return err
		}
	}
	_, def, err := e.definition(ctx, *a)
	if err != nil {
		return err
	}
	gives, err := e.pretended(ctx, a.Workflow, def, nil)
	a.outside = true
	a.Origin = &run.Origin{Kind: run.OfTry, Held: true, Trial: run.Trial{By: a.Signal.For, Gives: gives}}
	return err
}

// tryAfter takes from a run what a try sees of it.
func (e *Engine) tryAfter(ctx context.Context, t *Trial, a *Admission, def *run.Definition) error {
	l := &live{id: t.Run}
	if err := e.load(ctx, l); err != nil {
		return err
	}
	if t.Signal == nil {
		copied := *l.state.Signal
		t.Signal = &copied
	}
	switch {
	case t.From != "" && l.state.Origin != nil && l.state.Origin.Kind == run.OfTry && l.state.Origin.Step != "":
		return &InputError{"this was a step tried alone; there is nothing before it to go on from"}
	case t.From != "":
		recorded, err := run.Recorded(l.def, def, l.state, t.From, t.Edited)
		if err != nil {
			return &InputError{err.Error()}
		}
		a.Recorded = recorded
	case t.Step != "":
		a.Origin.Given = run.Values(l.def, l.state)
	}
	return nil
}

// mostRemembered is how many runs are looked through for what a tool last gave.
const mostRemembered = 20

// pretended gives what the calls of a draft give that are held back: what is
// said, else what the tool gave last in a run of the workflow, else an example
// of what it says it gives.
func (e *Engine) pretended(ctx context.Context, workflow string, def *run.Definition,
	said map[string]run.Pretended) (map[string]run.Pretended, error) {
	out := map[string]run.Pretended{}
	missing := map[string]flow.Tool{}
	for _, name := range def.ToolsUsed() {
		if tool, there := def.Tools(name); there && !tool.ReadOnly {
			missing[name] = tool
		}
	}
	if len(missing) > 0 {
		if err := e.gaveLast(ctx, workflow, missing, out); err != nil {
			return nil, err
		}
	}
	for name, tool := range missing {
		if v := shape.Shape(tool.Output).Example(); v != nil {
			out[name] = run.Pretended{Value: v, MadeUp: true, Echo: true}
		}
	}
	for name, p := range said {
		out[name] = p
	}
	return out, nil
}

// gaveLast moves the tools that gave something in the last runs of a workflow
// from those that are missing.
func (e *Engine) gaveLast(ctx context.Context, workflow string, missing map[string]flow.Tool,
	out map[string]run.Pretended) error {
	rows, err := e.store.Read().QueryContext(ctx,
		"SELECT id FROM runs WHERE workflow = ? ORDER BY id DESC LIMIT ?", workflow, mostRemembered)
	if err != nil {
		return fmt.Errorf("engine: %w", err)
	}
	var ids []string
	for rows.Next() {
		var id string
		if err := rows.Scan(&id); err != nil {
			return fmt.Errorf("engine: %w", err)
		}
		ids = append(ids, id)
	}
	if err := rows.Err(); err != nil {
		return fmt.Errorf("engine: %w", err)
	}
	for _, id := range ids {
		l := &live{id: id}
		if err := e.load(ctx, l); err != nil {
			continue // a run that can no longer be read remembers nothing
		}
		for name, v := range run.Gave(l.def, l.state) {
			if _, wanted := missing[name]; wanted {
				out[name] = run.Pretended{Value: v}
				delete(missing, name)
			}
		}
		if len(missing) == 0 {
			break
		}
	}
	return nil
}
