package simulation

import (
	"context"
	"slices"
	"strings"
	"time"

	"woolsignal/core/run"
	"woolsignal/server/engine"
)

// listening is a time during which a step of a run waited for an answer.
type listening struct {
	run, to, key string
	began, over  time.Time
}

// hears insists that no answer was turned away, or heard by nobody, for which some run
// waited all the while, whatever was live by then, and that none was heard twice.
func (w *world) hears(l *life, states map[string]*run.State) {
	w.t.Helper()
	heard, waits := map[string]string{}, []listening{}
	for id, s := range states {
		if s.Origin != nil && s.Origin.Kind == run.OfTry {
			continue // a try hears only what is tried
		}
		waits = append(waits, w.waitsOf(l, id, heard)...)
	}
	if w.putBack {
		return // which came first its times do not tell
	}
	for _, a := range w.answers {
		if heard[a.id] != "" || a.status == 503 {
			continue
		}
		for _, one := range waits {
			if one.to == a.to && one.key == a.key && one.began.Before(a.sent) &&
				one.over.After(a.replied.Add(margin)) {
				w.t.Errorf("the answer %s was answered %d at %s, and %s, which waited for it from %s to %s, did not "+
					"hear it", a.id, a.status, a.replied, one.run, one.began, one.over)
			}
		}
	}
}

// margin is how long a signal may be under way: disks are full for two minutes at most.
const margin = 4 * time.Minute

// journal is what a run wrote. It is read once: nothing moves any more.
func (w *world) journal(l *life, id string) []run.Entry {
	w.t.Helper()
	entries, read := w.journals[id]
	if !read {
		var err error
		if entries, err = l.engine.Journal(context.Background(), id); err != nil {
			w.t.Fatal(err)
		}
		w.journals[id] = entries
	}
	return entries
}

// waitsOf are the times during which a run waited for answers; what it heard is noted,
// which nobody else may have heard.
func (w *world) waitsOf(l *life, id string, heard map[string]string) (out []listening) {
	entries := w.journal(l, id)
	open := map[string]listening{}
	for _, e := range entries {
		for _, r := range e.Records {
			switch r := r.(type) {
			case *run.ListeningBegan:
				if r.Hearing.Source != run.ChatSource {
					open[r.Step] = listening{id, r.Hearing.Source, r.Hearing.Key, e.At, time.Time{}}
				}
			case *run.SignalHeard:
				if by := heard[r.Signal.ID]; by != "" && by != id {
					w.t.Errorf("the signal %s is heard by %s and by %s", r.Signal.ID, by, id)
				}
				heard[r.Signal.ID] = id
			case *run.ListeningEnded:
				if one, is := open[r.Step]; is {
					one.over = e.At
					out = append(out, one)
					delete(open, r.Step)
				}
			}
		}
	}
	return out
}

// followsUp insists that each follow-up that was set and not cancelled begins once, and
// no other does: not one of a try of an agent that failed before its time.
func (w *world) followsUp(l *life, s *run.State, bySignal map[string][]string, states map[string]*run.State) {
	w.t.Helper()
	if len(s.FollowUps) == 0 {
		return
	}
	failed := w.failedBefore(l, s)
	for _, f := range s.FollowUps {
		began := bySignal[engine.FollowUpID(s.ID, f.N)]
		want := 1
		stopped := s.Status == run.Stopped && f.At.After(s.Ended) && !w.putBack
		if f.Cancelled != "" || stopped {
			want = 0
		}
		if len(began) != want {
			w.t.Errorf("the follow-up %d of %s, at %s, cancelled %q, began %d runs", f.N, s.ID, f.At, f.Cancelled,
				len(began))
		}
		at, told := failed[f.N]
		if told && len(began) > 0 && !w.putBack && states[began[0]].Accepted.After(at.Add(margin)) {
			w.t.Errorf("the follow-up %d of %s began, and the try that set it had failed at %s", f.N, s.ID, at)
		}
	}
}

