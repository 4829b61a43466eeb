package workspace

import (
	"context"
	"encoding/json"
	"fmt"
	"maps"
	"slices"
	"time"

	"woolsignal/core/flow"
	"woolsignal/core/run"
	"woolsignal/core/trigger"
	"woolsignal/server/store"
	"woolsignal/wire"
)

// Kept is what is kept of a signal as a sample: what its trigger would make
// anew is left out.
func Kept(s *run.Signal) *wire.Signal {
	return &wire.Signal{Trigger: s.Trigger, Subject: s.Subject, From: s.From, Text: s.Text, Body: s.Body}
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

// OpenFor is how long anybody at all may send what is waited for as a sample.
const OpenFor = time.Hour

// Catch keeps the next signal of a workflow as a sample. One that is not live
// can have what is sent to its webhook's draft.
func (h *Holder) Catch(ctx context.Context, workflow, name, by string) error {
	s := h.Now()
	if s.Workflows[workflow] == nil && s.Live[workflow] == nil {
		return fmt.Errorf("%w: %s", ErrNoWorkflow, workflow)
	}
	if s.Live[workflow] == nil && !s.hooked(workflow) {
		return fmt.Errorf("%w, and nothing can be sent to the draft of %s: it has no webhook", ErrNotLive, workflow)
	}
	at := time.Now()
	var b store.Batch
	b.Do("INSERT INTO catches (workflow, name, by, at) VALUES (?, ?, ?, ?) ON CONFLICT (workflow) DO UPDATE SET "+
		"name = excluded.name, by = excluded.by, at = excluded.at", workflow, name, by, store.Time(at))
	if err := h.store.Write(ctx, b); err != nil {
		return fmt.Errorf("workspace: %w", err)
	}
	h.catching.Store(workflow, at)
	return nil
}

// hooked tells whether the draft of a workflow has a webhook.
func (s *Snapshot) hooked(workflow string) bool {
	return slices.ContainsFunc(s.Workflows[workflow].Triggers, func(t flow.Trigger) bool {
		_, is := t.Is.(*trigger.Webhook)
		return is
	})
}

// Open tells whether what is sent to a workflow's draft is kept as a sample,
// from anybody and in any shape: somebody asked for it less than [OpenFor] ago.
func (h *Holder) Open(workflow string, now time.Time) bool {
	since, waiting := h.catching.Load(workflow)
	return waiting && now.Sub(since.(time.Time)) < OpenFor
}

// Caught keeps a signal that came, where one was waited for. It costs nothing
// where none is. unsigned says that nobody knows who sent it.
func (h *Holder) Caught(ctx context.Context, workflow string, signal *run.Signal,
	unsigned bool) (kept bool, err error) {
	if _, waiting := h.catching.LoadAndDelete(workflow); !waiting {
		return false, nil
	}
	ctx = context.WithoutCancel(ctx) // the sender may leave; the builder still waits
	var name, by string
	if err := h.store.Read().QueryRowContext(ctx, "SELECT name, by FROM catches WHERE workflow = ?",
		workflow).Scan(&name, &by); err != nil {
		return false, fmt.Errorf("workspace: %w", err)
	}
	var b store.Batch
	b.Do("DELETE FROM catches WHERE workflow = ?", workflow)
	if err := h.store.Write(ctx, b); err != nil {
		return false, fmt.Errorf("workspace: %w", err)
	}
	sample := Kept(signal)
	sample.Unsigned = unsigned
	return true, h.KeepSample(ctx, workflow, name, sample, by)
}

// catches reads which workflows' signals are waited for.
func (h *Holder) catches(ctx context.Context) error {
	rows, err := h.store.Read().QueryContext(ctx, "SELECT workflow, at FROM catches")
	if err != nil {
		return fmt.Errorf("workspace: %w", err)
	}
	defer rows.Close()
	for rows.Next() {
		var workflow string
		var at int64
		if err := rows.Scan(&workflow, &at); err != nil {
			return fmt.Errorf("workspace: %w", err)
		}
		h.catching.Store(workflow, store.FromTime(at))
	}
	return rows.Err()
}
