package api

import (
	"context"
	"sync"
)

// turns lets each person have one long text looked through at a time: a second waits for the
// first, or till whoever asked leaves.
type turns struct {
	mu sync.Mutex // guards of
	of map[string]*turn
}

// turn is one person's: who holds it, and how many want it.
type turn struct {
	held  chan struct{}
	wants int
}

// take waits for somebody's turn; done ends it.
func (t *turns) take(ctx context.Context, who string) (done func(), err error) {
	mine := t.want(who)
	select {
	case mine.held <- struct{}{}:
		return func() {
			<-mine.held
			t.leave(who, mine)
		}, nil
	case <-ctx.Done():
		t.leave(who, mine)
		return nil, ctx.Err()
	}
}

func (t *turns) want(who string) *turn {
	t.mu.Lock()
	defer t.mu.Unlock()
	if t.of == nil {
		t.of = map[string]*turn{}
	}
	mine := t.of[who]
	if mine == nil {
		mine = &turn{held: make(chan struct{}, 1)}
		t.of[who] = mine
	}
	mine.wants++
	return mine
}

func (t *turns) leave(who string, mine *turn) {
	t.mu.Lock()
	defer t.mu.Unlock()
	if mine.wants--; mine.wants == 0 {
		delete(t.of, who)
	}
}

// alone has a handler that looks through a text do so for one request of a person at a time.
func alone[In, Out any](a *API, do func(*request, In) (Out, error)) func(*request, In) (Out, error) {
	return func(r *request, in In) (out Out, err error) {
		done, err := a.texts.take(r.Context(), person(r.Context()).Email)
		if err != nil {
			return out, err
		}
		defer done()
		return do(r, in)
	}
}
