package workspace

import (
	"context"
	"maps"
	"slices"

	"woolsignal/core/flow"
	"woolsignal/server/store"
)

// With reads the workspace as it would be with other files in place of some of
// its own, and tells the problems they make that were not there. Nothing is
// kept.
func (h *Holder) With(files map[string]string) (*Snapshot, []flow.Problem) {
	now := h.Now()
	next := maps.Clone(now.Files)
	if next == nil {
		next = map[string]string{}
	}
	maps.Copy(next, files)
	s := h.read(next)
	out := []flow.Problem{}
	for _, p := range s.Problems {
		_, own := files[p.File]
		if own || p.Severity == flow.Wrong && !slices.ContainsFunc(now.Problems,
			func(q flow.Problem) bool { return q.File == p.File && q.What == p.What }) {
			out = append(out, p)
		}
	}
	return s, out
}

// Define writes a file that acts at once, with those that come along with it,
// where it still is what it was made from. What makes anything wrong that was
// right is not written. Errors: [ErrProblems] with the problems;
// *[ConflictError].
func (h *Holder) Define(ctx context.Context, path, from string, files map[string]string, by string) ([]flow.Problem,
	error) {
	h.write.Lock()
	defer h.write.Unlock()
	if h.Now().Files[path] != from {
		return nil, &ConflictError{[]string{path}}
	}
	next, problems := h.With(files)
	if slices.ContainsFunc(problems, func(p flow.Problem) bool { return p.Severity == flow.Wrong }) {
		return problems, ErrProblems
	}
	_, err := h.apply(ctx, Change{Files: next.Files, By: by, Draft: true}, store.Batch{})
	return problems, err
}
