package engine

import (
	"encoding/json"
	"errors"
	"fmt"
	"time"

	"woolsignal/core/run"
	"woolsignal/server/store"
	"woolsignal/server/workspace"
)

// followUp keeps the signal by which a conversation goes on by itself.
func followUp(b *store.Batch, l *live, r *run.FollowUpSet) {
	s := *l.state.Signal
	s.ID = fmt.Sprintf("follow-up-%s-%s-%s", l.id, r.Step, r.Call)
	s.Type, s.Text, s.Time, s.Cause = run.FollowUpType, r.What, r.At, l.id
	s.Body, s.Files, s.Subject, s.Answers = nil, nil, "", ""
	if l.state.Signal.Kind == "task" {
		s.Body = l.state.Signal.Body // what the agent is given
	}
	text, err := json.Marshal(s)
	if err != nil {
		return // it came out of JSON
	}
	b.Do("INSERT INTO follow_ups (id, run, due, signal) VALUES (?, ?, ?, ?) ON CONFLICT DO NOTHING", s.ID, l.id,
		store.Time(r.At), text)
}

// mostFollowUps is how many begin in one go.
const mostFollowUps = 200

// laterAgain is when one is tried again that cannot begin now.
const laterAgain = time.Minute

// followUps lets conversations go on whose time has come. One of a workflow that is
// switched off waits till it is on.
func (e *Engine) followUps() error {
	rows, err := e.store.Read().QueryContext(e.ctx, "SELECT f.id, f.signal, r.workflow FROM follow_ups f "+
		"JOIN runs r ON r.id = f.run WHERE f.due <= ? ORDER BY f.due LIMIT ?", store.Time(time.Now()), mostFollowUps)
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
		b.Do("UPDATE follow_ups SET due = ? WHERE id = ?", store.Time(time.Now().Add(laterAgain)), id)
	}
	return e.store.Write(e.ctx, b)
}
