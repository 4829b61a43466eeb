package api

import (
	"bytes"
	"errors"
	"fmt"
	"maps"
	"mime"
	"net/http"
	"slices"
	"strconv"

	"github.com/go-chi/chi/v5"

	"woolsignal/core/expr"
	"woolsignal/core/flow"
	"woolsignal/server/store"
	"woolsignal/server/table"
	"woolsignal/wire"
)

func (a *API) tables(r *request, _ none) ([]wire.Table, error) {
	s := a.Workspace.Now()
	out := []wire.Table{}
	for _, id := range slices.Sorted(maps.Keys(s.Tables)) {
		t := s.Tables[id]
		n, err := (&table.Table{Of: t, Store: a.Store}).Count(r.Context())
		if err != nil {
			return nil, err
		}
		one := wire.Table{ID: id, Title: t.Title, Purpose: t.Purpose, Unique: t.Unique, Rows: n, Used: usedBy(s, id)}
		for _, c := range t.Columns {
			one.Columns = append(one.Columns,
				wire.Column{Name: c.Name, Title: columnTitle(c), Type: c.Type,
					Required: c.Required || c.Name == t.Unique, Choices: c.Choices})
		}
		out = append(out, one)
	}
	return out, nil
}

func columnTitle(c flow.Column) string {
	if c.Title != "" {
		return c.Title
	}
	return flow.Label(c.Name)
}

// tableOf finds the table an address names.
func (a *API) tableOf(r *request) (*table.Table, error) {
	s, id := a.Workspace.Now(), r.Param("table")
	t := s.Tables[id]
	if t == nil {
		return nil, refuse(http.StatusNotFound, "Not here", "There is no table "+id+".")
	}
	return &table.Table{Of: t, Store: a.Store, Zone: s.Zone}, nil
}

// rowProblem answers with what a table's error means.
func rowProblem(err error) error {
	var invalid *table.InvalidError
	switch {
	case errors.As(err, &invalid):
		return refuse(http.StatusUnprocessableEntity, "This does not fit", err.Error()+".")
	case errors.Is(err, table.ErrTaken):
		return refuse(http.StatusConflict, "The key is taken", err.Error()+".")
	case errors.Is(err, table.ErrNoRow):
		return refuse(http.StatusNotFound, "Not here", err.Error()+".")
	}
	return err
}

func wireRow(r table.Row) wire.Row {
	return wire.Row{Row: r.N, Values: r.Values, Added: r.Added, Changed: r.Changed}
}

func (a *API) rows(r *request, _ none) (wire.Rows, error) {
	t, err := a.tableOf(r)
	if err != nil {
		return wire.Rows{}, err
	}
	q := table.Query{Words: r.URL.Query().Get("text"), Most: 100}
	if n, err := strconv.Atoi(r.URL.Query().Get("limit")); err == nil && n > 0 {
		q.Most = min(n, 1000)
	}
	q.Before, _ = strconv.ParseInt(r.URL.Query().Get("before"), 10, 64) // 0 begins with the newest
	found, err := t.Find(r.Context(), q)
	if err != nil {
		return wire.Rows{}, rowProblem(err)
	}
	out := wire.Rows{Rows: []wire.Row{}, More: found.Next != ""}
	for _, row := range found.Rows {
		out.Rows = append(out.Rows, wireRow(row))
	}
	return out, nil
}

// rowNumber reads the row an address names.
func rowNumber(r *request) int64 {
	n, err := strconv.ParseInt(r.Param("row"), 10, 64)
	if err != nil {
		return -1 // no row has it
	}
	return n
}

// rowGiven reads the table an address names and the values of a row for it.
func (a *API) rowGiven(r *request, in wire.RowValues) (*table.Table, map[string]any, error) {
	t, err := a.tableOf(r)
	values := expr.CanonicalMap(in.Values)
	if values == nil {
		values = map[string]any{}
	}
	return t, values, err
}

// longestKey is how long an Idempotency-Key may be.
const longestKey = 255

func (a *API) addRow(r *request, in wire.RowValues) (wire.Row, error) {
	t, values, err := a.rowGiven(r, in)
	if err != nil {
		return wire.Row{}, err
	}
	made := r.Header.Get("Idempotency-Key")
	if len(made) > longestKey {
		return wire.Row{}, refuse(http.StatusBadRequest, "The Idempotency-Key is too long", fmt.Sprintf(
			"It may have %d characters; nothing was added.", longestKey))
	}
	if made != "" { // apart from those of runs and of everybody else
		made = "request " + person(r.Context()).Email + " " + made
	}
	return rowReply(t.Add(r.Context(), values, made, ""))
}

func (a *API) changeRow(r *request, in wire.RowValues) (wire.Row, error) {
	t, values, err := a.rowGiven(r, in)
	if err != nil {
		return wire.Row{}, err
	}
	return rowReply(t.Update(r.Context(), rowNumber(r), values, "", ""))
}

// rowReply answers with a row, or with what stood against it.
func rowReply(row table.Row, err error) (wire.Row, error) {
	if err != nil {
		return wire.Row{}, rowProblem(err)
	}
	return wireRow(row), nil
}

func (a *API) removeRow(r *request, _ none) (none, error) {
	t, err := a.tableOf(r)
	if err != nil {
		return none{}, err
	}
	if err := t.Remove(r.Context(), rowNumber(r)); err != nil {
		return none{}, rowProblem(err)
	}
	return none{}, nil
}

func (a *API) exportRows(r *request, _ none) (wire.CSV, error) {
	t, err := a.tableOf(r)
	if err != nil {
		return wire.CSV{}, err
	}
	var out bytes.Buffer
	if err := t.Export(r.Context(), &out); err != nil {
		return wire.CSV{}, err
	}
	return wire.CSV{Text: out.String()}, nil
}

func (a *API) importRows(r *request, in wire.CSV) (wire.Imported, error) {
	t, err := a.tableOf(r)
	if err != nil {
		return wire.Imported{}, err
	}
	added, changed, err := t.Import(r.Context(), in.Text)
	if err != nil {
		return wire.Imported{}, rowProblem(err)
	}
	r.touches(fmt.Sprintf("%d added, %d changed", added, changed))
	return wire.Imported{Added: added, Changed: changed}, nil
}

// file gives the bytes of a file that came with a signal or that a tool gave.
// It is always saved, never shown: anybody may have sent it.
func (a *API) blob(w http.ResponseWriter, r *http.Request) error {
	data, err := a.Store.Blob(r.Context(), chi.URLParam(r, "hash"))
	if errors.Is(err, store.ErrNoBlob) {
		return refuse(http.StatusNotFound, "Not here", err.Error()+".")
	} else if err != nil {
		return err
	}
	name := r.URL.Query().Get("name")
	if name == "" {
		name = "file"
	}
	w.Header().Set("Content-Type", "application/octet-stream")
	w.Header().Set("Content-Disposition", mime.FormatMediaType("attachment", map[string]string{"filename": name}))
	_, err = w.Write(data)
	return err
}
