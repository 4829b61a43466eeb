package workspace

import (
	"context"
	"fmt"
	"maps"
	"slices"
	"strings"
	"time"

	"woolsignal/core/flow"
	"woolsignal/server/store"
	"woolsignal/wire"
)

// wrongs are the problems that keep a workflow from going live: its own, those
// of its agents, and those of what acts at once.
func (s *Snapshot) wrongs(workflow string) []flow.Problem {
	files := bundleOf(s.Workspace, s.Workflows[workflow])
	var out []flow.Problem
	for _, p := range s.Problems {
		if _, own := files[p.File]; p.Severity == flow.Wrong && (own || actsAtOnce(p.File)) {
			out = append(out, p)
		}
	}
	return out
}

// Wrongs lists the problems that keep a workflow from going live.
func (h *Holder) Wrongs(workflow string) []flow.Problem {
	if s := h.Now(); s.Workflows[workflow] != nil {
		return s.wrongs(workflow)
	}
	return nil
}

// Drafted tells whether a workflow's draft differs from what is live.
func (s *Snapshot) Drafted(workflow string) bool {
	live, ok := s.Live[workflow]
	return s.Workflows[workflow] != nil && (!ok || live.edition != s.drafts[workflow])
}

// Publish makes the draft of a workflow live, and switches it on where it was
// never live before. A draft that is live already is left alone. Errors:
// [ErrNoWorkflow]; *[PlaceError]; [ErrProblems] with the problems.
func (h *Holder) Publish(ctx context.Context, workflow, note, by string) (wire.Version, []flow.Problem, error) {
	h.write.Lock()
	defer h.write.Unlock()
	s := h.Now()
	if s.Workflows[workflow] == nil {
		return wire.Version{}, nil, fmt.Errorf("%w: %s", ErrNoWorkflow, workflow)
	}
	if problems := s.wrongs(workflow); len(problems) > 0 {
		return wire.Version{}, problems, ErrProblems
	}
	if !s.Drafted(workflow) {
		return h.version(ctx, workflow, s.Live[workflow].Version)
	}
	if err := s.taken(workflow, s.Workflows[workflow]); err != nil {
		return wire.Version{}, nil, err
	}
	var b store.Batch
	hash, err := s.keep(&b, workflow)
	if err != nil {
		return wire.Version{}, nil, err
	}
	return h.next(ctx, b, workflow, hash, note, by)
}

// PlaceError says that what a trigger claims already belongs to another
// workflow that is live.
type PlaceError struct{ Place, Workflow string }

func (p *PlaceError) Error() string {
	return "the workflow " + p.Workflow + ", which is live, already has " + p.Place
}

// taken tells where a trigger of a workflow would claim the place of one of
// another workflow that is live and on: which of them got a message would be
// chance.
func (s *Snapshot) taken(id string, w *flow.Workflow) error {
	for _, t := range w.Triggers {
		place, words := t.Place()
		if place == "" {
			continue
		}
		for _, other := range slices.Sorted(maps.Keys(s.Live)) {
			if l := s.Live[other]; other != id && l.On &&
				slices.ContainsFunc(l.Triggers, func(o flow.Trigger) bool { p, _ := o.Place(); return p == place }) {
				return &PlaceError{words, other}
			}
		}
	}
	return nil
}

// next writes a version behind the last one and makes it live.
func (h *Holder) next(ctx context.Context, b store.Batch, workflow, definition, note, by string) (wire.Version,
	[]flow.Problem, error) {
	n := 0
	if err := h.store.Read().QueryRowContext(ctx, "SELECT coalesce(max(n), 0) FROM versions WHERE workflow = ?",
		workflow).Scan(&n); err != nil {
		return wire.Version{}, nil, fmt.Errorf("workspace: %w", err)
	}
	n++
	b.Do("INSERT INTO versions (workflow, n, definition, note, by, at) VALUES (?, ?, ?, ?, ?, ?)", workflow, n,
		definition, note, by, store.Time(time.Now()))
	b.Do("INSERT INTO live (workflow, version, is_on) VALUES (?, ?, 1) ON CONFLICT (workflow) DO UPDATE SET version "+
		"= excluded.version", workflow, n)
	h.Now().skipTimes(&b, workflow)
	if err := h.store.Write(ctx, b); err != nil {
		return wire.Version{}, nil, fmt.Errorf("workspace: %w", err)
	}
	if err := h.renew(ctx); err != nil {
		return wire.Version{}, nil, err
	}
	return h.version(context.WithoutCancel(ctx), workflow, n)
}

// skipTimes has the schedules of a workflow begin anew that are not live and on as
// something is about to change: nobody makes up for times at which it was switched off,
// or had no such trigger.
func (s *Snapshot) skipTimes(b *store.Batch, workflow string) {
	kept := []any{len(workflow) + 1, workflow + "/"}
	if live := s.Live[workflow]; live != nil && live.On {
		for _, t := range live.Triggers {
			kept = append(kept, workflow+"/"+t.ID)
		}
	}
	b.Do("DELETE FROM schedules WHERE substr(source, 1, ?) = ? AND source NOT IN (''"+
		strings.Repeat(", ?", len(kept)-2)+")", kept...)
}

