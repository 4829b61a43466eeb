package engine

import (
	"context"
	"maps"

	"woolsignal/core/run"
)

// Seen gives what the steps of a run could read, by name: what came in, what each
// step gave that has an id, and of the first item of each list what is seen inside.
func (e *Engine) Seen(ctx context.Context, id string) (map[string]any, error) {
	l := &live{id: id}
	if err := e.load(ctx, l); err != nil {
		return nil, err
	}
	out := run.Values(l.def, l.state)
	maps.Copy(out, l.state.SeenByAll(l.def.Zone))
	return out, nil
}
