package table

import (
	"context"
	"encoding/csv"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"strconv"
	"strings"
	"time"

	"woolsignal/core/expr"
	"woolsignal/server/store"
)

// Import adds the rows of a CSV text (RFC 4180) whose first line names the
// columns. A row whose key is there already takes its place. It is written
// whole or, where any line is wrong, not at all. Errors: *[InvalidError].
func (t *Table) Import(ctx context.Context, text string) (added, changed int, err error) {
	rows, err := t.parse(text)
	if err != nil {
		return 0, 0, err
	}
	now := store.Time(time.Now())
	var b store.Batch
	for _, values := range rows {
		data, err := json.Marshal(values)
		if err != nil {
			return 0, 0, &InvalidError{err.Error()}
		}
		key := t.key(values)
		if _, err := t.one(ctx, "key = ?", key); key != nil && err == nil {
			changed++
			b.Do("INSERT INTO row_changes (tbl, row, did, data, at, run) SELECT tbl, n, 'changed', ?3, ?4, '' FROM "+
				"table_rows WHERE tbl = ?1 AND key = ?2 AND json(data) != json(?3)",
				t.Of.ID, key, string(data), now)
			b.Do("UPDATE table_rows SET data = ?3, changed = ?4 WHERE tbl = ?1 AND key = ?2 AND json(data) != json(?3)",
				t.Of.ID, key, string(data), now)
		} else {
			added++
		}
		b.Do("INSERT INTO table_rows (tbl, key, data, added, changed) VALUES (?1, ?2, ?3, ?4, ?4) ON CONFLICT DO "+
			"NOTHING", t.Of.ID, key, string(data), now)
		b.Do("INSERT INTO row_changes (tbl, row, did, data, at, run) SELECT tbl, n, 'added', data, added, '' FROM " +
			"table_rows WHERE changes() > 0 AND n = last_insert_rowid()")
	}
	if b.Empty() {
		return 0, 0, nil
	}
	if err := t.Store.Write(ctx, b); err != nil {
		return 0, 0, err
	}
	t.Store.TellRows(t.Of.ID)
	return added, changed, nil
}

// parse reads a CSV text and checks every line of it.
func (t *Table) parse(text string) ([]map[string]any, error) {
	r := csv.NewReader(strings.NewReader(strings.TrimPrefix(text, "\ufeff")))
	head, err := r.Read()
	if err != nil {
		return nil, &InvalidError{"the first line must name the columns: " + err.Error()}
	}
	for i, name := range head {
		head[i] = strings.TrimSpace(name)
		if t.Of.Column(head[i]) == nil {
			return nil, &InvalidError{fmt.Sprintf("line 1: %s has no column %q", t.Of.Title, name)}
		}
	}
	var rows []map[string]any
	keys := map[any]int{}
	for {
		record, err := r.Read()
		if errors.Is(err, io.EOF) {
			return rows, nil
		} else if err != nil {
			return nil, &InvalidError{err.Error()}
		}
		line, _ := r.FieldPos(0)
		values := map[string]any{}
		for i, text := range record {
			if text == "" {
				continue
			}
			if values[head[i]], err = t.cell(head[i], text); err != nil {
				return nil, &InvalidError{fmt.Sprintf("line %d: %v", line, err)}
			}
		}
		if err := t.check(values); err != nil {
			return nil, &InvalidError{fmt.Sprintf("line %d: %v", line, err)}
		}
		if key := t.key(values); key != nil {
			if first, twice := keys[key]; twice {
				return nil, &InvalidError{fmt.Sprintf("line %d: %v stands in line %d already", line, key, first)}
			}
			keys[key] = line
		}
		rows = append(rows, values)
	}
}

// cell reads a text as what its column holds.
func (t *Table) cell(column, text string) (any, error) {
	switch t.Of.Column(column).Type {
	case "number":
		if n, err := strconv.ParseInt(text, 10, 64); err == nil {
			return n, nil
		}
		f, err := strconv.ParseFloat(text, 64)
		if err != nil {
			return nil, fmt.Errorf("%s: %q is not a number", column, text)
		}
		return f, nil
	case "yes_no":
		switch strings.ToLower(text) {
		case "yes", "true", "1":
			return true, nil
		case "no", "false", "0":
			return false, nil
		}
		return nil, fmt.Errorf("%s: %q is neither yes nor no", column, text)
	}
	return expr.FromCell(text), nil
}

// Export writes every row as CSV, oldest first.
func (t *Table) Export(ctx context.Context, to io.Writer) error {
	rows, err := t.Store.Read().QueryContext(ctx, "SELECT "+rowColumns+" FROM table_rows WHERE tbl = ? ORDER BY n",
		t.Of.ID)
	if err != nil {
		return err
	}
	defer rows.Close()
	all, err := t.scan(rows)
	if err != nil {
		return err
	}
	w := csv.NewWriter(to)
	head := make([]string, len(t.Of.Columns))
	for i, c := range t.Of.Columns {
		head[i] = c.Name
	}
	if err := w.Write(head); err != nil {
		return err
	}
	for _, row := range all {
		record := make([]string, len(head))
		for i, name := range head {
			switch v := row.Values[name].(type) {
			case bool:
				record[i] = map[bool]string{true: "yes", false: "no"}[v]
			default:
				record[i] = expr.Cell(v)
			}
		}
		if err := w.Write(record); err != nil {
			return err
		}
	}
	w.Flush()
	return w.Error()
}

// Change is something that happened to a row.
type Change struct {
	N   int64 // counts up over all tables
	Row Row
	Did string // added or changed
	Run string // whose call it was; "" for nobody's
}

// Changes gives what happened behind a number, oldest first.
func (t *Table) Changes(ctx context.Context, after int64, most int) ([]Change, error) {
	rows, err := t.Store.Read().QueryContext(ctx,
		"SELECT n, row, did, data, at, run FROM row_changes WHERE tbl = ? AND n > ? ORDER BY n LIMIT ?", t.Of.ID, after,
		most)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	var out []Change
	for rows.Next() {
		var c Change
		var data string
		var at int64
		if err := rows.Scan(&c.N, &c.Row.N, &c.Did, &data, &at, &c.Run); err != nil {
			return nil, err
		}
		v, err := expr.DecodeJSON([]byte(data))
		if err != nil {
			return nil, err
		}
		c.Row.Values, _ = v.(map[string]any)
		c.Row.Added, c.Row.Changed = time.UnixMilli(at), time.UnixMilli(at)
		out = append(out, c)
	}
	return out, rows.Err()
}

// LastChange is the number of the newest change of any table.
func (t *Table) LastChange(ctx context.Context) (n int64, err error) {
	err = t.Store.Read().QueryRowContext(ctx, "SELECT coalesce(max(n), 0) FROM row_changes").Scan(&n)
	return n, err
}
