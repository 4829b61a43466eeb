package engine

import (
	"cmp"
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"
	"time"

	"woolsignal/core/run"
	"woolsignal/server/store"
	"woolsignal/server/workspace"
)

// FollowUpID names one of those a run set.
func FollowUpID(run string, n int) string { return fmt.Sprintf("follow-up-%s-%d", run, n) }

// followUp keeps the signal by which a conversation goes on by itself.
func followUp(b *store.Batch, l *live, r *run.FollowUpSet) {
	s := *l.state.Signal
	s.ID = FollowUpID(l.id, r.N)
	s.Type, s.Text, s.Time, s.Cause = run.FollowUpType, r.What, r.At, l.id
	s.Body, s.Files, s.Subject, s.Answers = nil, nil, "", ""
	if l.state.Signal.Kind == "task" {
		s.Body = l.state.Signal.Body // what the agent is given
	}
	text, err := json.Marshal(s)
	if err != nil {
		return // it came out of JSON
	}
	b.Do("INSERT INTO follow_ups (id, run, n, due, signal) VALUES (?, ?, ?, ?, ?) ON CONFLICT DO NOTHING", s.ID, l.id,
		r.N, store.Time(r.At), text)
}

// takenBack forgets the follow-ups of a run that its state knows to be cancelled.
func takenBack(b *store.Batch, l *live) {
	for _, f := range l.state.FollowUps {
		if f.Cancelled != "" {
			b.Do("DELETE FROM follow_ups WHERE run = ? AND n = ?", l.id, f.N)
		}
	}
}

// openFollowUps counts those that are open in a run's conversation, beside its own.
func (e *Engine) openFollowUps(ctx context.Context, l *live) (n int, err error) {
	err = e.store.Read().QueryRowContext(ctx, "SELECT count(*) FROM runs r JOIN follow_ups f ON f.run = r.id WHERE "+
		"r.thread = ? AND r.id != ?", l.thread(), l.id).Scan(&n)
	return n, err
}

// FollowUp is a time at which a conversation goes on by itself.
type FollowUp struct {
	ID       string
	Run      string // whose agent set it
	Workflow string // of the run
	Due      time.Time
	What     string
	With     string // whom the conversation is with, as far as that is known
}

// FollowUps lists those that are open, the next one first; after and most page through
// them, and of, where it is given, is the run whose they are.
func (e *Engine) FollowUps(ctx context.Context, of string, most int, after string) ([]FollowUp, error) {
	rows, err := e.store.Read().QueryContext(ctx, "SELECT f.id, f.run, r.workflow, f.due, f.signal FROM follow_ups f "+
		"JOIN runs r ON r.id = f.run WHERE (? = '' OR f.run = ?) AND (? = '' OR (f.due, f.id) > (SELECT due, id FROM "+
		"follow_ups WHERE id = ?)) ORDER BY f.due, f.id LIMIT ?", of, of, after, after, most)
	if err != nil {
		return nil, fmt.Errorf("engine: %w", err)
	}
	defer rows.Close()
	out := []FollowUp{}
	for rows.Next() {
		var f FollowUp
		var due int64
		var text string
		if err := rows.Scan(&f.ID, &f.Run, &f.Workflow, &due, &text); err != nil {
			return nil, fmt.Errorf("engine: %w", err)
		}
		signal, err := run.DecodeSignal([]byte(text))
		if err != nil {
			return nil, err
		}
		f.Due, f.What = store.FromTime(due), signal.Text
		f.With = cmp.Or(signal.From["name"], signal.From["email"], signal.From["phone"])
		out = append(out, f)
	}
	return out, rows.Err()
}

// CancelFollowUp takes one back that has not begun. The error is [run.ErrStale] where it
// has, or was taken back before.
func (e *Engine) CancelFollowUp(ctx context.Context, id, by string) error {
	var of string
	var n int
	err := e.store.Read().QueryRowContext(ctx, "SELECT run, n FROM follow_ups WHERE id = ?", id).Scan(&of, &n)
	if errors.Is(err, sql.ErrNoRows) {
		return run.ErrStale
	} else if err != nil {
		return fmt.Errorf("engine: %w", err)
	}
	err = e.handleAs(ctx, of, &run.CancelFollowUp{N: n, By: by}, func(l *live, entry run.Entry) (store.Batch, error) {
		var b store.Batch
		b.Savepoint()
		b.Guard("the follow-up has not begun", "DELETE FROM follow_ups WHERE id = ? AND begins = 0", id)
		return following(b, l, entry)
	})
	if errors.Is(err, store.ErrGuard) {
		return run.ErrStale
	}
	return err
}

// mostFollowUps is how many begin in one go.
const mostFollowUps = 200

// laterAgain is when one is tried again that cannot begin now.
const laterAgain = time.Minute

// followUps lets conversations go on whose time has come. One of a workflow that is
// switched off waits till it is on.
func (e *Engine) followUps() error {
	rows, err := e.store.Read().QueryContext(e.ctx, "SELECT f.id, f.signal, r.workflow FROM follow_ups f "+
		"JOIN runs r ON r.id = f.run WHERE f.due <= ? ORDER BY f.due LIMIT ?", store.Time(e.Now()), mostFollowUps)
	if err != nil {
		return fmt.Errorf("engine: %w", err)
	}
	type one struct{ id, signal, workflow string }
	var due []one
	for rows.Next() {
		var f one
		if err := rows.Scan(&f.id, &f.signal, &f.workflow); err != nil {
			rows.Close()
			return fmt.Errorf("engine: %w", err)
		}
		due = append(due, f)
	}
	if err := errors.Join(rows.Err(), rows.Close()); err != nil {
		return fmt.Errorf("engine: %w", err)
	}
	for _, f := range due {
		if err := e.follow(f.id, f.signal, f.workflow); err != nil {
			return err
		}
	}
	return nil
}

// follow begins one, and forgets it once it has its run or never can have one.
func (e *Engine) follow(id, text, workflow string) error {
	signal, err := run.DecodeSignal([]byte(text))
	if err != nil {
		return err
	}
	var begins store.Batch
	begins.Guard("nobody has taken the follow-up back", "UPDATE follow_ups SET begins = 1 WHERE id = ?", id)
	if err := e.store.Write(e.ctx, begins); errors.Is(err, store.ErrGuard) {
		return nil
	} else if err != nil {
		return err
	}
	a := Admission{Workflow: e.workspace.Now().Current(workflow), Signal: signal}
	if agent, is := workspace.AgentOf(workflow); is {
		a.outside = true
		a.Definition, err = e.workspace.Task(e.ctx, agent, signal)
	} else if signal.Draft {
		a.Definition, err = e.workspace.Draft(e.ctx, a.Workflow)
	}
	if err == nil {
		_, err = e.Accept(e.ctx, a)
	}
	var b store.Batch
	switch {
	case err == nil:
		b.Do("DELETE FROM follow_ups WHERE id = ?", id)
	case errors.Is(err, workspace.ErrNoWorkflow), errors.Is(err, workspace.ErrNoAgent):
		e.log.Error("a follow-up has nobody left to make it", "id", id, "workflow", workflow, "error", err)
		b.Do("DELETE FROM follow_ups WHERE id = ?", id)
	case e.ctx.Err() != nil:
		return nil
	default:
		e.log.Warn("a follow-up waits", "id", id, "workflow", workflow, "error", err)
		b.Do("UPDATE follow_ups SET due = ?, begins = 0 WHERE id = ?", store.Time(e.Now().Add(laterAgain)), id)
	}
	return e.store.Write(e.ctx, b)
}
