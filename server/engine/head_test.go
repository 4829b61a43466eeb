package engine

import (
	"context"
	"testing"

	"woolsignal/core/run"
	"woolsignal/server/store"
)

// openReviews are the ids of the reviews a run waits for, as memory has it.
func (l *live) openReviews() map[string]bool {
	l.mu.Lock()
	defer l.mu.Unlock()
	out := map[string]bool{}
	if l.state == nil {
		return out
	}
	for id, r := range l.state.Reviews {
		if r.Choice == "" {
			out[id] = true
		}
	}
	return out
}

// TestWhatFollowedASkippedEntryIsNotWrittenOnAnother holds the writer up, and has a run read
// anew while an entry of it is on its way to the disk: what comes then has that entry's number,
// and is skipped. What was made of it in memory must not be written behind the one that has the
// number.
func TestWhatFollowedASkippedEntryIsNotWrittenOnAnother(t *testing.T) {
	asks := "{review: {ask: owner, show: "
	e, bed := workshop(t, map[string]string{"ask": callable + "steps:\n  - together:\n      branches:\n" +
		"      - {id: a, do: [" + asks + "one}}]}\n" +
		"      - {id: b, do: [" + asks + "two}}, " + asks + "three}}]}\n"})
	ctx := context.Background()
	id := call(t, e, "ask", nil)
	by := map[any]string{}
	for _, r := range becomes(t, e, id, run.Waiting).Reviews {
		by[r.Show] = r.ID
	}
	held, free := make(chan struct{}, 1), make(chan struct{})
	bed.Store.Watch(func() {
		select {
		case held <- struct{}{}:
			<-free
		default:
		}
	})
	hold := bed.Store.Queue(store.Batch{})
	<-held
	decide := func(review string, batch func(*live, run.Entry) (store.Batch, error)) <-chan error {
		before, done := bed.Store.Open(), make(chan error, 1)
		go func() {
			done <- e.handleAs(ctx, id, &run.Decided{Review: review, Choice: run.Approve, By: ines}, batch)
		}()
		await(t, "it is on its way to the disk", func() bool { return bed.Store.Open() > before })
		return done
	}
	first := decide(by["one"], nextBatch)
	l := e.runs.hold(id)
	defer e.runs.release(l)
	l.mu.Lock()
	l.state = nil // as where an entry before it was skipped
	l.mu.Unlock()
	skipped := decide(by["two"], func(l *live, entry run.Entry) (store.Batch, error) {
		var b store.Batch
		b.Savepoint()
		b.Guard("never", "UPDATE runs SET id = id WHERE id = ''")
		return following(b, l, entry)
	})
	var third string
	for review := range l.openReviews() {
		if review != by["one"] && review != by["two"] {
			third = review
		}
	}
	if third == "" {
		t.Fatal("the third is not asked in memory")
	}
	last := decide(third, nextBatch)
	close(free)
	if err := <-hold; err != nil {
		t.Fatal(err)
	}
	if err := <-first; err != nil {
		t.Error("the first decision:", err)
	}
	if err := <-skipped; err == nil {
		t.Error("the second decision was to be skipped, and was not")
	}
	if err := <-last; err == nil {
		t.Error("the decision of what was never asked is written")
	}
	s, err := e.Fold(ctx, id)
	if err != nil || s.Reviews[third] != nil || s.Reviews[by["one"]].Choice != run.Approve ||
		s.Reviews[by["two"]].Choice != "" {
		t.Errorf("the journal has %+v (%v)", s, err)
	}
}
