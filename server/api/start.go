package api

import (
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"slices"
	"strings"

	"woolsignal/core/expr"
	"woolsignal/core/flow"
	"woolsignal/core/run"
	"woolsignal/server/engine"
	"woolsignal/server/workspace"
	"woolsignal/wire"
)

func (a *API) start(r *request, in wire.Start) (wire.Started, error) {
	id := r.Param("workflow")
	signal := &run.Signal{Kind: "called", Trigger: "called", Source: "/call", Type: "workflow.called"}
	switch {
	case in.Sample != "":
		kept, err := a.sample(id, in.Sample)
		if err != nil {
			return wire.Started{}, err
		}
		in.Signal = &kept
		fallthrough
	case in.Signal != nil:
		var err error
		if signal, err = a.signalOf(id, in.Draft, in.Signal); err != nil {
			return wire.Started{}, err
		}
	default:
		if in.Inputs == nil {
			in.Inputs = map[string]any{}
		}
		signal.Body = expr.Canonical(any(in.Inputs))
	}
	p := person(r.Context())
	if signal.From == nil && signal.Kind == "called" {
		signal.From = map[string]string{"name": p.Name, "email": p.Email, "role": string(p.Role)}
	}
	ticket, err := a.Engine.StartRun(r.Context(), id, in.Draft, signal, p.Email)
	if errors.Is(err, engine.ErrNoInputs) {
		return wire.Started{}, a.notByInputs(id, in.Draft)
	} else if err != nil {
		return wire.Started{}, err
	}
	return wire.Started{Run: ticket.Run}, nil
}

// notByInputs says how a workflow that takes no inputs is started instead.
func (a *API) notByInputs(id string, draft bool) error {
	s := a.Workspace.Now()
	w := s.Workflows[id]
	if live := s.Live[id]; live != nil && !draft {
		w = live.Workflow
	}
	detail := "It has no trigger yet, and no inputs: give it one or the other."
	if w != nil && len(w.Triggers) > 0 {
		detail = fmt.Sprintf("It starts by itself: %s. To start it now, give it a signal of that: %s.",
			strings.Join(s.TellTriggers(w, s.Tools.Find), "; "),
			"woolsignal start "+id+` -signal '{"trigger": "`+w.Triggers[0].ID+`"}'`)
	}
	var kept []string
	for path := range s.Files {
		if name, ok := strings.CutPrefix(path, "samples/"+id+"/"); ok {
			kept = append(kept, strings.TrimSuffix(name, ".json"))
		}
	}
	if slices.Sort(kept); len(kept) > 0 {
		detail += " Or one that is kept, with -sample: " + strings.Join(kept, ", ") + "."
	}
	return refuse(http.StatusUnprocessableEntity, id+" takes no inputs", detail)
}

// signalOf makes a signal as a trigger of a workflow would.
func (a *API) signalOf(id string, draft bool, kept *wire.Signal) (*run.Signal, error) {
	s := a.Workspace.Now()
	w := s.Workflows[id]
	if live := s.Live[id]; live != nil && !draft {
		w = live.Workflow
	}
	if w == nil {
		return nil, refuse(http.StatusNotFound, "Not here", "There is no workflow "+id+".")
	}
	for _, t := range w.Triggers {
		if kept.Trigger == "" || kept.Trigger == t.ID {
			return &run.Signal{Kind: t.Kind, Trigger: t.ID, Source: t.Source(), Type: t.Kind + ".kept",
				Subject: kept.Subject, From: kept.From, Text: kept.Text, Body: expr.Canonical(kept.Body)}, nil
		}
	}
	if kept.Trigger == "" || kept.Trigger == "called" {
		return &run.Signal{Kind: "called", Trigger: "called", Source: "/call", Type: "workflow.called", From: kept.From,
			Body: expr.Canonical(kept.Body)}, nil
	}
	return nil, refuse(http.StatusUnprocessableEntity, "No such trigger", id+" has no trigger called "+kept.Trigger+".")
}

