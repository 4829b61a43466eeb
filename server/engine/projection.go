package engine

import (
	"encoding/json"
	"fmt"
	"maps"
	"slices"
	"strings"
	"time"

	"woolsignal/core/expr"
	"woolsignal/core/flow"
	"woolsignal/core/run"
	"woolsignal/server/store"
)

// source names what delivered a signal, for telling repeats.
func source(workflow string, s *run.Signal) string { return workflow + "/" + s.Trigger }

// firstBatch writes the acceptance of a signal and the first advance with it.
// It is skipped where the delivery came before.
func firstBatch(l *live, entry run.Entry) (store.Batch, error) {
	s := l.state
	var b store.Batch
	b.Guard("INSERT INTO deliveries (source, id, run) VALUES (?, ?, ?) ON CONFLICT DO NOTHING", source(l.workflow, s.Signal), s.Signal.ID, l.id)
	var thread any
	if l.thread != "" {
		thread = l.thread
	}
	t := s.Totals()
	b.Do(`INSERT INTO runs (id, workflow, definition, status, because, kind, about, thread, seq, accepted, ended, input, output, cost)
		VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)`,
		l.id, l.workflow, l.definition, string(s.Status), s.Because, s.Signal.Kind, about(s.Signal), thread, entry.Seq,
		store.Time(s.Accepted), ended(s), t.Input, t.Output, int64(t.Cost))
	err := follow(&b, l, entry)
	return b, err
}

// nextBatch writes a later advance. It is skipped where the run is no longer
// where this advance began.
func nextBatch(l *live, entry run.Entry) (store.Batch, error) {
	s, t := l.state, l.state.Totals()
	var b store.Batch
	b.Guard("UPDATE runs SET seq = ?, status = ?, because = ?, ended = ?, input = ?, output = ?, cost = ? WHERE id = ? AND seq = ?",
		entry.Seq, string(s.Status), s.Because, ended(s), t.Input, t.Output, int64(t.Cost), l.id, entry.Seq-1)
	err := follow(&b, l, entry)
	return b, err
}

// follow writes the journal entry and its projections.
func follow(b *store.Batch, l *live, entry run.Entry) error {
	data, err := json.Marshal(entry)
	if err != nil {
		return fmt.Errorf("engine: this advance cannot be written: %w", err)
	}
	b.Do("INSERT INTO journal (run, seq, entry) VALUES (?, ?, ?)", l.id, entry.Seq, data)
	for _, r := range entry.Records {
		project(b, l, r, entry.At)
	}
	return nil
}

// project writes what one record means for reviews, conversations and memory.
func project(b *store.Batch, l *live, r run.Record, at time.Time) {
	message := func(who, name, text string) {
		if l.thread != "" {
			b.Do("INSERT INTO messages (thread, run, who, name, text, at) VALUES (?, ?, ?, ?, ?, ?)", l.thread, l.id, who, name, text, store.Time(at))
		}
	}
	switch r.Do {
	case run.DidAccept:
		if r.Signal.Text != "" {
			message("person", r.Signal.From["name"], r.Signal.Text)
		}
	case run.DidSay:
		message("agent", l.def.Workflow.Title, r.Text)
	case run.DidRemember:
		if messages, err := json.Marshal(r.Said); err == nil {
			b.Do("INSERT INTO memory (memory, run, messages) VALUES (?, ?, ?)", r.Text, l.id, messages)
		}
	case run.DidReview:
		text, _ := json.Marshal(r.Review)
		b.Do("INSERT INTO reviews (id, run, workflow, of, title, asked, review) VALUES (?, ?, ?, ?, ?, ?, ?)", r.Review.ID, l.id, l.workflow, r.Review.Of, r.Review.Title, store.Time(at), string(text))
		message("note", "", fmt.Sprintf("Waiting for %s: %s", flow.Audience(r.Review.Of), r.Review.Title))
	case run.DidDecide:
		text, _ := json.Marshal(r.Review)
		b.Do("UPDATE reviews SET decided = ?, review = ? WHERE id = ?", store.Time(at), string(text), r.Review.ID)
		message("note", r.Review.By, fmt.Sprintf("%s: %s", r.Review.By, r.Review.Choice))
	case run.DidFinish:
		switch r.Status {
		case run.Failed:
			message("note", "", "This could not be finished. "+r.Error)
		case run.Stopped:
			message("note", "", "This was "+r.Error)
		}
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
	if runes := []rune(text); len(runes) > longestAbout {
		return string(runes[:longestAbout-1]) + "…"
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
