package table

import (
	"context"
	"encoding/base64"
	"encoding/json"
	"fmt"
	"maps"
	"slices"
	"strings"
	"time"

	"woolsignal/core/expr"
	"woolsignal/server/store"
)

// MostRows is how many rows one page may have, and how many are given where
// nobody says how many.
const MostRows = 1000

// Query says which rows are wanted, and in which order.
type Query struct {
	Where      map[string]any // by column: a value, or a map of comparisons to values
	Words      string         // anywhere in the row
	OrderBy    string         // a column, or row, added or changed; "" is the newest first
	Descending bool           // the largest first, where OrderBy is given
	After      string         // where the page before ended, as its Next says
	Before     int64          // rows added before this one; 0 begins with the newest
	Most       int            // rows of a page; 0 gives all, and fails where that is more than [MostRows]
}

// Page is some of the rows that match a query.
type Page struct {
	Rows  []Row
	Total int    // rows that match, on all pages
	Next  string // for Query.After, where there are more; "" on the last page
}

// Comparisons are what a column can be held to, beside a value it equals.
var Comparisons = []string{"not", "less_than", "at_most", "at_least", "more_than", "one_of", "contains", "begins_with"}

// Find gives a page of rows. Where nobody said how many are wanted, none are
// left out: more than a page holds are an *[InvalidError].
func (t *Table) Find(ctx context.Context, q Query) (Page, error) {
	c := &conditions{table: t}
	c.add("tbl = ?", t.Of.ID)
	for _, name := range slices.Sorted(maps.Keys(q.Where)) {
		if err := c.column(name, q.Where[name]); err != nil {
			return Page{}, err
		}
	}
	if q.Words != "" {
		c.add(`data LIKE ? ESCAPE '\'`, "%"+escaped(q.Words)+"%")
	}
	var page Page
	if err := t.Store.Read().QueryRowContext(ctx, "SELECT count(*) FROM table_rows WHERE "+c.text(),
		c.args...).Scan(&page.Total); err != nil {
		return page, err
	}
	most := q.Most
	if most == 0 {
		if most = MostRows; page.Total > most {
			return page, &InvalidError{fmt.Sprintf("%d rows of %s match, and at most %d are given at once: say how "+
				"many with most, and go on with after, or narrow it down with where", page.Total, t.Of.Title, most)}
		}
	}
	by, err := t.order(q.OrderBy)
	if err != nil {
		return page, err
	}
	descending := q.Descending || q.OrderBy == ""
	if q.Before > 0 {
		c.add("n < ?", q.Before)
	}
	if q.After != "" {
		if err := c.after(by, descending, q.After); err != nil {
			return page, err
		}
	}
	way := map[bool]string{true: "DESC", false: "ASC"}[descending]
	rows, err := t.Store.Read().QueryContext(ctx,
		fmt.Sprintf("SELECT %s FROM table_rows WHERE %s ORDER BY %s IS NULL, %s %s, n %s LIMIT ?", rowColumns, c.text(),
			by, by, way, way),
		append(c.args, most+1)...)
	if err != nil {
		return page, err
	}
	defer rows.Close()
	if page.Rows, err = t.scan(rows); err != nil {
		return page, err
	}
	if len(page.Rows) > most {
		page.Rows = page.Rows[:most]
		page.Next, err = t.mark(page.Rows[most-1], q.OrderBy)
	}
	return page, err
}

// order is what rows are sorted by, in SQL.
func (t *Table) order(by string) (string, error) {
	switch by {
	case "", "row":
		return "n", nil
	case "added", "changed":
		return by, nil
	}
	if t.Of.Column(by) == nil {
		return "", &InvalidError{fmt.Sprintf("%s has no column %s to order by", t.Of.Title, by)}
	}
	return extract(by), nil
}

// extract is the value of a column in SQL. Columns' names are words of small
// letters, which their reader has seen to.
func extract(column string) string { return "json_extract(data, '$." + column + "')" }

// mark tells where a page ends: by what its last row is sorted by, and its
// number.
func (t *Table) mark(last Row, by string) (string, error) {
	var value any = last.N
	switch by {
	case "", "row":
	case "added":
		value = store.Time(last.Added)
	case "changed":
		value = store.Time(last.Changed)
	default:
		value = last.Values[by]
		if yes, is := value.(bool); is { // as SQLite reads it out of JSON
			value = map[bool]int64{true: 1, false: 0}[yes]
		}
	}
	data, err := json.Marshal([]any{value, last.N})
	return base64.RawURLEncoding.EncodeToString(data), err
}

