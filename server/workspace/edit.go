package workspace

import (
	"context"
	"fmt"
	"maps"

	"woolsignal/core/flow"
	"woolsignal/server/store"
	"woolsignal/wire"
)

// ClashError says that somebody else changed the same steps of a workflow
// meanwhile. Nothing was written.
type ClashError struct {
	Workflow string
	By       string // who did
	Text     string // as they left it
	Clashes  []flow.Clash
}

func (c *ClashError) Error() string {
	return c.By + " changed the same step of " + c.Workflow + " meanwhile"
}

// Edit keeps a text as the draft of a workflow, readable or not, and makes the
// workflow where there was none. What others changed since the text it was made
// from is merged. Error: *[ClashError].
func (h *Holder) Edit(ctx context.Context, workflow string, d wire.Draft, by string) (wire.Drafted, error) {
	h.write.Lock()
	defer h.write.Unlock()
	path := "workflows/" + workflow + ".yaml"
	now := h.Now().Files[path]
	out := wire.Drafted{Text: d.Text}
	if now != d.From && now != d.Text {
		var err error
		if out.By, err = h.changedBy(ctx, path); err != nil {
			return out, err
		}
		text, clashes := flow.Merge(d.From, now, d.Text, flow.Prefer(d.Prefer))
		if len(clashes) > 0 {
			return out, &ClashError{workflow, out.By, now, clashes}
		}
		out.Text, out.Merged = text, text != d.Text
	}
	if out.Text != now {
		files := maps.Clone(h.Now().Files)
		files[path] = out.Text
		if _, err := h.apply(ctx, Change{Files: files, By: by, Draft: true}, store.Batch{}); err != nil {
			return out, err
		}
	}
	out.Problems = h.Now().problemsIn(path)
	return out, nil
}

// changedBy tells who changed a file last.
func (h *Holder) changedBy(ctx context.Context, path string) (by string, err error) {
	rows, err := h.store.Read().QueryContext(ctx, "SELECT by FROM files WHERE path = ? UNION ALL "+
		"SELECT by FROM bin WHERE path = ? LIMIT 1", path, path)
	if err != nil {
		return "", fmt.Errorf("workspace: %w", err)
	}
	defer rows.Close()
	by = "somebody"
	if rows.Next() {
		if err := rows.Scan(&by); err != nil {
			return "", fmt.Errorf("workspace: %w", err)
		}
	}
	return by, rows.Err()
}

func (s *Snapshot) problemsIn(path string) []flow.Problem {
	out := []flow.Problem{}
	for _, p := range s.Problems {
		if p.File == path {
			out = append(out, p)
		}
	}
	return out
}

// remember notes, of a workflow whose draft no longer checks, the last text
// that did.
func remember(b *store.Batch, before, next *Snapshot) {
	for id := range next.Workflows {
		path := "workflows/" + id + ".yaml"
		text, there := before.Files[path]
		switch {
		case !there || text == next.Files[path]:
		case len(next.wrongs(id)) == 0:
			b.Do("DELETE FROM readable WHERE workflow = ?", id)
		case len(before.wrongs(id)) == 0:
			b.Do("INSERT INTO readable (workflow, text) VALUES (?, ?) ON CONFLICT (workflow) DO UPDATE SET "+
				"text = excluded.text", id, text)
		}
	}
}

// lastReadable gives the workspace as it is, with the last text of a workflow
// that checked in place of one that does not; nil where there was none.
func (h *Holder) lastReadable(ctx context.Context, workflow string) (*Snapshot, error) {
	rows, err := h.store.Read().QueryContext(ctx, "SELECT text FROM readable WHERE workflow = ?", workflow)
	if err != nil {
		return nil, fmt.Errorf("workspace: %w", err)
	}
	defer rows.Close()
	if !rows.Next() {
		return nil, rows.Err()
	}
	var text string
	if err := rows.Scan(&text); err != nil {
		return nil, fmt.Errorf("workspace: %w", err)
	}
	files := maps.Clone(h.Now().Files)
	files["workflows/"+workflow+".yaml"] = text
	s := h.read(files)
	if len(s.wrongs(workflow)) > 0 {
		return nil, nil
	}
	return s, nil
}
