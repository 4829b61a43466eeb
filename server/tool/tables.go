package tool

import (
	"context"
	"errors"

	"woolsignal/core/flow"
	"woolsignal/server/table"
)

// rows are the tools of one of the workspace's own tables.
type rows struct{ *table.Table }

func (k *Kit) tableOperations(t *flow.Table) []*Operation {
	r := &rows{&table.Table{Of: t, Store: k.Store}}
	full := t.Schema()
	columns, _ := full["properties"].(map[string]any)
	some := map[string]any{"type": "object", "properties": map[string]any{}, "additionalProperties": false, "description": "The values to put in; null takes one out"}
	for name, s := range columns {
		some["properties"].(map[string]any)[name] = map[string]any{"anyOf": []any{s, map[string]any{"type": "null"}}}
	}
	one := map[string]any(t.RowShape())
	number := prop("integer", "The row's number", "minimum", 1.0)
	purpose := t.Title
	if t.Purpose != "" {
		purpose += " (" + t.Purpose + ")"
	}
	out := []*Operation{
		operation(t.ID, t.Title, "find", "Finds rows of "+purpose+", newest first.", object(nil, map[string]any{"where": map[string]any{"type": "object", "properties": columns, "additionalProperties": false, "description": "Values of columns"},
			"words": prop("string", "Words anywhere in the row"), "most": prop("integer", "How many at most", "minimum", 1.0, "maximum", 1000.0)}), result(map[string]any{"rows": listOf(one, "")}), reads, r.find),
		operation(t.ID, t.Title, "add", "Adds a row to "+purpose+".", full, one, adds, r.add),
		operation(t.ID, t.Title, "update", "Changes a row of "+purpose+".", object([]any{"row", "values"}, map[string]any{"row": number, "values": some}), one, sets, r.update),
		operation(t.ID, t.Title, "remove", "Removes a row of "+purpose+" for good.", object([]any{"row"}, map[string]any{"row": number}), result(map[string]any{"removed": number}), removes, r.remove),
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

func (r *rows) find(ctx context.Context, args map[string]any, _ Sending) (any, error) {
	where, _ := args["where"].(map[string]any)
	found, err := r.Find(ctx, table.Query{Where: where, Words: text(args, "words"), Most: whole(args, "most", 100)})
	if err != nil {
		return nil, rowError(err)
	}
	out := []any{}
	for _, one := range found {
		out = append(out, r.Value(one))
	}
	return map[string]any{"rows": out}, nil
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
	row, err := r.Update(ctx, int64(whole(args, "row", 0)), values, s.Run)
	if err != nil {
		return nil, rowError(err)
	}
	return r.Value(row), nil
}

func (r *rows) remove(ctx context.Context, args map[string]any, s Sending) (any, error) {
	n := int64(whole(args, "row", 0))
	if err := r.Remove(ctx, n); err != nil && !(s.Again && errors.Is(err, table.ErrNoRow)) {
		return nil, rowError(err)
	}
	return map[string]any{"removed": n}, nil
}
