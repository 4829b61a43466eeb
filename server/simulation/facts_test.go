package simulation

import (
	"context"
	"fmt"
)

// correctOne has somebody correct a fact, or remove it, once each.
func (w *world) correctOne(l *life, which int) {
	ids := w.column(l, "SELECT id FROM facts ORDER BY id")
	if len(ids) == 0 {
		return
	}
	id, says := ids[which%len(ids)], ""
	if which%2 == 0 {
		says = fmt.Sprint("corrected ", which)
	}
	if w.correcting[id] {
		return
	}
	w.correcting[id] = true
	w.callers.Go(func() {
		err := l.engine.ChangeFact(context.Background(), id, "", says, "Ines")
		if err == nil && !l.crashed() {
			w.mu.Lock()
			defer w.mu.Unlock()
			w.corrected[id] = says
		}
	})
}

// knows insists that what a person corrected says so, and that what they removed is gone.
func (w *world) knows(l *life) {
	for id, says := range w.corrected {
		var known string
		if found := w.column(l, "SELECT fact FROM facts WHERE id = ?", id); len(found) > 0 {
			known = found[0]
		}
		if known != says {
			w.t.Errorf("the fact %s says %q, and a person had it say %q", id, known, says)
		}
	}
}
