package workspace

import (
	"context"
	"errors"
	"fmt"
	"maps"
	"slices"

	"woolsignal/core/flow"
	"woolsignal/core/run"
	"woolsignal/core/trigger"
)

// Leaving is a version that is no longer live, or is switched off, and has runs
// that go on: nothing starts it, and what its steps wait for is still listened to.
type Leaving struct {
	Workflow   string
	Definition *run.Definition
	hash       string
}

// going finds the versions that runs still follow. Tries hear nothing from outside.
const going = "SELECT DISTINCT workflow, definition FROM runs WHERE ended IS NULL AND origin IS NOT 'try'"

// stay reads what runs go on with that is not started any more.
func (h *Holder) stay(ctx context.Context, s *Snapshot) error {
	rows, err := h.store.Read().QueryContext(ctx, going+" ORDER BY workflow, definition")
	if err != nil {
		return fmt.Errorf("workspace: %w", err)
	}
	defer rows.Close()
	s.Leaving = nil
	for rows.Next() {
		var one Leaving
		if err := rows.Scan(&one.Workflow, &one.hash); err != nil {
			return fmt.Errorf("workspace: %w", err)
		}
		if s.started(one.Workflow, one.hash) {
			continue
		}
		b, err := h.bundle(ctx, s, one.hash)
		var unreadable *UnreadableError
		if errors.As(err, &unreadable) {
			continue // its runs end with that reason
		} else if err != nil {
			return err
		}
		if one.Definition = b.def; listens(b.def.Workflow) {
			s.Leaving = append(s.Leaving, one)
		}
	}
	return rows.Err()
}

// started tells whether signals start a version.
func (s *Snapshot) started(workflow, hash string) bool {
	live := s.Live[workflow]
	return live != nil && live.On && live.Hash == hash
}

// listens tells whether runs of a workflow can be reached from outside.
func listens(w *flow.Workflow) bool {
	found := len(w.Triggers) > 0
	flow.Walk(w.Steps, func(step *flow.Step) { found = found || step.Hears() != nil })
	return found
}

// Follow sees to it that what a run's steps wait for is listened to, though it
// follows a version that nothing starts.
func (h *Holder) Follow(ctx context.Context, workflow, hash string) error {
	known := func(s *Snapshot) bool {
		leaves := slices.ContainsFunc(s.Leaving, func(l Leaving) bool { return l.hash == hash })
		return leaves || s.started(workflow, hash)
	}
	if known(h.Now()) {
		return nil
	}
	def, err := h.ByHash(ctx, hash)
	if err != nil || !listens(def.Workflow) {
		return err
	}
	h.write.Lock()
	defer h.write.Unlock()
	if known(h.Now()) {
		return nil
	}
	return h.renew(ctx)
}

// Waits lists the triggers that steps wait by, of what is live and of what is
// leaving.
func (s *Snapshot) Waits() []flow.Trigger {
	var out []flow.Trigger
	s.eachWait(func(t flow.Trigger, _ *run.Definition, _ string) { out = append(out, t) })
	return out
}

// Doors are the webhooks at a path by which runs are reached that wait, or may
// come to. Those of what is live come first.
func (s *Snapshot) Doors(path string) []Webhook { return s.doors[path] }

// Goes tells whether runs go on that may come to wait at a door.
func (h *Holder) Goes(ctx context.Context, door Webhook) (goes bool, err error) {
	if door.leaving == "" {
		return true, nil
	}
	err = h.store.Read().QueryRowContext(ctx, "SELECT EXISTS ("+going+" AND definition = ?)", door.leaving).Scan(&goes)
	return goes, err
}

// Left finds a trigger among those of versions that are leaving: whoever is in a
// conversation with one of their runs goes on there.
func (s *Snapshot) Left(is func(flow.Trigger) bool) (Leaving, *flow.Trigger) {
	for _, l := range s.Leaving {
		for i, t := range l.Definition.Workflow.Triggers {
			if is(t) {
				return l, &l.Definition.Workflow.Triggers[i]
			}
		}
	}
	return Leaving{}, nil
}

// stillWaits is why a path matters at which runs wait that nobody starts any more.
const stillWaits = "what one of them waits for goes to it, and starts nothing here"

// shared remarks on the webhooks of drafts at whose paths runs of another workflow
// still wait by a version that is leaving.
func (s *Snapshot) shared() []flow.Problem {
	var out []flow.Problem
	for _, id := range slices.Sorted(maps.Keys(s.Workflows)) {
		for _, t := range s.Workflows[id].Triggers {
			hook, is := t.Is.(*trigger.Webhook)
			if !is {
				continue
			}
			for _, l := range s.Leaving {
				waits := func(d Webhook) bool { return d.leaving == l.hash }
				if l.Workflow != id && slices.ContainsFunc(s.doors[hook.Path], waits) {
					out = append(out, flow.Problem{File: "workflows/" + id + ".yaml", Line: t.At.Line,
						Column: t.At.Column, Severity: flow.Remark, Why: stillWaits,
						What: "runs of " + l.Workflow + " go on that wait for deliveries to " + hook.Claims()})
				}
			}
		}
	}
	return out
}
