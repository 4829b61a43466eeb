package api

import (
	"cmp"
	"context"
	"errors"
	"maps"
	"net/http"
	"slices"
	"time"

	"woolsignal/core/flow"
	"woolsignal/core/trigger"
	"woolsignal/server/store"
	"woolsignal/server/workspace"
	"woolsignal/wire"
)

func (a *API) workflows(r *request, _ none) ([]wire.Workflow, error) {
	s, err := a.shown(r.Context())
	if err != nil {
		return nil, err
	}
	weeks, last, err := a.weeks(r.Context(), s.Zone)
	if err != nil {
		return nil, err
	}
	out := []wire.Workflow{}
	for _, id := range slices.Sorted(maps.Keys(s.Workflows)) {
		out = append(out, describeWorkflow(s, id, weeks, last))
	}
	return out, nil
}

func describeWorkflow(s *workspace.Snapshot, id string, weeks map[string]map[string]wire.Day,
	last map[string]time.Time) wire.Workflow {
	one := s.Workflows[id]
	out := wire.Workflow{ID: id, Title: cmp.Or(one.Title, id), Purpose: one.Purpose, Triggers: s.TellTriggers(one,
		s.Tools.Find),
		Week: []wire.Day{}}
	out.Callable, out.Drafted = one.Callable(), s.Drafted(id)
	if live := s.Live[id]; live != nil {
		out.Version, out.On = live.Version, live.On
	}
	for _, t := range one.Triggers {
		if c, chat := t.Is.(*trigger.Chat); chat {
			out.Chat, out.Speaks = true, out.Speaks || c.SpeaksFirst
		}
	}
	if at, ok := last[id]; ok {
		out.LastRun = &at
	}
	today := time.Now().In(s.Zone)
	for d := 6; d >= 0; d-- {
		date := today.AddDate(0, 0, -d).Format(time.DateOnly)
		day := weeks[id][date]
		day.Date = date
		out.Week = append(out.Week, day)
	}
	return out
}

// weeks counts the runs of the last seven days by workflow and day.
func (a *API) weeks(ctx context.Context, zone *time.Location) (map[string]map[string]wire.Day, map[string]time.Time,
	error) {
	weeks, last := map[string]map[string]wire.Day{}, map[string]time.Time{}
	today := time.Now().In(zone)
	for d := 0; d < 7; d++ {
		from := time.Date(today.Year(), today.Month(), today.Day()-d, 0, 0, 0, 0, zone)
		rows, err := a.Store.Read().QueryContext(ctx,
			"SELECT workflow, count(*), coalesce(sum(status = 'failed'), 0), max(accepted) FROM runs WHERE accepted "+
				">= ? AND accepted < ? GROUP BY workflow",
			store.Time(from), store.Time(from.AddDate(0, 0, 1)))
		if err != nil {
			return nil, nil, err
		}
		for rows.Next() {
			var id string
			var day wire.Day
			var newest int64
			if err := rows.Scan(&id, &day.Runs, &day.Failed, &newest); err != nil {
				return nil, nil, errors.Join(err, rows.Close())
			}
			if weeks[id] == nil {
				weeks[id] = map[string]wire.Day{}
			}
			weeks[id][from.Format(time.DateOnly)] = day
			if at := store.FromTime(newest); at.After(last[id]) {
				last[id] = at
			}
		}
		if err := errors.Join(rows.Err(), rows.Close()); err != nil {
			return nil, nil, err
		}
	}
	return weeks, last, nil
}

func (a *API) workflow(r *request, _ none) (wire.Script, error) {
	id := r.Param("workflow")
	s, err := a.shown(r.Context())
	if err != nil {
		return wire.Script{}, err
	}
	one, ok := s.Workflows[id]
	if !ok {
		return wire.Script{}, refuse(http.StatusNotFound, "Not here", "There is no workflow "+id+".")
	}
	weeks, last, err := a.weeks(r.Context(), s.Zone)
	if err != nil {
		return wire.Script{}, err
	}
	file := "workflows/" + id + ".yaml"
	out := wire.Script{Workflow: describeWorkflow(s, id, weeks, last), Lines: s.Explain(one, s.Tools.Find), File: file,
		Text: s.Files[file], Problems: []flow.Problem{}}
	related := []string{file}
	for _, agent := range one.AgentsUsed() {
		related = append(related, "agents/"+agent+".yaml")
	}
	for _, p := range s.Problems {
		if slices.Contains(related, p.File) {
			out.Problems = append(out.Problems, p)
		}
	}
	out.Usual, err = a.usual(r.Context(), id)
	return out, err
}

func (a *API) files(r *request, _ none) (wire.Files, error) {
	files, err := a.Workspace.Files(r.Context())
	if err != nil {
		return wire.Files{}, err
	}
	return wire.Files{Files: files}, nil
}

func (a *API) putFiles(r *request, in wire.Files) (wire.Checked, error) {
	r.touches(named(flow.Differing(a.Workspace.Now().Files, in.Files)))
	problems, err := a.Workspace.Apply(r.Context(),
		workspace.Change{Files: in.Files, Base: in.Base, By: person(r.Context()).Name, Draft: in.Draft})
	if errors.Is(err, workspace.ErrProblems) {
		return wire.Checked{}, objected(problems)
	} else if err != nil {
		return wire.Checked{}, err
	}
	return checked(problems), nil
}

func (a *API) check(r *request, in wire.Files) (wire.Checked, error) {
	return checked(a.Workspace.Check(in.Files)), nil
}

func checked(problems []flow.Problem) wire.Checked {
	if problems == nil {
		problems = []flow.Problem{}
	}
	return wire.Checked{Problems: problems}
}