// conditions are joined by AND.
type conditions struct {
	table *Table
	all   []string
	args  []any
}

func (c *conditions) add(condition string, args ...any) {
	c.all, c.args = append(c.all, condition), append(c.args, args...)
}

func (c *conditions) text() string { return strings.Join(c.all, " AND ") }

// after leaves out what stands before the end of a page, rows without the
// value last.
func (c *conditions) after(by string, descending bool, mark string) error {
	invalid := &InvalidError{"after: this is not what a page said about the next"}
	data, err := base64.RawURLEncoding.DecodeString(mark)
	if err != nil {
		return invalid
	}
	v, err := expr.DecodeJSON(data)
	list, _ := v.([]any)
	if err != nil || len(list) != 2 {
		return invalid
	}
	n, isNumber := list[1].(int64)
	if !isNumber {
		return invalid
	}
	beyond := map[bool]string{true: "<", false: ">"}[descending]
	switch value := list[0].(type) {
	case nil:
		c.add(fmt.Sprintf("(%s IS NULL AND n %s ?)", by, beyond), n)
	case string, int64, float64:
		c.add(fmt.Sprintf("(%s IS NULL OR %s %s ? OR (%s = ? AND n %s ?))", by, by, beyond, by, beyond), value, value,
			n)
	default:
		return invalid
	}
	return nil
}

// column holds a column to a value or to comparisons.
func (c *conditions) column(name string, wanted any) error {
	of, value := "", func(v any) (any, error) { return v, nil }
	switch column := c.table.Of.Column(name); {
	case column != nil && column.Type == "yes_no":
		of = "coalesce(" + extract(name) + ", 0)" // what nobody answered is no
	case column != nil:
		of = extract(name)
	case name == "row":
		of = "n"
	case name == "added" || name == "changed":
		of, value = name, c.moment
	default:
		return &InvalidError{fmt.Sprintf("%s has no column %s", c.table.Of.Title, name)}
	}
	compared, many := wanted.(map[string]any)
	if !many {
		return c.compare(name, of, "", wanted, value)
	}
	for _, how := range slices.Sorted(maps.Keys(compared)) {
		if err := c.compare(name, of, how, compared[how], value); err != nil {
			return err
		}
	}
	return nil
}

func (c *conditions) compare(name, of, how string, wanted any, value func(any) (any, error)) error {
	if how == "one_of" {
		list, ok := wanted.([]any)
		if !ok || len(list) == 0 {
			return &InvalidError{name + ", one_of: give a list of values"}
		}
		for i, item := range list {
			var err error
			if list[i], err = value(item); err != nil {
				return err
			}
		}
		c.add(of+" IN (?"+strings.Repeat(", ?", len(list)-1)+")", list...)
		return nil
	}
	wanted, err := value(wanted)
	if err != nil {
		return err
	}
	if wanted == nil && how != "" && how != "not" {
		return &InvalidError{fmt.Sprintf("%s, %s: nothing (null) is neither less nor more than anything", name, how)}
	}
	sign, ok := map[string]string{"": "IS", "not": "IS NOT", "less_than": "<", "at_most": "<=", "at_least": ">=",
		"more_than": ">"}[how]
	switch {
	case ok:
		c.add(of+" "+sign+" ?", wanted)
	case how == "contains":
		c.add(of+` LIKE ? ESCAPE '\'`, "%"+escaped(expr.Text(wanted))+"%")
	case how == "begins_with":
		c.add(of+` LIKE ? ESCAPE '\'`, escaped(expr.Text(wanted))+"%")
	default:
		return &InvalidError{fmt.Sprintf("%s: %q is no comparison; possible: %s", name, how,
			strings.Join(Comparisons, ", "))}
	}
	return nil
}

// moment reads a time or a day as the database keeps it.
func (c *conditions) moment(v any) (any, error) {
	text, _ := v.(string)
	for _, layout := range []string{time.RFC3339, time.DateOnly} {
		if at, err := time.ParseInLocation(layout, text, c.table.zone()); err == nil {
			return store.Time(at), nil
		}
	}
	return nil, &InvalidError{fmt.Sprintf("%q is no time; write it as 2026-11-26T09:00:00Z or 2026-11-26",
		expr.Text(v))}
}

// escaped writes a text as LIKE takes it literally.
func escaped(s string) string { return strings.NewReplacer(`\`, `\\`, "%", `\%`, "_", `\_`).Replace(s) }
