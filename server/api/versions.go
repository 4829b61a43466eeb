package api

import (
	"errors"
	"fmt"
	"maps"
	"net/http"
	"slices"
	"strconv"

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

func (a *API) publish(r *request, in wire.Publish) (wire.Published, error) {
	s := a.Workspace.Now()
	which := in.Workflows
	if len(which) == 0 {
		which = slices.DeleteFunc(slices.Sorted(maps.Keys(s.Workflows)), func(id string) bool { return !s.Drafted(id) })
	}
	r.touches(named(which))
	// All or none: what does not check is found before anything is live.
	for _, id := range which {
		if problems := a.Workspace.Wrongs(id); len(problems) > 0 {
			return wire.Published{}, objected(problems)
		}
	}
	out := wire.Published{Versions: []wire.PublishedVersion{}}
	for _, id := range which {
		v, problems, err := a.Workspace.Publish(r.Context(), id, in.Note, person(r.Context()).Name)
		if errors.Is(err, workspace.ErrProblems) {
			return wire.Published{}, objected(problems)
		} else if err != nil {
			return wire.Published{}, err
		}
		out.Versions = append(out.Versions, wire.PublishedVersion{Workflow: id, Version: v})
	}
	return out, nil
}

func (a *API) versions(r *request, _ none) ([]wire.Version, error) {
	id := r.Param("workflow")
	s, err := a.shown(r.Context())
	if err != nil {
		return nil, err
	}
	if s.Workflows[id] == nil && s.Live[id] == nil {
		return nil, refuse(http.StatusNotFound, "Not here", "There is no workflow "+id+".")
	}
	return a.Workspace.Versions(r.Context(), id)
}

func (a *API) diff(r *request, _ none) (wire.Difference, error) {
	id, q := r.Param("workflow"), r.URL.Query()
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
		return wire.Difference{}, err
	}
	to, err := number("to", 0)
	if err != nil {
		return wire.Difference{}, err
	}
	d, err := a.Workspace.Diff(r.Context(), id, from, to)
	if err != nil {
		return wire.Difference{}, err
	}
	return d, nil
}

func (a *API) revert(r *request, in wire.Revert) (wire.Version, error) {
	r.touches(fmt.Sprint("version ", in.Version))
	v, err := a.Workspace.Revert(r.Context(), r.Param("workflow"), in.Version, person(r.Context()).Name)
	if err != nil {
		return wire.Version{}, err
	}
	return v, nil
}

func (a *API) switchWorkflow(r *request, in wire.Switch) (wire.Switch, error) {
	r.touches(onOrOff(in.On))
	if err := a.Workspace.Switch(r.Context(), r.Param("workflow"), in.On); err != nil {
		return wire.Switch{}, err
	}
	return in, nil
}

func (a *API) rename(r *request, in wire.Rename) (wire.Checked, error) {
	if !flow.ValidID(in.To) {
		return wire.Checked{}, refuse(http.StatusUnprocessableEntity, "This cannot be an id",
			"Use small letters, digits and hyphens, as in depot-slots.")
	}
	r.touches("to " + in.To)
	problems, err := a.Workspace.Rename(r.Context(), r.Param("workflow"), in.To, person(r.Context()).Name)
	if errors.Is(err, workspace.ErrProblems) {
		return wire.Checked{}, objected(problems)
	} else if err != nil {
		return wire.Checked{}, err
	}
	return checked(problems), nil
}

func (a *API) deleteWorkflow(r *request, _ none) (none, error) {
	if err := a.Workspace.Delete(r.Context(), r.Param("workflow"), person(r.Context()).Name); err != nil {
		return none{}, err
	}
	return none{}, nil
}

func (a *API) bin(r *request, _ none) ([]wire.Binned, error) {
	all, err := a.Workspace.Bin(r.Context())
	if err != nil {
		return nil, err
	}
	return all, nil
}

func (a *API) takeBack(r *request, _ none) (wire.TakenBack, error) {
	n, err := strconv.ParseInt(r.Param("number"), 10, 64)
	if err != nil {
		return wire.TakenBack{}, refuse(http.StatusBadRequest, "Which one?", "Things in the bin have numbers.")
	}
	path, err := a.Workspace.TakeBack(r.Context(), n, person(r.Context()).Name)
	if err != nil {
		return wire.TakenBack{}, err
	}
	r.touches(path)
	return wire.TakenBack{Path: path}, nil
}
