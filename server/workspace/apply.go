package workspace

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"maps"
	"slices"
	"strings"
	"time"

	"woolsignal/core/flow"
	"woolsignal/server/store"
	"woolsignal/server/table"
	"woolsignal/wire"
)

// Edition names a text by its content: whoever edits a file says which
// edition they started from.
func Edition(text string) string {
	sum := sha256.Sum256([]byte(text))
	return hex.EncodeToString(sum[:8])
}

// ConflictError names files that somebody else changed meanwhile. Nothing was
// written.
type ConflictError struct{ Files []string }

func (c *ConflictError) Error() string {
	return "changed by somebody else meanwhile: " + strings.Join(c.Files, ", ")
}

// Change is a new set of files.
type Change struct {
	Files map[string]string
	Base  map[string]string // editions the change started from, by path; nil does not ask
	By    string
	Draft bool // keep workflows and agents that do not check; they cannot be published
}

// Apply takes a whole set of files in place of the current one. Files that
// are gone are found in the bin. Errors: [ErrProblems], *[ConflictError].
func (h *Holder) Apply(ctx context.Context, c Change) ([]flow.Problem, error) {
	h.write.Lock()
	defer h.write.Unlock()
	return h.apply(ctx, c, store.Batch{})
}

// apply writes a change and what belongs to it. h.write is held.
func (h *Holder) apply(ctx context.Context, c Change, more store.Batch) ([]flow.Problem, error) {
	current := h.Now().Files
	if err := conflicts(current, c); err != nil {
		return nil, err
	}
	next := h.read(c.Files)
	if slices.ContainsFunc(next.Problems,
		func(p flow.Problem) bool { return p.Severity == flow.Wrong && (!c.Draft || actsAtOnce(p.File)) }) {
		return next.Problems, ErrProblems
	}
	var b store.Batch
	at := store.Time(time.Now())
	for _, path := range slices.Sorted(maps.Keys(current)) {
		if _, stays := c.Files[path]; !stays {
			b.Do("DELETE FROM files WHERE path = ?", path)
			b.Do("INSERT INTO bin (path, text, at, by) VALUES (?, ?, ?, ?)", path, current[path], at, c.By)
		}
	}
	for _, path := range slices.Sorted(maps.Keys(c.Files)) {
		if text, known := current[path]; !known || text != c.Files[path] {
			b.Do("INSERT INTO files (path, text, changed, by) VALUES (?, ?, ?, ?) ON CONFLICT (path) DO UPDATE SET "+
				"text = excluded.text, changed = excluded.changed, by = excluded.by", path, c.Files[path], at, c.By)
		}
	}
	for id := range h.Now().Live {
		if next.Workflows[id] == nil && more.Empty() {
			b.Do("DELETE FROM live WHERE workflow = ?", id) // nothing starts what is gone
		}
	}
	remember(&b, h.Now(), next)
	b.Add(more)
	if err := h.store.Write(ctx, b); err != nil {
		return nil, fmt.Errorf("workspace: %w", err)
	}
	ctx = context.WithoutCancel(ctx) // it is written: what is in memory follows, whoever has left
	if err := h.enliven(ctx, next); err != nil {
		return nil, err
	}
	h.install(next)
	return next.Problems, h.seed(ctx, current, next)
}

// seed gives tables that are new the rows their files come with. A table that
// holds rows already keeps them as they are.
func (h *Holder) seed(ctx context.Context, before map[string]string, next *Snapshot) error {
	for id, t := range next.Tables {
		text, ok := next.Files["tables/"+id+".csv"]
		if _, known := before["tables/"+id+".yaml"]; known || !ok {
			continue
		}
		rows := &table.Table{Of: t, Store: h.store}
		if n, err := rows.Count(ctx); err != nil || n > 0 {
			return err
		}
		if _, _, err := rows.Import(ctx, text); err != nil {
			return fmt.Errorf("tables/%s.csv: %w", id, err)
		}
	}
	return nil
}

// actsAtOnce tells the files that have no versions.
func actsAtOnce(path string) bool {
	return path == flow.MainFile || strings.HasPrefix(path, "connections/") || strings.HasPrefix(path, "tables/")
}

// conflicts finds the files a change would overwrite that are no longer what
// it started from.
func conflicts(current map[string]string, c Change) error {
	if c.Base == nil {
		return nil
	}
	var files []string
	paths := maps.Clone(current)
	maps.Copy(paths, c.Files)
	for _, path := range slices.Sorted(maps.Keys(paths)) {
		text, there := current[path]
		now := ""
		if there {
			now = Edition(text)
		}
		wanted, stays := c.Files[path]
		if now != c.Base[path] && (stays != there || wanted != text) {
			files = append(files, path)
		}
	}
	if len(files) > 0 {
		return &ConflictError{files}
	}
	return nil
}

// Bin lists what was deleted, newest first.
func (h *Holder) Bin(ctx context.Context) ([]wire.Binned, error) {
	rows, err := h.store.Read().QueryContext(ctx, "SELECT n, path, at, by FROM bin ORDER BY n DESC LIMIT 200")
	if err != nil {
		return nil, fmt.Errorf("workspace: %w", err)
	}
	defer rows.Close()
	out := []wire.Binned{}
	for rows.Next() {
		var b wire.Binned
		var at int64
		if err := rows.Scan(&b.N, &b.Path, &at, &b.By); err != nil {
			return nil, fmt.Errorf("workspace: %w", err)
		}
		b.At = store.FromTime(at)
		out = append(out, b)
	}
	return out, rows.Err()
}

// TakeBack puts a deleted file back in its place. It is a draft then.
func (h *Holder) TakeBack(ctx context.Context, n int64, by string) (path string, err error) {
	h.write.Lock()
	defer h.write.Unlock()
	var text string
	if err := h.store.Read().QueryRowContext(ctx, "SELECT path, text FROM bin WHERE n = ?", n).Scan(&path,
		&text); err != nil {
		return "", fmt.Errorf("%w: nothing in the bin has the number %d", ErrNoWorkflow, n)
	}
	files := maps.Clone(h.Now().Files)
	if _, taken := files[path]; taken {
		return "", fmt.Errorf("%w: %s", ErrTaken, path)
	}
	files[path] = text
	var b store.Batch
	b.Do("DELETE FROM bin WHERE n = ?", n)
	_, err = h.apply(ctx, Change{Files: files, By: by, Draft: true}, b)
	return path, err
}

// Delete moves a workflow to the bin, with its samples. Its open runs go on;
// nothing starts new ones.
func (h *Holder) Delete(ctx context.Context, workflow, by string) error {
	h.write.Lock()
	defer h.write.Unlock()
	s := h.Now()
	if s.Workflows[workflow] == nil {
		return fmt.Errorf("%w: %s", ErrNoWorkflow, workflow)
	}
	files := maps.Clone(s.Files)
	maps.DeleteFunc(files, func(path, _ string) bool {
		return path == "workflows/"+workflow+".yaml" || strings.HasPrefix(path, "samples/"+workflow+"/")
	})
	_, err := h.apply(ctx, Change{Files: files, By: by, Draft: true}, store.Batch{})
	return err
}
