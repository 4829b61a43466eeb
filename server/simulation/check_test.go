package simulation

import (
	"context"
	"database/sql"
	"encoding/json"
	"reflect"
	"slices"
	"strings"

	"woolsignal/core/run"
	"woolsignal/server/store"
)

// check holds what is left against what is promised. It knows the promises of
// docs/engine.md, and of the engine only what stands in its journals.
func (w *world) check(l *life) {
	w.t.Helper()
	for _, fault := range w.log.faults {
		w.t.Errorf("a fault: %s", fault)
	}
	ids := w.column(l, "SELECT id FROM runs ORDER BY id")
	states := map[string]*run.State{}
	bySignal := map[string][]string{}
	for _, id := range ids {
		state, err := l.engine.Fold(context.Background(), id)
		if err != nil {
			w.t.Fatalf("the run %s cannot be read: %v", id, err)
		}
		states[id] = state
		bySignal[state.Signal.ID] = append(bySignal[state.Signal.ID], id)
		w.ends(l, state)
		w.finishedOnce(l, id)
		w.projected(l, state)
		w.tries(state)
	}
	for _, s := range states {
		w.followsUp(l, s, bySignal, states)
	}
	w.hears(l, states)
	w.spends(l, states)
	w.knows(l)
	for _, d := range w.deliveries {
		w.takenIn(l, d, bySignal[d.id], states)
	}
	for token, n := range w.book.effects {
		if n > 1 {
			w.t.Errorf("the effect %s stands %d times in the mill's book", token, n)
		}
		if strings.HasPrefix(token, "try-") && n > 0 {
			w.t.Errorf("the effect %s of a try stands in the mill's book", token)
		}
	}
	if left := w.column(l, "SELECT delivery || ' ' || id FROM inbox WHERE state = 'new'"); len(left) > 0 {
		w.t.Errorf("signals that were brought to nobody: %v", left)
	}
	if left := w.column(l, "SELECT run || ' ' || step FROM hears"); len(left) > 0 {
		w.t.Errorf("steps of runs that ended still listen: %v", left)
	}
	if left := w.column(l,
		"SELECT id || ' ' || tell FROM runs WHERE tell IS NOT NULL AND ended IS NOT NULL"); len(left) > 0 {
		w.t.Errorf("ends nobody was told of: %v", left)
	}
}

// ends insists that every run has ended, and that everything in it has.
func (w *world) ends(l *life, s *run.State) {
	w.t.Helper()
	if !s.Status.Ended() {
		steps := []string{}
		s.Each(func(step *run.Step) {
			if step.Status != run.Done && step.Status != run.Skipped {
				steps = append(steps, step.Path+" "+string(step.Status)+" until "+step.Until.String()+" deadline "+
					step.Deadline.String()+" child "+step.Child)
			}
		})
		w.t.Errorf("the run %s of %s does not end: it is %s, with %s", s.ID, w.workflowOf(l, s.ID), s.Status,
			strings.Join(steps, "; "))
	}
	for _, r := range s.Reviews {
		if s.Status.Ended() && r.Choice == "" {
			w.t.Errorf("the run %s ended, and still asks %q", s.ID, r.Title)
		}
	}
}

func (w *world) workflowOf(l *life, id string) string {
	return strings.Join(w.column(l, "SELECT workflow FROM runs WHERE id = ?", id), "")
}

// takenIn insists that a delivery somebody was told was taken in has one run,
// and that any other has one or left nothing.
func (w *world) takenIn(l *life, d *delivery, runs []string, states map[string]*run.State) {
	w.t.Helper()
	kept := w.column(l, "SELECT run FROM deliveries WHERE source LIKE ? AND id = ?", d.workflow+"/%", d.id)
	switch {
	case len(runs) > 1:
		w.t.Errorf("the delivery %s started the runs %v", d.id, runs)
	case d.taken && len(kept) == 0:
		w.t.Errorf("the delivery %s was taken in, and nothing is left of it", d.id)
	case d.persists && d.sent && !d.taken:
		w.t.Errorf("the delivery %s was never taken in", d.id)
	case len(kept) == 1 && (kept[0] == "" || states[kept[0]] == nil):
		w.t.Errorf("the delivery %s is kept, with the run %q, which is none", d.id, kept[0])
	case len(kept) == 0 && len(runs) > 0:
		w.t.Errorf("the delivery %s started %v, and would start another", d.id, runs)
	}
	for told := range d.runs {
		if told != "" && !slices.Contains(kept, told) {
			w.t.Errorf("of the delivery %s somebody was told the run %s, and it is %v", d.id, told, kept)
		}
	}
}

// finishedOnce insists that no finished step was done again, but for those in
// something that was tried again.
func (w *world) finishedOnce(l *life, id string) {
	w.t.Helper()
	entries := w.journal(l, id)
	done := map[string]bool{}
	for i, e := range entries {
		if e.Seq != int64(i+1) {
			w.t.Errorf("the run %s has entry %d after entry %d", id, e.Seq, i)
		}
		for _, r := range e.Records {
			switch r := r.(type) {
			case *run.StepBegan:
				if done[r.Step] {
					w.t.Errorf("the finished step %s of %s begins again", r.Step, id)
				}
			case *run.StepEnded:
				if done[r.Step] {
					w.t.Errorf("the finished step %s of %s ends again", r.Step, id)
				}
				done[r.Step] = r.Status == run.Done || r.Status == run.Skipped
			case *run.StepRetried:
				for path := range done {
					if path == r.Step || strings.HasPrefix(path, r.Step+"/") {
						delete(done, path)
					}
				}
			}
		}
	}
}

// projected insists that what lists and searches read equals the fold.
func (w *world) projected(l *life, s *run.State) {
	w.t.Helper()
	var status, because string
	var seq, input, output int64
	var ended, wake sql.NullInt64
	err := l.store.Read().QueryRow("SELECT status, because, seq, ended, wake, input, output FROM runs WHERE id = ?",
		s.ID).Scan(&status, &because, &seq, &ended, &wake, &input, &output)
	if err != nil {
		w.t.Fatal(err)
	}
	if status != string(s.Status) || because != s.Because || seq != s.Seq || ended.Valid != !s.Ended.IsZero() ||
		ended.Valid && ended.Int64 != store.Time(s.Ended) ||
		input != int64(s.Spent.Input) || output != int64(s.Spent.Output) || s.Status.Ended() && wake.Valid {
		w.t.Errorf("the run %s is listed as %s (%s) at %d, and is %s (%s) at %d", s.ID, status, because, seq, s.Status,
			s.Because, s.Seq)
	}
	listed := map[string]string{}
	for _, text := range w.column(l, "SELECT review FROM reviews WHERE run = ?", s.ID) {
		var r run.Review
		if err := json.Unmarshal([]byte(text), &r); err != nil {
			w.t.Fatal(err)
		}
		listed[r.ID] = r.Choice
	}
	asked := map[string]string{}
	for id, r := range s.Reviews {
		asked[id] = r.Choice
	}
	if !reflect.DeepEqual(listed, asked) {
		w.t.Errorf("the run %s asked %v, and listed is %v", s.ID, asked, listed)
	}
	labels := slices.Compact(slices.Sorted(slices.Values(s.Labels)))
	if got := w.column(l, "SELECT label FROM labels WHERE run = ? ORDER BY label", s.ID); strings.Join(got,
		"|") != strings.Join(labels, "|") {
		w.t.Errorf("the run %s has the labels %v, and listed are %v", s.ID, labels, got)
	}
}
