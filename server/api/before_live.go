package api

import (
	"context"
	"fmt"
	"strings"

	"woolsignal/core/run"
	"woolsignal/core/trigger"
	"woolsignal/server/workspace"
	"woolsignal/wire"
)

// mostTried is how many runs of drafts are looked at for what was tried.
const mostTried = 20

// beforeLive tells what making a workflow's draft live touches, and which of its
// steps nobody tried since they were changed.
func (a *API) beforeLive(r *request, _ none) (wire.BeforeLive, error) {
	id, s := r.Param("workflow"), a.Workspace.Now()
	out := wire.BeforeLive{Untested: []string{}, Addresses: []string{}}
	one := s.Workflows[id]
	if one == nil {
		return out, fmt.Errorf("%w: %s", workspace.ErrNoWorkflow, id)
	}
	if err := a.Store.Read().QueryRowContext(r.Context(),
		"SELECT count(*) FROM runs WHERE workflow = ? AND ended IS NULL", id).Scan(&out.Open); err != nil {
		return out, err
	}
	for _, t := range one.Triggers {
		if hook, is := t.Is.(*trigger.Webhook); is {
			out.Addresses = append(out.Addresses, "What is posted to /in/"+hook.Path+" starts it.")
		} else {
			out.Addresses = append(out.Addresses, s.TellTrigger(one, t, s.Tools.Find)+".")
		}
	}
	tried, err := a.tried(r.Context(), s, id)
	if err != nil {
		return out, err
	}
	if live := s.Live[id]; live != nil {
		for _, l := range s.Explain(live.Workflow, s.Tools.Find) {
			tried[l.Code()] = true // it is live already
		}
	}
	for _, l := range s.Explain(one, s.Tools.Find) {
		if l.Kind != "trigger" && l.Kind != "gives" && !tried[l.Code()] {
			out.Untested = append(out.Untested, strings.TrimSpace(l.Number+" "+l.Text()))
		}
	}
	return out, nil
}

// tried gives the sentences of the steps that the last runs of drafts of a
// workflow carried out, as code.
func (a *API) tried(ctx context.Context, s *workspace.Snapshot, id string) (map[string]bool, error) {
	rows, err := a.Store.Read().QueryContext(ctx, "SELECT r.id, r.definition FROM runs r WHERE r.workflow = ? AND "+
		"NOT EXISTS (SELECT 1 FROM versions v WHERE v.workflow = r.workflow AND v.definition = r.definition) "+
		"ORDER BY r.id DESC LIMIT ?", id, mostTried)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	out := map[string]bool{}
	for rows.Next() {
		var run, hash string
		if err := rows.Scan(&run, &hash); err != nil {
			return nil, err
		}
		if err := a.triedIn(ctx, s, run, hash, out); err != nil {
			return nil, err
		}
	}
	return out, rows.Err()
}

func (a *API) triedIn(ctx context.Context, s *workspace.Snapshot, id, hash string, out map[string]bool) error {
	def, err := a.Workspace.ByHash(ctx, hash)
	if err != nil {
		return nil // its draft can no longer be read: it shows nothing
	}
	state, err := a.Engine.Fold(ctx, id)
	if err != nil {
		return err
	}
	laid := wire.Detail{}
	lay(&laid, def, state, s.Explain(def.Of(state).Workflow, s.Tools.Find))
	for _, step := range laid.Steps {
		if step.Status == run.Done && !step.Many && !step.Recorded {
			out[step.Line.Code()] = true
		}
	}
	return nil
}
