package tool

import (
	"context"
	"maps"
)

// showUpdate tells which row is changed, and what it will be.
func (r *rows) showUpdate(ctx context.Context, args map[string]any, _ Sending) (Shown, error) {
	row, err := r.Get(ctx, int64(Whole(args, "row", 0)))
	if err != nil {
		return Shown{}, rowError(err)
	}
	before := r.Value(row)
	after := maps.Clone(before)
	values, _ := args["values"].(map[string]any)
	maps.Copy(after, values)
	return Shown{Before: before, After: after}, nil
}

// showRemove tells which row is to go.
func (r *rows) showRemove(ctx context.Context, args map[string]any, _ Sending) (Shown, error) {
	row, err := r.Get(ctx, int64(Whole(args, "row", 0)))
	if err != nil {
		return Shown{}, rowError(err)
	}
	return Shown{Before: r.Value(row)}, nil
}
