// Package table keeps the rows of the workspace's own tables. The tools, the
// API and the trigger that watches rows use it.
package table

import (
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"
	"time"

	"woolsignal/core/expr"
	"woolsignal/core/flow"
	"woolsignal/core/schema"
	"woolsignal/server/store"
)

// Table is one table with its rows.
type Table struct {
	Of    *flow.Table
	Store *store.Store
	Zone  *time.Location // times of rows are written in it
}

// Row is one row.
type Row struct {
	N              int64
	Values         map[string]any
	Added, Changed time.Time
}

// Errors a caller can test for.
var (
	ErrNoRow = errors.New("there is no such row")
	ErrTaken = errors.New("another row has this key already")
)

// InvalidError says what is wrong with a row's values.
type InvalidError struct{ Message string }

func (e *InvalidError) Error() string { return e.Message }

// Value is the row as expressions and tools see it: every column is there,
// null where nothing is written.
func (t *Table) Value(r Row) map[string]any {
	out := map[string]any{"row": r.N, "added": r.Added.In(t.zone()).Format(time.RFC3339),
		"changed": r.Changed.In(t.zone()).Format(time.RFC3339)}
	for _, c := range t.Of.Columns {
		out[c.Name] = r.Values[c.Name]
	}
	return out
}

func (t *Table) zone() *time.Location {
	if t.Zone == nil {
		return time.UTC
	}
	return t.Zone
}

// check holds values against the columns.
func (t *Table) check(values map[string]any) error {
	for name, v := range values {
		if v == nil {
			delete(values, name) // null is nothing written
		}
	}
	compiled, err := schema.Compile(t.Of.Schema())
	if err != nil {
		return err
	}
	if err := compiled.Validate(values); err != nil {
		return &InvalidError{fmt.Sprintf("%s: %v", t.Of.Title, err)}
	}
	return nil
}

func (t *Table) key(values map[string]any) any {
	if t.Of.Unique == "" {
		return nil
	}
	return expr.Text(values[t.Of.Unique])
}

// Add adds a row. made is the idempotency key of the call, "" for none: a call
// that added a row already is given that row as it was added, wherever it is by
// now, and adds none. run is whose call it is, "" for nobody's. Errors:
// *[InvalidError], [ErrTaken].
func (t *Table) Add(ctx context.Context, values map[string]any, made, run string) (Row, error) {
	if err := t.check(values); err != nil {
		return Row{}, err
	}
	data, err := json.Marshal(values)
	if err != nil {
		return Row{}, &InvalidError{err.Error()}
	}
	if row, err := t.madeBy(ctx, made); !errors.Is(err, ErrNoRow) {
		return row, err
	}
	now := store.Time(time.Now())
	var b store.Batch
	b.Savepoint()
	b.Guard("no row has this key", "INSERT INTO table_rows (tbl, key, data, added, changed) VALUES (?, ?, ?, ?, ?) "+
		"ON CONFLICT DO NOTHING", t.Of.ID, t.key(values), string(data), now, now)
	b.Guard("the call added no row", "INSERT INTO row_changes (tbl, row, did, data, at, run, made) SELECT tbl, n, "+
		"'added', data, added, ?, ? FROM table_rows WHERE n = last_insert_rowid() ON CONFLICT DO NOTHING", run,
		store.OrNull(made))
	switch err = t.Store.Write(ctx, b); {
	case errors.Is(err, store.ErrGuard):
		if row, err := t.madeBy(ctx, made); !errors.Is(err, ErrNoRow) {
			return row, err
		}
		return Row{}, fmt.Errorf("%w: %s", ErrTaken, t.key(values))
	case err != nil:
		return Row{}, err
	}
	t.Store.TellRows(t.Of.ID)
	if made != "" {
		return t.madeBy(ctx, made)
	}
	return t.one(ctx, "n = (SELECT max(n) FROM table_rows WHERE tbl = ? AND data = ?)", t.Of.ID, string(data))
}

// madeBy is the row a call added or changed, as it was then. The error is [ErrNoRow] where there is none.
func (t *Table) madeBy(ctx context.Context, made string) (Row, error) {
	if made == "" {
		return Row{}, ErrNoRow
	}
	var r Row
	var data string
	var at int64
	err := t.Store.Read().QueryRowContext(ctx, "SELECT row, data, at FROM row_changes WHERE tbl = ? AND made = ?",
		t.Of.ID, made).Scan(&r.N, &data, &at)
	if errors.Is(err, sql.ErrNoRows) {
		return r, ErrNoRow
	} else if err != nil {
		return r, err
	}
	r.Added, r.Changed = store.FromTime(at), store.FromTime(at)
	if now, err := t.Get(ctx, r.N); err == nil {
		r.Added = now.Added
	}
	v, err := expr.DecodeJSON([]byte(data))
	r.Values, _ = v.(map[string]any)
	return r, err
}