func samplePath(workflow, name string) string { return "samples/" + workflow + "/" + name + ".json" }

func (a *API) sample(workflow, name string) (wire.Signal, error) {
	text, ok := a.Workspace.Now().Files[samplePath(workflow, name)]
	if !ok {
		return wire.Signal{}, refuse(http.StatusNotFound, "Not here", workflow+" has no sample called "+name+".")
	}
	var kept wire.Signal
	if err := json.Unmarshal([]byte(text), &kept); err != nil {
		return kept, refuse(http.StatusUnprocessableEntity, "The sample cannot be read", samplePath(workflow, name)+
			": "+err.Error())
	}
	return kept, nil
}

func (a *API) samples(r *request, _ none) ([]wire.Sample, error) {
	id := r.Param("workflow")
	out := []wire.Sample{}
	for path := range a.Workspace.Now().Files {
		name, ok := strings.CutPrefix(path, "samples/"+id+"/")
		if !ok {
			continue
		}
		name = strings.TrimSuffix(name, ".json")
		kept, err := a.sample(id, name)
		if err != nil {
			return nil, err
		}
		out = append(out, wire.Sample{Name: name, Signal: kept})
	}
	sortBy(out, func(s wire.Sample) string { return s.Name })
	return out, nil
}

func (a *API) keepSample(r *request, in wire.KeepSample) (wire.Sample, error) {
	id, name := r.Param("workflow"), r.Param("name")
	if !flow.ValidID(name) {
		return wire.Sample{}, refuse(http.StatusUnprocessableEntity, "This cannot be a sample's name",
			"Use small letters, digits and hyphens, as in wet-fleece.")
	}
	if in.Next {
		r.touches("the next that comes")
		if err := a.Workspace.Catch(r.Context(), id, name, person(r.Context()).Name); err != nil {
			return wire.Sample{}, err
		}
		r.status = http.StatusAccepted // it is kept once it comes
		return wire.Sample{Name: name}, nil
	}
	kept := in.Signal
	if in.Run != "" {
		state, err := a.Engine.Fold(r.Context(), in.Run)
		if err != nil {
			return wire.Sample{}, err
		}
		kept = workspace.Kept(state.Signal)
	}
	if kept == nil {
		return wire.Sample{}, refuse(http.StatusUnprocessableEntity, "What is kept?",
			"Send run, signal, or next: true.")
	}
	if err := a.Workspace.KeepSample(r.Context(), id, name, kept, person(r.Context()).Name); err != nil {
		return wire.Sample{}, err
	}
	return wire.Sample{Name: name, Signal: *kept}, nil
}

func (a *API) again(r *request, in wire.Again) (wire.Started, error) {
	edited := expr.CanonicalMap(in.Edited)
	ticket, err := a.Engine.Again(r.Context(),
		engine.Repeat{Run: r.Param("run"), From: in.From, Edited: edited, Body: expr.Canonical(in.Body), Same: in.Same,
			By: person(r.Context()).Email})
	if err != nil {
		return wire.Started{}, err
	}
	return wire.Started{Run: ticket.Run}, nil
}

// mostAgain is how many runs may be repeated in one request.
const mostAgain = 1000

func (a *API) againMany(r *request, in wire.AgainMany) (wire.Repeated, error) {
	if len(in.Runs) == 0 || len(in.Runs) > mostAgain {
		return wire.Repeated{}, refuse(http.StatusUnprocessableEntity, "Which runs?",
			"Send runs, a list of 1 to 1000 of their ids.")
	}
	started, failed := a.Engine.AgainAll(r.Context(), in.Runs, in.Same, person(r.Context()).Email)
	r.touches(named(in.Runs))
	out := wire.Repeated{Runs: started}
	var all interface{ Unwrap() []error }
	if errors.As(failed, &all) {
		out.Failed = strings.Split(failed.Error(), "\n")
	}
	return out, nil
}
