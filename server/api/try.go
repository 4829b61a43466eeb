package api

import (
	"encoding/json"
	"net/http"

	"woolsignal/core/expr"
	"woolsignal/core/run"
	"woolsignal/server/engine"
	"woolsignal/wire"
)

// try runs a draft, or one step of it.
func (a *API) try(r *request, in wire.Try) (wire.Started, error) {
	t := engine.Trial{Workflow: r.Param("workflow"), Step: in.Step, Until: in.Until, From: in.From, Run: in.Run,
		Edited: expr.CanonicalMap(in.Edited), Given: map[string]any{}, Send: in.Send,
		How: run.Trial{Really: in.Really, Hurry: in.Hurry, By: person(r.Context()).Email,
			Gives: map[string]run.Pretended{}}}
	if in.At != nil {
		t.How.At = *in.At
	}
	switch {
	case in.Step != "" && (in.Until != "" || in.From != ""):
		return wire.Started{}, refuse(http.StatusUnprocessableEntity, "How far?",
			"Send step for one step alone, or until and from for a stretch; not both.")
	case in.From != "" && in.Run == "":
		return wire.Started{}, refuse(http.StatusUnprocessableEntity, "From where?",
			"Send run with from: the run whose steps before it are taken over.")
	}
	for name, v := range in.Gives {
		t.How.Gives[name] = run.Pretended{Value: expr.Canonical(v), MadeUp: true}
	}
	var err error
	if t.Signal, err = a.trySignal(r, in); err != nil {
		return wire.Started{}, err
	}
	for name, v := range expr.CanonicalMap(in.Given) {
		if name != "signal" {
			t.Given[name] = v
		}
	}
	if in.Send {
		r.touches("with real effects")
	} else if len(in.Really) > 0 {
		r.touches("with real calls of " + named(in.Really))
	}
	ticket, err := a.Engine.Try(r.Context(), t)
	if err != nil {
		return wire.Started{}, err
	}
	return wire.Started{Run: ticket.Run}, nil
}

// trySignal is what a try begins with; nil takes the run's.
func (a *API) trySignal(r *request, in wire.Try) (*run.Signal, error) {
	id := r.Param("workflow")
	if in.Sample != "" {
		kept, err := a.sample(id, in.Sample)
		if err != nil {
			return nil, err
		}
		in.Signal = &kept
	}
	if in.Signal != nil {
		return a.signalOf(id, true, in.Signal)
	}
	if in.Inputs != nil {
		return &run.Signal{Kind: "called", Trigger: "called", Source: "/call", Type: "workflow.called",
			Body: expr.Canonical(any(in.Inputs))}, nil
	}
	given, there := in.Given["signal"]
	if !there {
		return nil, nil
	}
	data, err := json.Marshal(given)
	if err != nil {
		return nil, err
	}
	var written wire.Signal // what else a signal holds is said by nobody but the service
	if err := json.Unmarshal(data, &written); err != nil {
		return nil, refuse(http.StatusUnprocessableEntity, "The signal cannot be read", err.Error())
	}
	return a.signalOf(id, true, &written)
}
