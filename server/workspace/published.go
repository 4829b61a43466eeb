package workspace

import (
	"context"
	"errors"
	"maps"
	"slices"

	"woolsignal/core/flow"
)

// public is what those see of a snapshot who build nothing.
type public struct{ of, view *Snapshot }

// Published is the workspace as those see it who build nothing: of workflows and of the
// agents they use what is live, and nothing of what is only written. It is made once for
// each snapshot.
func (h *Holder) Published(ctx context.Context) (*Snapshot, error) {
	s := h.Now()
	if known := h.public.Load(); known != nil && known.of == s {
		return known.view, nil
	}
	as, view := *s.Workspace, *s
	as.Workflows, as.Agents, as.Files = map[string]*flow.Workflow{}, map[string]*flow.Agent{}, map[string]string{}
	drafts := map[string]string{}
	for path, text := range s.Files { // what acts as soon as it is written
		if actsAtOnce(path) {
			as.Files[path] = text
		}
	}
	for _, id := range slices.Sorted(maps.Keys(s.Live)) {
		live := s.Live[id]
		b, err := h.bundle(ctx, s, live.Hash)
		var unreadable *UnreadableError
		if errors.As(err, &unreadable) {
			continue
		} else if err != nil {
			return nil, err
		}
		drafts[id] = live.edition
		as.Workflows[id] = live.Workflow
		maps.Copy(as.Agents, b.def.Agents)
		maps.Copy(as.Files, b.Files)
	}
	view.Workspace, view.Problems, view.drafts = &as, nil, drafts
	h.public.Store(&public{s, &view})
	return &view, nil
}
