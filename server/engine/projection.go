package engine

import (
	"encoding/json"
	"fmt"
	"maps"
	"math/rand/v2"
	"slices"
	"strings"
	"time"
	"unicode/utf8"

	"woolsignal/core/expr"
	"woolsignal/core/flow"
	"woolsignal/core/run"
	"woolsignal/server/store"
)

// calls delivers the signals of called workflows, by whoever calls, whatever
// the workflow is called by then.
var calls = run.Deliverer{By: "call"}

// deliverer names what delivered a signal, for telling repeats.
func deliverer(workflow string, s *run.Signal) run.Deliverer {
	switch {
	case s.Kind == "called":
		return calls
	case s.In != "" || workflow == "": // ids are the sender's own, unique only beside its source
		return run.Deliverer{Workflow: workflow, By: s.Trigger + " " + s.Source}
	}
	return run.Deliverer{Workflow: workflow, By: s.Trigger}
}

// firstBatch writes the acceptance of a signal and the first advance with it.
// It is skipped where the delivery came before.
func firstBatch(l *live, entry run.Entry) (store.Batch, error) {
	var b store.Batch
	b.Guard("the delivery is the first of its id",
		"INSERT INTO deliveries (source, id, run) VALUES (?, ?, ?) ON CONFLICT DO NOTHING",
		l.state.Begun.Delivery.String(),
		l.state.Signal.ID, l.id)
	return beginning(b, l, entry)
}

// inboxBatch is firstBatch for a signal that was taken into the inbox before.
func inboxBatch(a *arrival) func(*live, run.Entry) (store.Batch, error) {
	return func(l *live, entry run.Entry) (store.Batch, error) {
		var b store.Batch
		b.Guard("the arrival has no run", "UPDATE deliveries SET run = ? WHERE source = ? AND id = ? AND run = ''",
			l.id, a.delivery.String(), a.signal.ID)
		b.Do("DELETE FROM inbox WHERE delivery = ? AND id = ?", a.delivery.String(), a.signal.ID)
		return beginning(b, l, entry)
	}
}

func beginning(b store.Batch, l *live, entry run.Entry) (store.Batch, error) {
	listed(&b, l)
	err := follow(&b, l, entry)
	return b, err
}

// listed writes the row lists and searches know a run by, as it begins.
func listed(b *store.Batch, l *live) {
	s := l.state
	var origin, from any
	if s.Origin != nil {
		origin, from = s.Origin.Kind, s.Origin.Run
	}
	b.Do(`INSERT INTO runs (id, workflow, definition, status, because, kind, about, thread, key, origin, origin_run,
		cause, links, wake, tell, seq, accepted, ended, input, output, cost, below)
		VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)`,
		l.id, l.workflow(), l.definition, string(s.Status), s.Because, s.Signal.Kind, about(s.Signal),
		store.OrNull(l.thread()),
		store.OrNull(l.place.key), origin, from, store.OrNull(l.chain.cause), l.chain.links,
		wakes(s), awaited(l), s.Seq, store.Time(s.Accepted), ended(s), s.Spent.Input, s.Spent.Output,
		int64(s.Spent.Cost), int64(s.Spent.Below))
}

// wakes is when a run goes on by itself, rounded up: it must not be looked at
// a moment too soon.
func wakes(s *run.State) any {
	wake := s.Wake()
	if wake.IsZero() || s.Status.Ended() {
		return nil
	}
	return store.Time(wake.Add(time.Millisecond - time.Nanosecond))
}

// nextBatch writes a later advance. It is skipped where the run is no longer
// where this advance began.
func nextBatch(l *live, entry run.Entry) (store.Batch, error) {
	return following(store.Batch{}, l, entry)
}

// heardBatch writes an advance that a signal of the inbox made. It is skipped
// also where somebody else heard the signal first.
func heardBatch(a arrival) func(*live, run.Entry) (store.Batch, error) {
	return func(l *live, entry run.Entry) (store.Batch, error) {
		var b store.Batch
		b.Savepoint()
		if a.workflow != "" && alsoStarts(entry) { // nobody else hears it, and it is still to start a run
			b.Guard("nobody heard the signal",
				"UPDATE inbox SET state = 'starts' WHERE delivery = ? AND id = ? AND state IN ('new', 'kept')",
				a.delivery.String(), a.signal.ID)
			return following(b, l, entry)
		}
		// What it said stands in the run's journal from here on.
		b.Guard("nobody heard the signal",
			"UPDATE inbox SET state = 'heard', signal = '' WHERE delivery = ? AND id = ? AND state IN ('new', 'kept')",
			a.delivery.String(), a.signal.ID)
		clearInbox(&b, entry.At)
		return following(b, l, entry)
	}
}

// clearInbox takes out what was kept, or heard, long ago.
func clearInbox(b *store.Batch, at time.Time) {
	b.Do("DELETE FROM inbox WHERE at < ? AND state IN ('kept', 'heard')", store.Time(at.Add(-keptFor)))
}

