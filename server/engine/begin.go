package engine

import (
	"context"
	"database/sql"
	"errors"
	"fmt"

	"woolsignal/core/run"
)

// Begin starts the run with which a page speaks first in a conversation. It
// starts one run of a conversation, however many windows open it at once, and
// none where somebody wrote before: then it gives that run.
func (e *Engine) Begin(ctx context.Context, workflow string, signal *run.Signal) (*Ticket, error) {
	thread := run.Thread{Workflow: workflow, Conversation: signal.Conversation()}
	var first string
	err := e.store.Read().QueryRowContext(ctx, "SELECT id FROM runs WHERE thread = ? ORDER BY id LIMIT 1",
		thread.String()).Scan(&first)
	if err == nil {
		return &Ticket{Run: first}, nil
	}
	if !errors.Is(err, sql.ErrNoRows) {
		return nil, fmt.Errorf("engine: the conversation could not be looked up: %w", err)
	}
	signal.ID, signal.Text = "begins "+signal.Thread, ""
	return e.Accept(ctx, Admission{Workflow: workflow, Signal: signal})
}
