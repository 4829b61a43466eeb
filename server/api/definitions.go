package api

import (
	"context"
	"errors"
	"maps"
	"net/http"
	"slices"
	"strings"

	"woolsignal/core/flow"
	"woolsignal/server/workspace"
	"woolsignal/wire"
)

// definitionOf is the path of the file an address names, and its id.
func definitionOf(r *request) (path, id string, err error) {
	kind, id := r.Param("kind"), r.Param("id")
	switch {
	case kind == "workspace" && id+".yaml" == flow.MainFile:
		return flow.MainFile, id, nil
	case kind != "connection" && kind != "table" && kind != "agent":
		return "", "", refuse(http.StatusNotFound, "Not here",
			"What acts at once is a connection, a table, an agent, or workspace/woolsignal.")
	case !flow.ValidID(id):
		return "", "", refuse(http.StatusUnprocessableEntity, "This cannot be an id",
			"Use small letters, digits and hyphens, as in clip-register.")
	}
	return kind + "s/" + id + ".yaml", id, nil
}

// definition gives a file that acts at once; one that is not there is empty.
func (a *API) definition(r *request, _ none) (wire.Definition, error) {
	path, id, err := definitionOf(r)
	if err != nil {
		return wire.Definition{}, err
	}
	s := a.Workspace.Now()
	out := a.describeDefinition(s, path, id)
	for _, p := range s.Problems {
		if p.File == path {
			out.Problems = append(out.Problems, p)
		}
	}
	return out, nil
}

// readDefinition says what a text of such a file would mean, whom it would count
// for and what it would break. Nothing is kept.
func (a *API) readDefinition(r *request, in wire.Redefine) (wire.Definition, error) {
	path, id, err := definitionOf(r)
	if err != nil {
		return wire.Definition{}, err
	}
	files, err := redefined(path, in)
	if err != nil {
		return wire.Definition{}, err
	}
	next, problems := a.Workspace.With(files)
	out := a.describeDefinition(next, path, id)
	out.Used = a.countsFor(a.Workspace.Now(), path, id)
	out.Problems = problems
	return out, nil
}

// redefined are the files a change writes: the one itself, and what it brings along.
func redefined(path string, in wire.Redefine) (map[string]string, error) {
	files := map[string]string{path: in.Text}
	for beside, text := range in.Beside {
		if !strings.HasPrefix(beside, "schemas/") {
			return nil, refuse(http.StatusUnprocessableEntity, "This cannot come along",
				"Only files below schemas/ come along with another; "+beside+" does not.")
		}
		files[beside] = text
	}
	return files, nil
}

func (a *API) describeDefinition(s *workspace.Snapshot, path, id string) wire.Definition {
	out := wire.Definition{Path: path, Text: s.Files[path], Problems: []flow.Problem{}, Tools: []string{},
		Used: a.countsFor(s, path, id)}
	c := s.Connections[id]
	if c == nil || !strings.HasPrefix(path, "connections/") {
		return out
	}
	out.Kind, out.Needs, out.Has = c.Kind, c.NeedsSecret(), a.Secrets.Has(id, c.SecretFor())
	out.Moved = a.moved(c)
	for _, op := range s.Tools.Search("", id, mostTools) {
		out.Tools = append(out.Tools, op.Title)
	}
	return out
}

// countsFor lists what a file that acts at once counts for: the workspace's own
// for every workflow.
func (a *API) countsFor(s *workspace.Snapshot, path, id string) []string {
	if path == flow.MainFile {
		return append([]string{}, slices.Sorted(maps.Keys(s.Workflows))...) // never null
	}
	return usedBy(s, id)
}

// define writes a file that acts at once; a connection is given its secret and
// tested.
func (a *API) define(r *request, in wire.Redefine) (wire.Defined, error) {
	path, id, err := definitionOf(r)
	if err != nil {
		return wire.Defined{}, err
	}
	files, err := redefined(path, in)
	if err != nil {
		return wire.Defined{}, err
	}
	before := a.Workspace.Now().Files
	r.touches(named(append([]string{path}, slices.Sorted(maps.Keys(in.Beside))...)))
	for beside, text := range in.Beside {
		if there, taken := before[beside]; taken && there != text && in.From == "" {
			return wire.Defined{}, refuse(http.StatusConflict, "The name is taken",
				"There is a file "+beside+" already, and others may need it. Give the connection another id.")
		}
	}
	if in.Secret != "" {
		if err := fitSecret(in.Secret); err != nil {
			return wire.Defined{}, err
		}
	}
	problems, err := a.Workspace.Define(r.Context(), path, in.From, files, person(r.Context()).Name)
	if errors.Is(err, workspace.ErrProblems) {
		return wire.Defined{}, objected(problems)
	} else if err != nil {
		return wire.Defined{}, err
	}
	out := wire.Defined{Problems: problems}
	if c := a.Workspace.Now().Connections[id]; c != nil && strings.HasPrefix(path, "connections/") {
		// It is written; who asked may leave, the secret belongs to it.
		out.Verdict, err = a.equip(context.WithoutCancel(r.Context()), c, in.Secret)
	}
	return out, err
}

// equip gives a connection its secret, where there is one, and tests it.
func (a *API) equip(ctx context.Context, c *flow.Connection, secret string) (*wire.Verdict, error) {
	if secret != "" && c.NeedsSecret() {
		if err := a.Secrets.Put(ctx, c.ID, c.SecretFor(), secret); err != nil {
			return nil, err
		}
	}
	s := a.Workspace.Now()
	v, err := a.Kit.Test(ctx, s.Workspace, s.Tools, c)
	if err != nil {
		return nil, err
	}
	if a.Secrets.Has(c.ID, c.SecretFor()) && !(c.Auth.OAuth != nil && c.Auth.OAuth.Grant == "authorization_code") {
		if err := a.Engine.Connected(ctx, c.ID, person(ctx).Name); err != nil {
			return nil, err
		}
	}
	return &wire.Verdict{Fine: v.Fine, Words: v.Words, Remedy: v.Remedy}, nil
}
