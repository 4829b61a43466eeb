package api

import (
	"bytes"
	"errors"
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

func (a *API) tables(w http.ResponseWriter, r *http.Request) error {
	s := a.Workspace.Now()
	out := []wire.Table{}
	for _, id := range slices.Sorted(maps.Keys(s.Tables)) {
		t := s.Tables[id]
		n, err := (&table.Table{Of: t, Store: a.Store}).Count(r.Context())
		if err != nil {
			return err
		}
		one := wire.Table{ID: id, Title: t.Title, Purpose: t.Purpose, Key: t.Key, Rows: n, Used: usedBy(s, id)}
		for _, c := range t.Columns {
			one.Columns = append(one.Columns, wire.Column{Name: c.Name, Title: columnTitle(c), Type: c.Type, Required: c.Required || c.Name == t.Key, Choices: c.Choices})
		}
		out = append(out, one)
	}
	return reply(w, out)
}

func columnTitle(c flow.Column) string {
	if c.Title != "" {
		return c.Title
	}
	return flow.Label(c.Name)
}

// tableOf finds the table an address names.
func (a *API) tableOf(r *http.Request) (*table.Table, error) {
	s, id := a.Workspace.Now(), chi.URLParam(r, "table")
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

func (a *API) rows(w http.ResponseWriter, r *http.Request) error {
	t, err := a.tableOf(r)
	if err != nil {
		return err
	}
	q := table.Query{Words: r.URL.Query().Get("text"), Most: 100}
	if n, err := strconv.Atoi(r.URL.Query().Get("limit")); err == nil && n > 0 {
		q.Most = min(n, 1000)
	}
	q.Before, _ = strconv.ParseInt(r.URL.Query().Get("before"), 10, 64) // 0 begins with the newest
	found, err := t.Find(r.Context(), q)
	if err != nil {
		return rowProblem(err)
	}
	out := wire.Rows{Rows: []wire.Row{}, More: found.Next != ""}
	for _, row := range found.Rows {
		out.Rows = append(out.Rows, wireRow(row))
	}
	return reply(w, out)
}

// rowNumber reads the row an address names.
func rowNumber(r *http.Request) int64 {
	n, err := strconv.ParseInt(chi.URLParam(r, "row"), 10, 64)
	if err != nil {
		return -1 // no row has it
	}
	return n
}

// rowGiven reads the table an address names and the values of a row for it.
func (a *API) rowGiven(r *http.Request) (*table.Table, map[string]any, error) {
	in, err := decode[wire.RowValues](r)
	if err != nil {
		return nil, nil, err
	}
	t, err := a.tableOf(r)
	values, _ := expr.Canonical(any(in.Values)).(map[string]any)
	if values == nil {
		values = map[string]any{}
	}
	return t, values, err
}

func (a *API) addRow(w http.ResponseWriter, r *http.Request) error {
	t, values, err := a.rowGiven(r)
	if err != nil {
		return err
	}
	made := r.Header.Get("Idempotency-Key")
	if made != "" {
		made = "request " + made // apart from those of runs
	}
	return rowReply(w)(t.Add(r.Context(), values, made, ""))
}

func (a *API) changeRow(w http.ResponseWriter, r *http.Request) error {
	t, values, err := a.rowGiven(r)
	if err != nil {
		return err
	}
	return rowReply(w)(t.Update(r.Context(), rowNumber(r), values, ""))
}

// rowReply answers with a row, or with what stood against it.
func rowReply(w http.ResponseWriter) func(table.Row, error) error {
	return func(row table.Row, err error) error {
		if err != nil {
			return rowProblem(err)
		}
		return reply(w, wireRow(row))
	}
}

func (a *API) removeRow(w http.ResponseWriter, r *http.Request) error {
	t, err := a.tableOf(r)
	if err != nil {
		return err
	}
	if err := t.Remove(r.Context(), rowNumber(r)); err != nil {
		return rowProblem(err)
	}
	w.WriteHeader(http.StatusNoContent)
	return nil
}

func (a *API) exportRows(w http.ResponseWriter, r *http.Request) error {
	t, err := a.tableOf(r)
	if err != nil {
		return err
	}
	var out bytes.Buffer
	if err := t.Export(r.Context(), &out); err != nil {
		return err
	}
	return reply(w, wire.CSV{Text: out.String()})
}

func (a *API) importRows(w http.ResponseWriter, r *http.Request) error {
	in, err := decode[wire.CSV](r)
	if err != nil {
		return err
	}
	t, err := a.tableOf(r)
	if err != nil {
		return err
	}
	added, changed, err := t.Import(r.Context(), in.Text)
	if err != nil {
		return rowProblem(err)
	}
	return reply(w, wire.Imported{Added: added, Changed: changed})
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