// failedBefore is when the try failed that set a follow-up, for those whose did.
func (w *world) failedBefore(l *life, s *run.State) map[int]time.Time {
	entries := w.journal(l, s.ID)
	set, failed := map[int]string{}, map[int]time.Time{}
	for _, e := range entries {
		for _, r := range e.Records {
			switch r := r.(type) {
			case *run.FollowUpSet:
				set[r.N] = r.Step
			case *run.StepRetried:
				for n, step := range set {
					if (step == r.Step || strings.HasPrefix(step, r.Step+"/")) && failed[n].IsZero() {
						failed[n] = e.At
					}
				}
			}
		}
	}
	return failed
}

// tries insists that nothing outside came of what was only tried: of its steps, and of
// its agents.
func (w *world) tries(s *run.State) {
	w.t.Helper()
	if s.Origin == nil || !s.Origin.Held {
		return
	}
	s.Each(func(step *run.Step) {
		if step.Agent == nil {
			return
		}
		for _, c := range step.Agent.Calls {
			for _, name := range []string{"token", "message", "t"} {
				if token, _ := c.Args[name].(string); strings.HasPrefix(token, "agent/") && w.book.done(token) {
					w.t.Errorf("in the try %s an agent's call %s of %s was made", s.ID, token, c.Tool)
				}
			}
		}
	})
}

// spends insists that the book of spending holds what the journals do, that nobody spent
// more than models and mill each charged, or less than they told where nothing was lost,
// and that no budget was exceeded, of what a workflow spent with all that it called. An
// afternoon is within one day.
func (w *world) spends(l *life, states map[string]*run.State) {
	w.t.Helper()
	spent, of := map[string]int64{}, charges{}
	for id, s := range states {
		spent[""] += int64(s.Spent.Cost)
		w.sums(l, id, &of)
		for _, workflow := range w.above(l, id, states) {
			spent[workflow] += int64(s.Spent.Cost)
		}
	}
	var booked int64
	if err := l.store.Read().QueryRow("SELECT coalesce(sum(cost), 0) FROM spending WHERE workflow = ''").Scan(
		&booked); err != nil {
		w.t.Fatal(err)
	}
	if spent[""] != booked || spent[""] != of.models+of.mill {
		w.t.Errorf("the runs spent %d, their records say %+v, and the book says %d", spent[""], of, booked)
	}
	charged, told := w.book.sums()
	if of.models > charged.models || of.mill > charged.mill {
		w.t.Errorf("the runs spent %+v, and the peers charged %+v", of, charged)
	}
	if !w.troubled && (of.models < told.models || of.mill < told.mill) {
		w.t.Errorf("the runs spent %+v, and were told of %+v", of, told)
	}
	for workflow, most := range w.made.budgets {
		if spent[workflow] > most {
			w.t.Errorf("%q spent %d of %d", workflow, spent[workflow], most)
		}
	}
}

// sums adds what the records of a run say was spent on models, and on the mill's things.
func (w *world) sums(l *life, id string, of *charges) {
	entries := w.journal(l, id)
	for _, e := range entries {
		for _, r := range e.Records {
			switch r := r.(type) {
			case *run.ModelAnswered:
				of.models += int64(r.Turn.Cost)
			case *run.CallWeighed:
				of.models += int64(r.Cost)
			case *run.SpentInVain:
				if r.Output > 0 {
					of.models += int64(r.Cost)
				} else {
					of.mill += int64(r.Cost)
				}
			case *run.CallPriced:
				if !r.Child {
					of.mill += int64(r.Cost)
				}
			}
		}
	}
}

// above are the workflows a run counts for: its own, and those that called it.
func (w *world) above(l *life, id string, states map[string]*run.State) (out []string) {
	for s := states[id]; s != nil; s = states[id] {
		if name := w.workflowOf(l, id); !slices.Contains(out, name) {
			out = append(out, name)
		}
		if s.Origin == nil || s.Origin.Kind != run.OfCall {
			break
		}
		id = s.Origin.Run
	}
	return out
}