func alsoStarts(entry run.Entry) bool {
	for _, r := range entry.Records {
		if ended, is := r.(*run.ListeningEnded); is && ended.Hearing != nil && ended.Hearing.AlsoStarts {
			return true
		}
	}
	return false
}

func following(b store.Batch, l *live, entry run.Entry) (store.Batch, error) {
	relisted(&b, l, entry, rand.Int64())
	err := follow(&b, l, entry)
	return b, err
}

// relisted brings a run's row up to an entry, whose head is new. It guards that the row
// stands at the very entry the state came from: where one was skipped, another may have its
// number by now, and what was made of the first does not follow from the second.
func relisted(b *store.Batch, l *live, entry run.Entry, head int64) {
	s := l.state
	b.Guard("the run stands before this entry",
		"UPDATE runs SET seq = ?, head = ?, status = ?, because = ?, wake = ?, tell = ?, ended = ?, input = ?, "+
			"output = ?, cost = ?, below = ? WHERE id = ? AND seq = ? AND head = ?",
		entry.Seq, head, string(s.Status), s.Because, wakes(s), awaited(l), ended(s), s.Spent.Input, s.Spent.Output,
		int64(s.Spent.Cost), int64(s.Spent.Below), l.id, entry.Seq-1, l.head)
	l.head = head
}

// snapshotAfter is how many entries a journal grows before the state is kept
// beside it; a run that goes to sleep is kept sooner, since it will be folded
// again.
const (
	snapshotAfter    = 400
	snapshotSleeping = 40
)

// kept is what is known of a run's snapshots.
type kept struct {
	after int64 // the entry the last one was made after; 0 is none
	size  int   // of it, in bytes
	grown int   // bytes the journal grew since
}

// due tells whether a state is to be kept again. A journal has grown by at
// least what the last snapshot took before the next, so that all snapshots of
// a run together are no larger than its journal, however long it gets.
func (k kept) due(seq int64, sleeps bool) bool {
	entries := seq - k.after
	return k.grown >= k.size && (entries >= snapshotAfter || sleeps && entries >= snapshotSleeping)
}

// rich is what a message has beside its words, as JSON.
func rich(m *run.Message) any {
	if m == nil {
		return nil
	}
	text, err := json.Marshal(m)
	if err != nil {
		return nil
	}
	return string(text)
}

// follow writes the journal entry and its projections.
func follow(b *store.Batch, l *live, entry run.Entry) error {
	data, err := run.EncodeEntry(entry)
	if err != nil {
		return fmt.Errorf("engine: %w", err)
	}
	b.Do("INSERT INTO journal (run, seq, entry) VALUES (?, ?, ?)", l.id, entry.Seq, data)
	spend(b, l, entry)
	for _, r := range entry.Records {
		project(b, l, r, entry.At)
	}
	l.kept.grown += len(data)
	if l.state.Status.Ended() {
		if l.kept.after > 0 { // history is read from the journal
			b.Do("DELETE FROM snapshots WHERE run = ?", l.id)
		}
		return nil
	}
	if !l.kept.due(entry.Seq, l.state.Status == run.Waiting) {
		return nil
	}
	state, err := run.EncodeState(l.state)
	if err != nil {
		return err
	}
	l.kept = kept{after: entry.Seq, size: len(state)}
	b.Do("INSERT INTO snapshots (run, seq, state) VALUES (?, ?, ?) ON CONFLICT (run) DO UPDATE SET seq = "+
		"excluded.seq, state = excluded.state", l.id, entry.Seq, state)
	return nil
}

