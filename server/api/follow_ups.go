package api

import (
	"errors"
	"net/http"

	"woolsignal/core/run"
	"woolsignal/server/engine"
	"woolsignal/wire"
)

// followUps lists when conversations go on by themselves.
func (a *API) followUps(r *request, _ none) (wire.FollowUps, error) {
	limit, err := limitOf(r)
	if err != nil {
		return wire.FollowUps{}, err
	}
	q := r.URL.Query()
	all, err := a.Engine.FollowUps(r.Context(), q.Get("run"), limit+1, q.Get("after"))
	if err != nil {
		return wire.FollowUps{}, err
	}
	s, out := a.Workspace.Now(), wire.FollowUps{FollowUps: []wire.FollowUp{}}
	all, out.Next = page(all, limit, func(f engine.FollowUp) string { return f.ID })
	for _, f := range all {
		out.FollowUps = append(out.FollowUps, wire.FollowUp{ID: f.ID, Run: f.Run, Workflow: f.Workflow,
			Title: titleOf(s, f.Workflow), Due: f.Due, What: f.What, With: f.With})
	}
	return out, nil
}

func (a *API) cancelFollowUp(r *request, _ none) (none, error) {
	err := a.Engine.CancelFollowUp(r.Context(), r.Param("followUp"), person(r.Context()).Name)
	if errors.Is(err, run.ErrStale) {
		return none{}, refuse(http.StatusConflict, "Too late", "This follow-up has begun already, was cancelled, or "+
			"was never set.")
	}
	return none{}, err
}

// followUpsOf are those that a run set.
func followUpsOf(of wire.Run, state *run.State) (out []wire.FollowUp) {
	for _, f := range state.FollowUps {
		out = append(out, wire.FollowUp{ID: engine.FollowUpID(of.ID, f.N), Run: of.ID, Workflow: of.Workflow,
			Title: of.Title, Due: f.At, What: f.What, Cancelled: f.Cancelled})
	}
	return out
}
