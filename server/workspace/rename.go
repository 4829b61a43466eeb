package workspace

import (
	"context"
	"fmt"
	"maps"
	"strings"

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
	b.Do("INSERT INTO settings (name, value) VALUES (?, ?) ON CONFLICT (name) DO UPDATE SET value = excluded.value",
		renamed+from, to)
	b.Do("DELETE FROM settings WHERE name = ?", renamed+to)
	problems, err := h.apply(ctx, Change{Files: files, By: by, Draft: true}, b)
	if err != nil {
		return problems, err
	}
	return problems, nil
}

// renamed names the setting that says what a workflow is called now: versions
// that are live may still call it by its old id.
const renamed = "renamed "

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
