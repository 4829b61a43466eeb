package simulation

import (
	"context"
	"fmt"
	"strings"
)

// listings are what is made of the journals alone, as it reads. Whom the end of
// a run is still to be told stands in none: it is told again.
var listings = map[string]string{
	"runs": `SELECT id || '|' || workflow || '|' || definition || '|' ||
		status || '|' || because || '|' || kind || '|' ||
		about || '|' || coalesce(thread, '-') || '|' || coalesce(key, '-') || '|' ||
		coalesce(origin, '-') || '|' || coalesce(cause, '-') || '|' || links || '|' ||
		coalesce(unwanted, '-') || '|' || coalesce(wake, '-') || '|' || seq || '|' || accepted || '|' ||
		 coalesce(ended, '-') ||
		'|' || input || '|' || output || '|' || cost FROM runs ORDER BY id`,
	"deliveries": "SELECT source || '|' || id || '|' || run FROM deliveries ORDER BY source, id",
	"hears": "SELECT run || '|' || step || '|' || source || '|' || key || '|' || also_starts FROM hears ORDER " +
		"BY run, step",
	"reviews": "SELECT id || '|' || run || '|' || workflow || '|' || ask || '|' || title || '|' || asked || '|' || " +
		"coalesce(decided, '-') || '|' || review FROM reviews ORDER BY id",
	"messages": "SELECT thread || '|' || run || '|' || who || '|' || name || '|' || text || '|' || coalesce(rich, " +
		"'-') || '|' || at FROM messages ORDER BY n",
	"memory":   "SELECT memory || '|' || run || '|' || messages FROM memory ORDER BY n",
	"labels":   "SELECT label || '|' || run FROM labels ORDER BY label, run",
	"spending": "SELECT workflow || '|' || quarter || '|' || cost FROM spending ORDER BY workflow, quarter",
	"doubts":   "SELECT review || '|' || workflow || '|' || run || '|' || cost FROM doubts ORDER BY review, workflow",
	"facts":    "SELECT about || '|' || name || '|' || fact || '|' || id || '|' || at || by FROM facts ORDER BY n",
}

// projections reads every listing.
func (w *world) projections(l *life) map[string]string {
	w.t.Helper()
	out := map[string]string{}
	for name, query := range listings {
		out[name] = strings.Join(w.column(l, query), "\n")
	}
	return out
}

// rebuild makes all projections anew from the journals, and insists that they
// are what they were.
func (w *world) rebuild(folder string, before map[string]string) {
	w.t.Helper()
	l := w.open(folder)
	if _, err := l.engine.Rebuild(context.Background()); err != nil {
		w.t.Fatal(err)
	}
	for name, is := range w.projections(l) {
		if is != before[name] {
			w.t.Errorf("%s, made anew, differ:%s", name, differing(before[name], is))
		}
	}
	l.end(w.t)
}

// differing gives the lines two texts do not share.
func differing(a, b string) string {
	var out strings.Builder
	for _, line := range strings.Split(a, "\n") {
		if !strings.Contains("\n"+b+"\n", "\n"+line+"\n") {
			fmt.Fprintf(&out, "\n- %s", line)
		}
	}
	for _, line := range strings.Split(b, "\n") {
		if !strings.Contains("\n"+a+"\n", "\n"+line+"\n") {
			fmt.Fprintf(&out, "\n+ %s", line)
		}
	}
	return out.String()
}
