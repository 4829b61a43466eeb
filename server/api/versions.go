package api

import (
	"errors"
	"maps"
	"net/http"
	"slices"
	"strconv"

	"github.com/go-chi/chi/v5"

	"woolsignal/core/flow"
	"woolsignal/server/problem"
	"woolsignal/server/workspace"
	"woolsignal/wire"
)

// objected answers that the checker keeps something from being done.
func objected(problems []flow.Problem) error {
	return &refusal{problem.Details{Status: http.StatusUnprocessableEntity, Title: "The checker found problems",
		Detail: "Nothing was changed.", More: map[string]any{"problems": problems}}}
}

func (a *API) publish(w http.ResponseWriter, r *http.Request) error {
	in, err := decode[wire.Publish](r)
	if err != nil {
		return err
	}
	s := a.Workspace.Now()
	which := in.Workflows
	if len(which) == 0 {
		which = slices.DeleteFunc(slices.Sorted(maps.Keys(s.Workflows)), func(id string) bool { return !s.Drafted(id) })
	}
	// All or none: what does not check is found before anything is live.
	for _, id := range which {
		if problems := a.Workspace.Wrongs(id); len(problems) > 0 {
			return objected(problems)
		}
	}
	out := wire.Published{Versions: []wire.PublishedVersion{}}
	for _, id := range which {
		v, problems, err := a.Workspace.Publish(r.Context(), id, in.Note, person(r.Context()).Name)
		if errors.Is(err, workspace.ErrProblems) {
			return objected(problems)
		} else if err != nil {
			return err
		}
		out.Versions = append(out.Versions, wire.PublishedVersion{Workflow: id, Version: v})
	}
	return reply(w, out)
}

func (a *API) versions(w http.ResponseWriter, r *http.Request) error {
	all, err := a.Workspace.Versions(r.Context(), chi.URLParam(r, "workflow"))
	if err != nil {
		return err
	}
	return reply(w, all)
}

func (a *API) diff(w http.ResponseWriter, r *http.Request) error {
	id, q := chi.URLParam(r, "workflow"), r.URL.Query()
	number := func(name string, otherwise int) (int, error) {
		switch text := q.Get(name); text {
		case "":
			return otherwise, nil
		case "draft":
			return 0, nil
		default:
			n, err := strconv.Atoi(text)
			if err != nil || n < 0 {
				return 0, refuse(http.StatusBadRequest, "Which version?", name+" is the number of a version, or draft.")
			}
			return n, nil
		}
	}
	live := 0
	if l := a.Workspace.Now().Live[id]; l != nil {
		live = l.Version
	}
	from, err := number("from", live)
	if err != nil {
		return err
	}
	to, err := number("to", 0)
	if err != nil {
		return err
	}
	d, err := a.Workspace.Diff(r.Context(), id, from, to)
	if err != nil {
		return err
	}
	return reply(w, d)
}

func (a *API) revert(w http.ResponseWriter, r *http.Request) error {
	in, err := decode[wire.Revert](r)
	if err != nil {
		return err
	}
	v, err := a.Workspace.Revert(r.Context(), chi.URLParam(r, "workflow"), in.Version, person(r.Context()).Name)
	if err != nil {
		return err
	}
	return reply(w, v)
}

func (a *API) switchWorkflow(w http.ResponseWriter, r *http.Request) error {
	in, err := decode[wire.Switch](r)
	if err != nil {
		return err
	}
	if err := a.Workspace.Switch(r.Context(), chi.URLParam(r, "workflow"), in.On); err != nil {
		return err
	}
	return reply(w, in)
}

func (a *API) rename(w http.ResponseWriter, r *http.Request) error {
	in, err := decode[wire.Rename](r)
	if err != nil {
		return err
	}
	if !flow.ValidID(in.To) {
		return refuse(http.StatusUnprocessableEntity, "This cannot be an id", "Use small letters, digits and hyphens, as in depot-slots.")
	}
	problems, err := a.Workspace.Rename(r.Context(), chi.URLParam(r, "workflow"), in.To, person(r.Context()).Name)
	if errors.Is(err, workspace.ErrProblems) {
		return objected(problems)
	} else if err != nil {
		return err
	}
	return reply(w, checked(problems))
}

func (a *API) deleteWorkflow(w http.ResponseWriter, r *http.Request) error {
	if err := a.Workspace.Delete(r.Context(), chi.URLParam(r, "workflow"), person(r.Context()).Name); err != nil {
		return err
	}
	w.WriteHeader(http.StatusNoContent)
	return nil
}

func (a *API) bin(w http.ResponseWriter, r *http.Request) error {
	all, err := a.Workspace.Bin(r.Context())
	if err != nil {
		return err
	}
	return reply(w, all)
}

func (a *API) takeBack(w http.ResponseWriter, r *http.Request) error {
	n, err := strconv.ParseInt(chi.URLParam(r, "number"), 10, 64)
	if err != nil {
		return refuse(http.StatusBadRequest, "Which one?", "Things in the bin have numbers.")
	}
	path, err := a.Workspace.TakeBack(r.Context(), n, person(r.Context()).Name)
	if err != nil {
		return err
	}
	return reply(w, map[string]string{"path": path})
}