func (h *Holder) version(ctx context.Context, workflow string, n int) (wire.Version, []flow.Problem, error) {
	all, err := h.Versions(ctx, workflow)
	if err != nil {
		return wire.Version{}, nil, err
	}
	i := slices.IndexFunc(all, func(v wire.Version) bool { return v.N == n })
	if i < 0 {
		return wire.Version{}, nil, fmt.Errorf("%w: %s has no version %d", ErrNoVersion, workflow, n)
	}
	return all[i], nil, nil
}

// Versions lists the versions of a workflow, newest first.
func (h *Holder) Versions(ctx context.Context, workflow string) ([]wire.Version, error) {
	s := h.Now()
	if s.Workflows[workflow] == nil && s.Live[workflow] == nil {
		return nil, fmt.Errorf("%w: %s", ErrNoWorkflow, workflow)
	}
	rows, err := h.store.Read().QueryContext(ctx,
		"SELECT n, definition, note, by, at FROM versions WHERE workflow = ? ORDER BY n DESC", workflow)
	if err != nil {
		return nil, fmt.Errorf("workspace: %w", err)
	}
	defer rows.Close()
	out := []wire.Version{}
	for rows.Next() {
		var v wire.Version
		var at int64
		if err := rows.Scan(&v.N, &v.Definition, &v.Note, &v.By, &at); err != nil {
			return nil, fmt.Errorf("workspace: %w", err)
		}
		v.At = store.FromTime(at)
		v.Live = s.Live[workflow] != nil && s.Live[workflow].Version == v.N
		out = append(out, v)
	}
	return out, rows.Err()
}

// Revert makes an earlier version live again, as a new one. The draft stays
// as it is. Error: [ErrNoVersion].
func (h *Holder) Revert(ctx context.Context, workflow string, n int, by string) (wire.Version, error) {
	h.write.Lock()
	defer h.write.Unlock()
	v, _, err := h.version(ctx, workflow, n)
	if err != nil {
		return wire.Version{}, err
	}
	if v.Live {
		return v, nil
	}
	b, err := h.bundle(ctx, h.Now(), v.Definition)
	if err != nil {
		return wire.Version{}, err
	}
	if err := h.Now().taken(workflow, b.def.Workflow); err != nil {
		return wire.Version{}, err
	}
	back, _, err := h.next(ctx, store.Batch{}, workflow, v.Definition, fmt.Sprintf("back to version %d", n), by)
	return back, err
}

// Switch turns a live workflow on or off. Errors: [ErrNotLive], *[PlaceError].
func (h *Holder) Switch(ctx context.Context, workflow string, on bool) error {
	h.write.Lock()
	defer h.write.Unlock()
	if h.Now().Live[workflow] == nil {
		if h.Now().Workflows[workflow] == nil {
			return fmt.Errorf("%w: %s", ErrNoWorkflow, workflow)
		}
		return fmt.Errorf("%w: %s", ErrNotLive, workflow)
	}
	if on {
		if err := h.Now().taken(workflow, h.Now().Live[workflow].Workflow); err != nil {
			return err
		}
	}
	var b store.Batch
	b.Do("UPDATE live SET is_on = ? WHERE workflow = ?", on, workflow)
	h.Now().skipTimes(&b, workflow)
	if err := h.store.Write(ctx, b); err != nil {
		return fmt.Errorf("workspace: %w", err)
	}
	return h.renew(ctx)
}

// Diff tells two versions of a workflow apart; 0 is the draft.
func (h *Holder) Diff(ctx context.Context, workflow string, from, to int) (wire.Difference, error) {
	d := wire.Difference{Workflow: workflow, From: name(from), To: name(to), Lines: []flow.ScriptDiff{},
		Files: []wire.FileDiff{}}
	a, err := h.bundleAt(ctx, workflow, from)
	if err != nil {
		return d, err
	}
	b, err := h.bundleAt(ctx, workflow, to)
	if err != nil {
		return d, err
	}
	s := h.Now()
	if a.def.Workflow != nil && b.def.Workflow != nil {
		d.Lines = flow.DiffScripts(s.Explain(a.def.Workflow, s.Tools.Find), s.Explain(b.def.Workflow, s.Tools.Find))
	}
	for _, path := range paths(a.Files, b.Files) {
		if text := flow.DiffTexts(path, a.Files[path], b.Files[path]); text != "" {
			d.Files = append(d.Files, wire.FileDiff{Path: path, Diff: text})
		}
	}
	return d, nil
}

func name(version int) string {
	if version == 0 {
		return "draft"
	}
	return fmt.Sprint(version)
}

func paths(a, b map[string]string) []string {
	var out []string
	for _, m := range []map[string]string{a, b} {
		for path := range m {
			if !slices.Contains(out, path) {
				out = append(out, path)
			}
		}
	}
	slices.SortFunc(out, strings.Compare)
	return out
}

func (h *Holder) bundleAt(ctx context.Context, workflow string, version int) (*bundle, error) {
	if version == 0 {
		s := h.Now()
		if s.Workflows[workflow] == nil {
			return nil, fmt.Errorf("%w: %s", ErrNoWorkflow, workflow)
		}
		if problems := s.wrongs(workflow); len(problems) > 0 { // not what could be read last
			return nil, fmt.Errorf("%w: %s", ErrProblems, problems[0])
		}
		hash, err := h.Draft(ctx, workflow)
		if err != nil {
			return nil, err
		}
		return h.bundle(ctx, h.Now(), hash)
	}
	v, _, err := h.version(ctx, workflow, version)
	if err != nil {
		return nil, err
	}
	return h.bundle(ctx, h.Now(), v.Definition)
}
