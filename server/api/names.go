package api

import (
	"cmp"
	"maps"
	"slices"
	"strings"

	"woolsignal/core/flow"
	"woolsignal/server/workspace"
	"woolsignal/wire"
)

// names lists what the fields of a file can name, for choosing from.
func (a *API) names(_ *request, _ none) (wire.Names, error) {
	s := a.Workspace.Now()
	out := wire.Names{Names: []wire.Name{}}
	add := func(holds flow.Holds, name, title, kind, about string) {
		out.Names = append(out.Names, wire.Name{Holds: holds, Name: name, Title: cmp.Or(title, flow.Plain(name)),
			Kind:  kind,
			About: about})
	}
	for _, id := range slices.Sorted(maps.Keys(s.Workflows)) {
		kind := ""
		if s.Workflows[id].Callable() {
			kind = "callable"
		}
		add(flow.HoldsWorkflow, id, s.Workflows[id].Title, kind, s.Workflows[id].Purpose)
	}
	for _, id := range slices.Sorted(maps.Keys(s.Agents)) {
		add(flow.HoldsAgent, id, s.Agents[id].Title, "", s.Agents[id].Purpose)
	}
	for _, id := range slices.Sorted(maps.Keys(s.Connections)) {
		add(flow.HoldsConnection, id, s.Connections[id].Title, s.Connections[id].Kind, "")
	}
	for _, id := range slices.Sorted(maps.Keys(s.Tables)) {
		add(flow.HoldsTable, id, s.Tables[id].Title, "", s.Tables[id].Purpose)
	}
	for _, name := range s.ModelNames() {
		add(flow.HoldsModel, name, name, "", aboutModel(s, name))
	}
	for _, path := range slices.Sorted(maps.Keys(s.Files)) {
		if strings.HasPrefix(path, "schemas/") {
			add(flow.HoldsSchema, path, path, "", "")
		}
	}
	a.audiences(s, add)
	return out, nil
}

// audiences lists who can be asked: roles, teams, and everybody with an account.
func (a *API) audiences(s *workspace.Snapshot, add func(holds flow.Holds, name, title, kind, about string)) {
	for _, role := range []string{"owner", "builder", "reviewer"} {
		add(flow.HoldsPeople, role, "every "+role, "role", "")
	}
	for _, team := range slices.Sorted(maps.Keys(s.Teams)) {
		add(flow.HoldsPeople, team, "the "+flow.Plain(team), "team", strings.Join(s.Teams[team], ", "))
	}
	for _, email := range slices.Sorted(maps.Keys(s.People)) {
		add(flow.HoldsPeople, email, email, "person", "")
	}
}
