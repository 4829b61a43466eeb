package tool

import (
	"context"
	"errors"
	"fmt"

	"woolsignal/core/flow"
	"woolsignal/server/table"
)

// rows are the tools of one of the workspace's own tables.
type rows struct{ *table.Table }

func (k *Kit) tableOperations(t *flow.Table) []*Operation {
	r := &rows{&table.Table{Of: t, Store: k.store}}
	full := t.Schema()
	columns, _ := full["properties"].(map[string]any)
	some := map[string]any{"type": "object", "properties": map[string]any{}, "additionalProperties": false,
		"description": "The values to put in; null takes one out"}
	for name, s := range columns {
		some["properties"].(map[string]any)[name] = map[string]any{"anyOf": []any{s, map[string]any{"type": "null"}}}
	}
	one := map[string]any(t.RowShape())
	number := Prop("integer", "The row's number", "minimum", 1.0)
	purpose := t.Title
	if t.Purpose != "" {
		purpose += " (" + t.Purpose + ")"
	}
	out := []*Operation{
		NewOperation(t.ID, t.Title, "find", "Finds rows of "+purpose+", newest first unless order_by says otherwise.",
			findInput(t, columns),
			Result(map[string]any{"rows": ListOf(one, ""),
				"total": Prop("integer", "How many rows match, on all pages"),
				"next": map[string]any{"type": []any{"string", "null"},
					"description": "What after takes for the next page; null on the last"}}), Reads, r.find),
		NewOperation(t.ID, t.Title, "add", "Adds a row to "+purpose+".", full, one, Adds, r.add),
		NewOperation(t.ID, t.Title, "update", "Changes a row of "+purpose+".",
			Object([]any{"row", "values"}, map[string]any{"row": number, "values": some}), one, Sets, r.update).
			About(r.showUpdate),
		NewOperation(t.ID, t.Title, "remove", "Removes a row of "+purpose+" for good.",
			Object([]any{"row"}, map[string]any{"row": number}), Result(map[string]any{"removed": number}), Removes,
			r.remove).About(r.showRemove),
	}
	return out
}

// rowError sorts a table's errors.
func rowError(err error) error {
	var invalid *table.InvalidError
	switch {
	case errors.As(err, &invalid), errors.Is(err, table.ErrTaken):
		return &RefusedError{Message: err.Error()}
	case errors.Is(err, table.ErrNoRow):
		return &RefusedError{Message: err.Error(), NotFound: true}
	}
	return err
}

// findInput is what rows are found by: columns that equal a value or compare
// to some, words, an order, and pages.
func findInput(t *flow.Table, columns map[string]any) map[string]any {
	by := []any{"row", "added", "changed"}
	where := map[string]any{}
	moment := Prop("string", "A time or a day")
	number := Prop("integer", "")
	for name, s := range map[string]any{"row": number, "added": moment, "changed": moment} {
		where[name] = comparable(s)
	}
	for _, c := range t.Columns {
		by = append(by, c.Name)
		where[c.Name] = comparable(columns[c.Name])
	}
	return Object(nil, map[string]any{
		"where": map[string]any{"type": "object", "properties": where, "additionalProperties": false,
			"description": "By column: the value it has, or how it compares, as in {kg: {at_least: 20}}. All must " +
				"hold; null is nothing written"},
		"words": Prop("string", "Words anywhere in the row"),
		"order_by": Prop("string", "The column to sort by, the smallest first; rows with nothing in it come last",
			"enum", by),
		"descending": Prop("boolean", "Whether the largest come first"),
		"most": Prop("integer",
			fmt.Sprintf("How many rows a page has; without it all are given, and more than %d are refused",
				table.MostRows), "minimum", 1.0, "maximum", float64(table.MostRows)),
		"after": Prop("string", "The next of the page before"),
	})
}

// comparable is the schema of a value or of comparisons to values.
func comparable(value any) map[string]any {
	how := map[string]any{}
	for _, name := range table.Comparisons {
		how[name] = value
	}
	how["not"] = map[string]any{"anyOf": []any{value, map[string]any{"type": "null"}}}
	how["one_of"] = map[string]any{"type": "array", "minItems": 1.0, "items": value}
	how["contains"], how["begins_with"] = Prop("string", ""), Prop("string", "")
	return map[string]any{"anyOf": []any{value, map[string]any{"type": "null"},
		map[string]any{"type": "object", "properties": how, "additionalProperties": false, "minProperties": 1.0}}}
}

func (r *rows) find(ctx context.Context, args map[string]any, _ Sending) (any, error) {
	where, _ := args["where"].(map[string]any)
	descending, _ := args["descending"].(bool)
	page, err := r.Find(ctx, table.Query{Where: where, Words: Text(args, "words"), OrderBy: Text(args, "order_by"),
		Descending: descending, After: Text(args, "after"), Most: Whole(args, "most", 0)})
	if err != nil {
		return nil, rowError(err)
	}
	out := []any{}
	for _, one := range page.Rows {
		out = append(out, r.Value(one))
	}
	result := map[string]any{"rows": out, "total": int64(page.Total), "next": nil}
	if page.Next != "" {
		result["next"] = page.Next
	}
	return result, nil
}

func (r *rows) add(ctx context.Context, args map[string]any, s Sending) (any, error) {
	values := map[string]any{}
	for name, v := range args {
		values[name] = v
	}
	row, err := r.Add(ctx, values, s.Key, s.Run)
	if err != nil {
		return nil, rowError(err)
	}
	return r.Value(row), nil
}

func (r *rows) update(ctx context.Context, args map[string]any, s Sending) (any, error) {
	values, _ := args["values"].(map[string]any)
	row, err := r.Update(ctx, int64(Whole(args, "row", 0)), values, s.Key, s.Run)
	if err != nil {
		return nil, rowError(err)
	}
	return r.Value(row), nil
}

func (r *rows) remove(ctx context.Context, args map[string]any, s Sending) (any, error) {
	n := int64(Whole(args, "row", 0))
	if err := r.Remove(ctx, n); err != nil && !(s.Again && errors.Is(err, table.ErrNoRow)) {
		return nil, rowError(err)
	}
	return map[string]any{"removed": n}, nil
}