const rowColumns = "n, data, added, changed"

// one finds the row a condition names.
func (t *Table) one(ctx context.Context, where string, args ...any) (Row, error) {
	rows, err := t.Store.Read().QueryContext(ctx, "SELECT "+rowColumns+" FROM table_rows WHERE tbl = ? AND "+where,
		append([]any{t.Of.ID}, args...)...)
	if err != nil {
		return Row{}, err
	}
	defer rows.Close()
	all, err := t.scan(rows)
	if err == nil && len(all) == 0 {
		err = ErrNoRow
	}
	if err != nil {
		return Row{}, err
	}
	return all[0], nil
}

func (t *Table) scan(rows *sql.Rows) ([]Row, error) {
	var out []Row
	for rows.Next() {
		var r Row
		var data string
		var added, changed int64
		if err := rows.Scan(&r.N, &data, &added, &changed); err != nil {
			return nil, err
		}
		v, err := expr.DecodeJSON([]byte(data))
		if err != nil {
			return nil, fmt.Errorf("table %s, row %d: %w", t.Of.ID, r.N, err)
		}
		r.Values, _ = v.(map[string]any)
		r.Added, r.Changed = store.FromTime(added), store.FromTime(changed)
		out = append(out, r)
	}
	return out, rows.Err()
}

// Get gives a row by its number. The error is [ErrNoRow] where there is none.
func (t *Table) Get(ctx context.Context, n int64) (Row, error) { return t.one(ctx, "n = ?", n) }

// Update puts values into a row; null takes one out. made and run are as for
// [Table.Add]: a call that changed the row already does not change it again,
// whoever changed it since. Errors: [ErrNoRow], [ErrTaken], *[InvalidError].
func (t *Table) Update(ctx context.Context, n int64, values map[string]any, made, run string) (Row, error) {
	if row, err := t.madeBy(ctx, made); !errors.Is(err, ErrNoRow) {
		return row, err
	}
	for range 8 { // somebody else may change the row in between
		row, err := t.Get(ctx, n)
		if err != nil {
			return row, err
		}
		before, err := json.Marshal(row.Values)
		if err != nil {
			return row, err
		}
		same := true
		for name, v := range values {
			same = same && expr.Text(row.Values[name]) == expr.Text(v)
			row.Values[name] = v
		}
		if same {
			return row, nil
		}
		if err := t.check(row.Values); err != nil {
			return row, err
		}
		after, err := json.Marshal(row.Values)
		if err != nil {
			return row, &InvalidError{err.Error()}
		}
		row.Changed = time.Now()
		var b store.Batch
		b.Guard("the row is as it was read",
			"UPDATE OR IGNORE table_rows SET data = ?, key = ?, changed = ? WHERE tbl = ? AND n = ? AND json(data) "+
				"= json(?)", string(after), t.key(row.Values), store.Time(row.Changed), t.Of.ID, n, string(before))
		b.Do("INSERT INTO row_changes (tbl, row, did, data, at, run, made) VALUES (?, ?, 'changed', ?, ?, ?, ?)",
			t.Of.ID, n, string(after), store.Time(row.Changed), run, store.OrNull(made))
		if err := t.Store.Write(ctx, b); err == nil {
			t.Store.TellRows(t.Of.ID)
			return row, nil
		} else if !errors.Is(err, store.ErrGuard) {
			return row, err
		}
		if t.Of.Unique != "" {
			if other, err := t.one(ctx, "key = ?", t.key(row.Values)); err == nil && other.N != n {
				return row, fmt.Errorf("%w: %v", ErrTaken, t.key(row.Values))
			}
		}
	}
	return Row{}, errors.New("the row is being changed all the time by somebody else; try again")
}

// Remove takes a row out. The error is [ErrNoRow] where there is none.
func (t *Table) Remove(ctx context.Context, n int64) error {
	var b store.Batch
	b.Guard("the row is there", "DELETE FROM table_rows WHERE tbl = ? AND n = ?", t.Of.ID, n)
	err := t.Store.Write(ctx, b)
	if errors.Is(err, store.ErrGuard) {
		return ErrNoRow
	}
	return err
}

// Count tells how many rows there are.
func (t *Table) Count(ctx context.Context) (n int, err error) {
	err = t.Store.Read().QueryRowContext(ctx, "SELECT count(*) FROM table_rows WHERE tbl = ?", t.Of.ID).Scan(&n)
	return n, err
}
