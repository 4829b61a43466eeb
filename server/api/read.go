package api

import (
	"maps"
	"net/http"
	"slices"

	"woolsignal/core/flow"
	"woolsignal/wire"
)

// longestText is how long a workflow's text may be to be read as it is edited, in
// bytes.
const longestText = 1 << 20

// edit keeps a text as a workflow's draft, readable or not.
func (a *API) edit(r *request, in wire.Draft) (wire.Drafted, error) {
	id := r.Param("workflow")
	if err := editable(id, in.Text); err != nil {
		return wire.Drafted{}, err
	}
	return a.Workspace.Edit(r.Context(), id, in, person(r.Context()).Name)
}

// editable refuses what cannot be a workflow's text.
func editable(id, text string) error {
	switch {
	case !flow.ValidID(id):
		return refuse(http.StatusUnprocessableEntity, "This cannot be an id",
			"Use small letters, digits and hyphens, as in depot-slots.")
	case len(text) > longestText:
		return refuse(http.StatusRequestEntityTooLarge, "Too long",
			"A workflow's text may have 1 MiB; nothing was kept.")
	}
	return nil
}

// renameStep says what changes in a text along with a step's id. Nothing is kept.
func (a *API) renameStep(r *request, in wire.RenameStep) (wire.RenamedStep, error) {
	id := r.Param("workflow")
	if err := editable(id, in.Text); err != nil {
		return wire.RenamedStep{}, err
	}
	s := a.Workspace.Now()
	out := wire.RenamedStep{Changes: s.RenamedStep(id, in.Text, in.From, in.To, s.Tools.Find)}
	if out.Changes == nil {
		out.Changes = []flow.Rewritten{}
	}
	return out, nil
}

// bringOut says what is to be written so that a value of a block is read outside.
// Nothing is kept.
func (a *API) bringOut(r *request, in wire.BringOut) (flow.BroughtOut, error) {
	id := r.Param("workflow")
	if err := editable(id, in.Text); err != nil {
		return flow.BroughtOut{}, err
	}
	s := a.Workspace.Now()
	out, err := s.Meaning(id, in.Text, s.Tools.Find).BringOut(in.Code, in.From, in.To)
	if err != nil {
		return out, refuse(http.StatusUnprocessableEntity, "This value cannot be read there",
			"What is done there does not come after the step that gives it. Drop it on a line below.")
	}
	return out, nil
}

// read says what a text means while it is edited. Nothing of it is kept.
func (a *API) read(r *request, in wire.Text) (wire.Meaning, error) {
	id := r.Param("workflow")
	if err := editable(id, in.Text); err != nil {
		return wire.Meaning{}, err
	}
	s := a.Workspace.Now()
	m := s.Meaning(id, in.Text, s.Tools.Find, slices.Collect(maps.Keys(s.Tools))...)
	out := wire.Meaning{Lines: m.Lines, Sees: m.Sees, Problems: m.Problems}
	if out.Lines == nil {
		out.Lines = []flow.Line{}
	}
	if out.Problems == nil {
		out.Problems = []flow.Problem{}
	}
	return out, nil
}
