package engine

import (
	"context"
	"errors"
	"fmt"

	"woolsignal/core/run"
)

// Connected lets the runs go on that waited for a connection.
func (e *Engine) Connected(ctx context.Context, connection, by string) error {
	rows, err := e.store.Read().QueryContext(ctx,
		"SELECT id, run FROM reviews WHERE decided IS NULL AND json_extract(review, '$.needs') = ?", connection)
	if err != nil {
		return fmt.Errorf("engine: %w", err)
	}
	waiting := map[string]string{}
	for rows.Next() {
		var id, of string
		if err := rows.Scan(&id, &of); err != nil {
			return errors.Join(fmt.Errorf("engine: %w", err), rows.Close())
		}
		waiting[id] = of
	}
	if err := errors.Join(rows.Err(), rows.Close()); err != nil {
		return fmt.Errorf("engine: %w", err)
	}
	for id, of := range waiting {
		err := e.Decide(ctx, of, run.Decided{Review: id, Choice: run.GoOn, By: by, Note: "connected " + connection})
		if err != nil && !errors.Is(err, run.ErrStale) {
			return err
		}
	}
	return nil
}
