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
)

// Rename gives a workflow another id, everywhere it is named: its file, its
// samples, the workflows that call it or look after its failures, the agents that
// start it, its versions, its runs and their conversations. Errors: [ErrNoWorkflow],
// [ErrTaken], [ErrProblems].
func (h *Holder) Rename(ctx context.Context, from, to, by string) ([]flow.Problem, error) {
	h.write.Lock()
	defer h.write.Unlock()
	s := h.Now()
	if s.Workflows[from] == nil {
		return nil, fmt.Errorf("%w: %s", ErrNoWorkflow, from)
	}
	if s.Workflows[to] != nil || s.Live[to] != nil {
		return nil, fmt.Errorf("%w: %s", ErrTaken, to)
	}
	files := map[string]string{}
	for path, text := range s.Files {
		files[renamedPath(path, from, to)] = renamedText(path, text, from, to)
	}
	if maps.Equal(files, s.Files) {
		return nil, nil
	}
	next := h.read(files)
	if flow.Wrongs(next.Problems) > flow.Wrongs(s.Problems) {
		return next.Problems, ErrProblems
	}
	var b store.Batch
	for path := range s.Files {
		if _, stays := files[path]; !stays {
			b.Do("DELETE FROM bin WHERE path = ?", path) // it is renamed, not deleted
		}
	}
	for _, table := range []string{"versions", "live", "runs", "reviews", "inbox", "catches"} {
		b.Do("UPDATE "+table+" SET workflow = ? WHERE workflow = ?", to, from)
	}
	for table, column := range map[string]string{"deliveries": "source", "inbox": "delivery", "schedules": "source"} {
		b.Do("UPDATE "+table+" SET "+column+" = ? || substr("+column+", ?) WHERE "+column+" LIKE ? ESCAPE '\\'", to,
			len(from)+1, escaped(from)+"/%")
	}
	for _, table := range []string{"runs", "messages"} {
		b.Do("UPDATE "+table+" SET thread = ? || substr(thread, ?) WHERE thread LIKE ? ESCAPE '\\'", to, len(from)+1,
			escaped(from)+":%")
	}
	b.Do("INSERT INTO renames (was, at, is_now) VALUES (?, ?, ?) ON CONFLICT (was, at) DO UPDATE SET is_now = "+
		"excluded.is_now", from, store.Time(time.Now()), to)
	var problems []flow.Problem
	err := h.renaming(from, to, func() (err error) {
		problems, err = h.apply(ctx, Change{Files: files, By: by, Draft: true}, b)
		return err
	})
	return problems, err
}

// OnRename says what is done around the change by which a workflow gets another id;
// write writes it. Nothing is done around it where nobody says so.
func (h *Holder) OnRename(do func(from, to string, write func() error) error) {
	h.aroundRename.Store(&do)
}

func (h *Holder) renaming(from, to string, write func() error) error {
	if do := h.aroundRename.Load(); do != nil {
		return (*do)(from, to, write)
	}
	return write()
}

// rename is a name a workflow had till some time, and the one it got.
type rename struct {
	at  time.Time
	now string
}

// oldNames reads what workflows were called before: versions that are live may still
// call one by its old id, and what runs recorded has the names there were then.
func (h *Holder) oldNames(ctx context.Context, s *Snapshot) error {
	rows, err := h.store.Read().QueryContext(ctx, "SELECT was, at, is_now FROM renames ORDER BY was, at")
	if err != nil {
		return fmt.Errorf("workspace: %w", err)
	}
	defer rows.Close()
	s.renames = map[string][]rename{}
	for rows.Next() {
		var was string
		var at int64
		var one rename
		if err := rows.Scan(&was, &at, &one.now); err != nil {
			return fmt.Errorf("workspace: %w", err)
		}
		one.at = store.FromTime(at)
		s.renames[was] = append(s.renames[was], one)
	}
	return rows.Err()
}

// Renamed gives the id a workflow has now that was called so at a time, whether or not
// another has taken the name since.
func (s *Snapshot) Renamed(workflow string, at time.Time) string {
	for {
		i := slices.IndexFunc(s.renames[workflow], func(r rename) bool { return !r.at.Before(at) })
		if i < 0 {
			return workflow
		}
		next := s.renames[workflow][i]
		workflow, at = next.now, next.at.Add(1)
	}
}

// Names are the ids a workflow has and had.
func (s *Snapshot) Names(workflow string) []string {
	out := []string{workflow}
	for i := 0; i < len(out); i++ {
		for was, all := range s.renames {
			if !slices.Contains(out, was) && slices.ContainsFunc(all, func(r rename) bool { return r.now == out[i] }) {
				out = append(out, was)
			}
		}
	}
	return out
}

// Current gives the id a workflow has now that was called so once.
func (s *Snapshot) Current(workflow string) string {
	all := s.renames[workflow]
	if s.Live[workflow] != nil || len(all) == 0 {
		return workflow
	}
	return s.Renamed(workflow, all[len(all)-1].at)
}

func escaped(id string) string {
	return strings.NewReplacer(`\`, `\\`, `%`, `\%`, `_`, `\_`).Replace(id)
}

func renamedPath(path, from, to string) string {
	if path == "workflows/"+from+".yaml" {
		return "workflows/" + to + ".yaml"
	}
	if rest, ok := strings.CutPrefix(path, "samples/"+from+"/"); ok {
		return "samples/" + to + "/" + rest
	}
	return path
}
