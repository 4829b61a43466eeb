package access

import (
	"container/list"
	"sync"
	"time"

	"golang.org/x/time/rate"
)

// mostTries bounds how many callers' tries are remembered. Where there are
// more, the one that tried longest ago is forgotten, and no other.
const mostTries = 10_000

// tries counts tries to sign in, by whoever is meant or makes them.
type tries struct {
	mu    sync.Mutex // guards the two below
	by    map[string]*list.Element
	order *list.List // of *tried, the one that tried last in front
}

// tried is one of them.
type tried struct {
	key   string
	limit *rate.Limiter
}

func newTries() *tries { return &tries{by: map[string]*list.Element{}, order: list.New()} }

// may allows some tries at once and one every six seconds after that.
func (t *tries) may(key string, atOnce int) bool {
	t.mu.Lock()
	defer t.mu.Unlock()
	if e, known := t.by[key]; known {
		t.order.MoveToFront(e)
		return e.Value.(*tried).limit.Allow()
	}
	if t.order.Len() >= mostTries {
		oldest := t.order.Back()
		t.order.Remove(oldest)
		delete(t.by, oldest.Value.(*tried).key)
	}
	one := &tried{key, rate.NewLimiter(rate.Every(6*time.Second), atOnce)}
	t.by[key] = t.order.PushFront(one)
	return one.limit.Allow()
}
