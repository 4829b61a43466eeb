package api

import (
	"context"
	"maps"
	"net/http"
	"strconv"
	"strings"
	"time"

	"woolsignal/core/expr"
	"woolsignal/core/flow"
	"woolsignal/core/run"
	"woolsignal/core/step"
	"woolsignal/server/workspace"
	"woolsignal/wire"
)

// mostHeld is how many runs a condition is held against.
const mostHeld = 20

// workOut says what an expression means where it stands, and gives what it gives
// for a run or a sample. Nothing is kept, and nothing is called.
func (a *API) workOut(r *request, in wire.WorkOut) (wire.Worked, error) {
	id := r.Param("workflow")
	if err := editable(id, in.Text); err != nil {
		return wire.Worked{}, err
	}
	if in.Form != nil {
		code, err := in.Form.Code()
		if err != nil {
			return wire.Worked{}, refuse(http.StatusUnprocessableEntity, "This is no expression", err.Error()+".")
		}
		in.Code = code
	}
	out := wire.Worked{Code: in.Code, Problems: []string{}, Parts: map[string]wire.WorkedPart{}, Words: []expr.Word{}}
	s := a.Workspace.Now()
	m := s.Meaning(id, in.Text, s.Tools.Find)
	if out.Form = expr.ReadForm(in.Code); in.Form != nil {
		out.Form = *in.Form
	}
	program, err := expr.Compile(in.Code)
	if err != nil {
		out.Problems = append(out.Problems, err.Error())
		return out, nil
	}
	names := m.NamesAt(in.At)
	_, findings := program.Infer(names)
	for _, f := range findings {
		out.Problems = append(out.Problems, f.What)
	}
	out.Words = m.Told(program)
	values, err := a.valuesFor(r.Context(), s, id, in)
	if err != nil {
		return out, err
	}
	a.reckon(s, m, in.At, values)
	w := &worker{names: names, scope: a.scopeOf(s, names, values), parts: out.Parts}
	w.part(out.Form, "")
	if in.Holds {
		out.Held, err = a.heldOften(r.Context(), s, id, program, names)
	}
	return out, err
}

// valuesFor gives the values of the run or sample that is asked for.
func (a *API) valuesFor(ctx context.Context, s *workspace.Snapshot, id string,
	in wire.WorkOut) (map[string]any, error) {
	switch {
	case in.Run != "":
		if err := a.mayRead(ctx, in.Run); err != nil {
			return nil, err
		}
		return a.Engine.Seen(ctx, in.Run)
	case in.Sample != "":
		kept, err := a.sample(id, in.Sample)
		if err != nil {
			return nil, err
		}
		signal, err := a.signalOf(id, true, &kept)
		if err != nil {
			return nil, err
		}
		state := run.NewState("")
		state.Signal = signal
		return state.SeenByAll(s.Zone), nil
	}
	return map[string]any{}, nil
}

// reckon works out what steps that only reckon give by the text as it is, and what
// stands before a place in its own step.
func (a *API) reckon(s *workspace.Snapshot, m flow.Meaning, place string, values map[string]any) {
	for _, at := range m.Above(place) {
		c, is := at.Does.(*step.Compute)
		if !is {
			continue
		}
		until, own := strings.CutPrefix(place, at.Place+"/compute/")
		if !own {
			until = ""
		}
		out, _, err := c.Reckon(a.scopeOf(s, m.NamesAt(at.Place), values), until)
		if own {
			maps.Copy(values, out)
		} else if err == nil {
			values[at.ID] = out
		}
	}
}

// scopeOf is what an expression is worked out in; what may be missing is so.
func (a *API) scopeOf(s *workspace.Snapshot, names expr.Names, values map[string]any) expr.Scope {
	seen := map[string]any{}
	for name, t := range names.All() {
		v, there := values[name]
		switch {
		case t.Optional:
			seen[name] = expr.Optional{Value: v, There: there}
		case there:
			seen[name] = v
		}
	}
	return expr.Scope{Names: seen, Now: time.Now(), Calendar: (&run.Definition{Zone: s.Zone,
		Holidays: s.Holidays}).Calendar()}
}

// worker works out the parts of a form.
type worker struct {
	names expr.Names
	scope expr.Scope
	parts map[string]wire.WorkedPart
}

// part works out a part and those it is made of; what is asked of each item of a
// list is worked out for the first.
func (w *worker) part(f expr.Form, at string) {
	if f.Is == expr.FormLiteral {
		return
	}
	if code, err := f.Code(); err == nil {
		w.parts[at] = w.work(code)
	}
	for i, inner := range f.Of {
		place := at + "/of/" + strconv.Itoa(i)
		if i > 0 && f.As != "" {
			w.item(f, w.parts[at+"/of/0"]).part(inner, place)
			continue
		}
		w.part(inner, place)
	}
}

// item sees the first item of a list under its name.
func (w *worker) item(f expr.Form, list wire.WorkedPart) *worker {
	in := &worker{names: w.names.With(f.As, expr.Type{Shape: list.Shape.Items()}), scope: w.scope, parts: w.parts}
	in.scope.Names = map[string]any{}
	for name, v := range w.scope.Names {
		in.scope.Names[name] = v
	}
	delete(in.scope.Names, f.As)
	if items, is := list.Gives.([]any); is && len(items) > 0 {
		in.scope.Names[f.As] = items[0]
	}
	return in
}

func (w *worker) work(code string) wire.WorkedPart {
	program, err := expr.Compile(code)
	if err != nil {
		return wire.WorkedPart{}
	}
	t, _ := program.Infer(w.names)
	out := wire.WorkedPart{Kind: t.Shape.Kind(), Shape: t.Shape}
	v, err := program.Eval(w.scope)
	if err != nil {
		return out
	}
	if o, optional := v.(expr.Optional); optional {
		v = o.Value
	}
	out.There, out.Gives = true, v
	if out.Kind == "" {
		out.Kind = expr.Kind(v)
	}
	return out
}

// heldOften holds a condition against the last runs of a workflow.
func (a *API) heldOften(ctx context.Context, s *workspace.Snapshot, id string, p *expr.Program,
	names expr.Names) (*wire.HeldOften, error) {
	rows, err := a.Store.Read().QueryContext(ctx, "SELECT id FROM runs WHERE workflow = ? AND ended IS NOT NULL "+
		"ORDER BY id DESC LIMIT ?", id, mostHeld)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	out := &wire.HeldOften{}
	for rows.Next() {
		var run string
		if err := rows.Scan(&run); err != nil {
			return nil, err
		}
		values, err := a.Engine.Seen(ctx, run)
		if err != nil {
			continue // it can no longer be read
		}
		if holds, err := p.Eval(a.scopeOf(s, names, values)); err == nil {
			out.Of++
			if holds == true {
				out.Held++
			}
		}
	}
	return out, rows.Err()
}
