package workspace

import (
	"context"
	"encoding/json"
	"fmt"
	"maps"

	"woolsignal/core/run"
	"woolsignal/server/store"
	"woolsignal/wire"
)

// Kept is what is kept of a signal as a sample: what its trigger would make
// anew is left out.
func Kept(s *run.Signal) *wire.Signal {
	return &wire.Signal{Trigger: s.Trigger, Thread: s.Thread, Subject: s.Subject, From: s.From, Text: s.Text,
		Body: s.Body}
}

// KeepSample writes a signal into the workspace's files, in place of any of
// the same name.
func (h *Holder) KeepSample(ctx context.Context, workflow, name string, signal *wire.Signal, by string) error {
	h.write.Lock()
	defer h.write.Unlock()
	if h.Now().Workflows[workflow] == nil {
		return fmt.Errorf("%w: %s", ErrNoWorkflow, workflow)
	}
	text, err := json.MarshalIndent(signal, "", "  ")
	if err != nil {
		return fmt.Errorf("workspace: %w", err)
	}
	files := maps.Clone(h.Now().Files)
	files["samples/"+workflow+"/"+name+".json"] = string(text) + "\n"
	_, err = h.apply(ctx, Change{Files: files, By: by, Draft: true}, store.Batch{})
	return err
}

// Catch keeps the next signal of a workflow as a sample.
func (h *Holder) Catch(ctx context.Context, workflow, name, by string) error {
	if h.Now().Live[workflow] == nil {
		return fmt.Errorf("%w: %s", ErrNotLive, workflow)
	}
	var b store.Batch
	b.Do("INSERT INTO catches (workflow, name, by) VALUES (?, ?, ?) ON CONFLICT (workflow) DO UPDATE SET name = "+
		"excluded.name, by = excluded.by", workflow, name, by)
	if err := h.store.Write(ctx, b); err != nil {
		return fmt.Errorf("workspace: %w", err)
	}
	h.catching.Store(workflow, true)
	return nil
}

// Caught keeps a signal that came, where one was waited for. It costs nothing
// where none is.
func (h *Holder) Caught(ctx context.Context, workflow string, signal *run.Signal) error {
	if _, waiting := h.catching.LoadAndDelete(workflow); !waiting {
		return nil
	}
	ctx = context.WithoutCancel(ctx) // the sender may leave; the builder still waits
	var name, by string
	if err := h.store.Read().QueryRowContext(ctx, "SELECT name, by FROM catches WHERE workflow = ?",
		workflow).Scan(&name, &by); err != nil {
		return fmt.Errorf("workspace: %w", err)
	}
	var b store.Batch
	b.Do("DELETE FROM catches WHERE workflow = ?", workflow)
	if err := h.store.Write(ctx, b); err != nil {
		return fmt.Errorf("workspace: %w", err)
	}
	return h.KeepSample(ctx, workflow, name, Kept(signal), by)
}

// catches reads which workflows' signals are waited for.
func (h *Holder) catches(ctx context.Context) error {
	rows, err := h.store.Read().QueryContext(ctx, "SELECT workflow FROM catches")
	if err != nil {
		return fmt.Errorf("workspace: %w", err)
	}
	defer rows.Close()
	for rows.Next() {
		var workflow string
		if err := rows.Scan(&workflow); err != nil {
			return fmt.Errorf("workspace: %w", err)
		}
		h.catching.Store(workflow, true)
	}
	return rows.Err()
}