// project writes what one record means for reviews, conversations and memory.
func project(b *store.Batch, l *live, r run.Record, at time.Time) {
	say := func(who, name, text string, rich any) {
		if thread := l.thread(); thread != "" {
			b.Do("INSERT INTO messages (thread, run, who, name, text, rich, at) VALUES (?, ?, ?, ?, ?, ?, ?)", thread,
				l.id, who, name, text, rich, store.Time(at))
		}
	}
	switch r := r.(type) {
	case *run.RunAccepted:
		if r.Signal.Type == run.FollowUpType {
			say("note", "", "Followed up by itself: "+r.Signal.Text, nil)
		} else if r.Signal.Text != "" && (r.Origin == nil || r.Origin.Kind == run.OfTry) {
			say("person", r.Signal.From["name"], r.Signal.Text, nil)
		}
	case *run.WordsSaid:
		name := l.def.Workflow.Title
		if r.Message != nil && r.Message.As != nil {
			name = r.Message.As.Name
		}
		say("agent", name, r.Text, rich(r.Message))
	case *run.SignalHeard:
		if slices.Contains([]string{"chat", "phone", "task"}, r.Signal.Kind) {
			say("person", r.Signal.From["name"], r.Signal.Text, nil)
		}
		if !r.Delivery.IsZero() { // for its repeats
			b.Do("INSERT INTO deliveries (source, id, run) VALUES (?, ?, ?) ON CONFLICT (source, id) DO UPDATE SET "+
				"run = excluded.run",
				r.Delivery.String(), r.Signal.ID, l.id)
		}
	case *run.MemoryKept:
		if messages, err := json.Marshal(r.Said); err == nil {
			b.Do("INSERT INTO memory (memory, run, messages, agent) VALUES (?, ?, ?, ?)", r.Memory, l.id, messages,
				r.Agent)
		}
	case *run.ReviewAsked:
		text, _ := json.Marshal(r.Review)
		b.Do("INSERT INTO reviews (id, run, workflow, ask, title, asked, review) VALUES (?, ?, ?, ?, ?, ?, ?)",
			r.Review.ID, l.id, l.workflow(), r.Review.Ask, r.Review.Title, store.Time(at), string(text))
		doubted(b, l, r.Review)
		say("note", "", fmt.Sprintf("Waiting for %s: %s", flow.Audience(r.Review.Ask), r.Review.Title), nil)
	case *run.SpentInVain:
		if r.Review != "" {
			b.Do("DELETE FROM doubts WHERE review = ?", r.Review)
		}
	case *run.ReviewAnswered:
		text, _ := json.Marshal(r.Review)
		b.Do("DELETE FROM doubts WHERE review = ?", r.Review.ID)
		b.Do("UPDATE reviews SET decided = ?, review = ? WHERE id = ?", store.Time(at), string(text), r.Review.ID)
		say("note", r.Review.By, fmt.Sprintf("%s: %s", r.Review.By, r.Review.Choice), nil)
	case *run.RunLabelled:
		for _, label := range r.Labels {
			b.Do("INSERT INTO labels (label, run) VALUES (?, ?) ON CONFLICT DO NOTHING", label, l.id)
		}
	case *run.FactKept:
		factKept(b, l, r, at)
	case *run.FactChanged:
		factChanged(b, l, r, at)
	case *run.FollowUpSet:
		followUp(b, l, r)
	case *run.FollowUpCancelled:
		b.Do("DELETE FROM follow_ups WHERE run = ? AND n = ?", l.id, r.N)
	case *run.StepRetried:
		takenBack(b, l)
	case *run.ListeningBegan:
		b.Do(`INSERT INTO hears (run, step, source, key, also_starts) VALUES (?, ?, ?, ?, ?)
			ON CONFLICT (run, step) DO UPDATE SET source = excluded.source, key = excluded.key,
				also_starts = excluded.also_starts`,
			l.id, r.Step, r.Hearing.Source, r.Hearing.Key, r.Hearing.AlsoStarts)
	case *run.ListeningEnded:
		b.Do("DELETE FROM hears WHERE run = ? AND step = ?", l.id, r.Step)
	case *run.ChildDropped:
		drop(b, l.id, r)
	case *run.RunFinished:
		takenBack(b, l)
		switch r.Status {
		case run.Failed:
			say("note", "", "This could not be finished. "+r.Why, nil)
		case run.Stopped:
			say("note", "", "This was "+r.Why, nil)
		}
	}
}

// drop keeps a called run from ever being started, and marks one that was to
// be stopped.
func drop(b *store.Batch, id string, r *run.ChildDropped) {
	key := run.StartKey(id, r.Step, r.Sending, r.Call)
	b.Do("INSERT INTO deliveries (source, id, run) VALUES (?, ?, '') ON CONFLICT DO NOTHING", calls.String(), key)
	if r.By != "" {
		b.Do("UPDATE runs SET unwanted = ? WHERE ended IS NULL AND id = (SELECT run FROM deliveries WHERE source = "+
			"? AND id = ?)",
			r.By, calls.String(), key)
	}
}

func ended(s *run.State) any {
	if s.Ended.IsZero() {
		return nil
	}
	return store.Time(s.Ended)
}

// longestAbout is how much of a signal stands in lists of runs, in characters.
const longestAbout = 120

// about gives the line people know a run by.
func about(s *run.Signal) string {
	text := s.Text
	if text == "" {
		text = s.Subject
	}
	if body, ok := s.Body.(map[string]any); ok && text == "" {
		text = gist(body)
	}
	if len(text) > longestAbout && utf8.RuneCountInString(text) > longestAbout {
		return string([]rune(text)[:longestAbout-1]) + "…"
	}
	return text
}

// gist names a payload by its first few texts and numbers.
func gist(body map[string]any) string {
	var words, numbers []string
	for _, k := range slices.Sorted(maps.Keys(body)) {
		switch v := body[k].(type) {
		case string:
			words = append(words, v)
		case int64, float64:
			numbers = append(numbers, strings.ReplaceAll(k, "_", " ")+" "+expr.Text(v))
		}
	}
	all := append(words, numbers...)
	return strings.Join(all[:min(4, len(all))], " · ")
}
