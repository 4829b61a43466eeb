package engine

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"slices"
	"strings"

	"woolsignal/core/run"
)

// chain is what brought a run about: another run that called it, that failed,
// or that wrote the row it was started by, and how many runs did so in a row.
type chain struct {
	cause  string // a run; "" for none
	links  int    // runs before this one that started one another
	broken string // why the run is not to begin; "" where it may
}

// chainOf tells what brings a run about. One that would be a link too many is
// broken: it is kept, failed, and says which runs started one another.
func (e *Engine) chainOf(ctx context.Context, a Admission) (chain, error) {
	c := chain{cause: a.Signal.Cause}
	switch {
	case a.by != nil:
		c.cause, c.links = a.Origin.Run, a.by.links
	case c.cause == "":
		return c, nil
	default:
		more := 1
		if a.Signal.Type == run.FollowUpType {
			more = 0 // it goes on in its own time, and nothing drives it round and round
		}
		err := e.store.Read().QueryRowContext(ctx, "SELECT links + ? FROM runs WHERE id = ?", more,
			c.cause).Scan(&c.links)
		if errors.Is(err, sql.ErrNoRows) {
			return chain{}, nil
		} else if err != nil {
			return c, fmt.Errorf("engine: %w", err)
		}
	}
	most := e.workspace.Now().MostLinks
	if a.Signal.Kind == "failure" {
		most += 2 // whoever looks after failures hears of a chain that broke, and starts nothing more
	}
	if c.links < most {
		return c, nil
	}
	names, err := e.ancestors(ctx, c.cause)
	if err != nil {
		return c, err
	}
	c.broken = fmt.Sprintf("%d runs in a row started one another: %s. It stops here; if that many are meant, "+
		"limits: links in woolsignal.yaml says how many may.",
		c.links, strings.Join(append(names, a.Workflow), " → "))
	return c, nil
}

// mostNamed is how many runs of a chain its failure names.
const mostNamed = 12

// ancestors names a run and those that brought it about, the first one first.
func (e *Engine) ancestors(ctx context.Context, id string) ([]string, error) {
	var names []string
	for id != "" && len(names) < mostNamed {
		var workflow string
		var cause sql.NullString
		if err := e.store.Read().QueryRowContext(ctx, "SELECT workflow, cause FROM runs WHERE id = ?",
			id).Scan(&workflow, &cause); err != nil {
			return nil, fmt.Errorf("engine: %w", err)
		}
		names, id = append(names, workflow+" ("+id+")"), cause.String
	}
	if id != "" {
		names = append(names, "…")
	}
	slices.Reverse(names)
	return names, nil
}
