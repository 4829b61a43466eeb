package engine

import (
	"sync"
	"sync/atomic"
	"time"

	"woolsignal/core/run"
)

// runs are the runs in memory. One is there while somebody works with it, and
// while something moves it; whoever works with one holds it, so that all who do
// have the same.
type runs struct {
	mu   sync.Mutex       // guards the maps, and the holders of every run
	byID map[string]*live // those in memory
	// closed once a run has answered, ended, or waits for something that is not at work
	waiters map[string][]chan struct{}
}

func newRuns() *runs {
	return &runs{byID: map[string]*live{}, waiters: map[string][]chan struct{}{}}
}

// live is a run in memory.
type live struct {
	id      string
	holders int // guarded by runs.mu
	below   int // runs in memory it waits for; guarded by runs.mu
	// the run that waits for this one, held while this one is in memory; nil for none.
	// Written with mu and runs.mu held, read with either.
	caller *live

	names  atomic.Pointer[named] // nil till it is known; a workflow may be renamed
	unsure atomic.Bool           // not known yet to be the first of its delivery: it may turn out to be none

	mu         sync.Mutex // guards what follows; held while the run moves
	definition string
	place      place // what its workflow's limits make of it
	chain      chain // what brought it about
	def        *run.Definition
	state      *run.State // nil where it is to be folded from its journal
	head       int64      // which of the entries that were to be its last the state comes from
	kept       kept       // of its snapshots
	writing    int        // entries that are queued and not durable yet
	listened   bool       // spoken has what a stranger said before
	spoken     []string   // a stranger's words with a secret among them
	alone      bool       // it could not be written with its caller
	unreadable error      // why what it follows cannot be read; then it can only be ended
}

// named is what a run is known by.
type named struct{ workflow, thread string }

// called gives a run its names.
func (l *live) called(workflow, thread string) { l.names.Store(&named{workflow, thread}) }

func (l *live) workflow() string { return l.known().workflow }

// thread is the conversation it is in, by its key; "" for none.
func (l *live) thread() string { return l.known().thread }

func (l *live) known() named {
	if n := l.names.Load(); n != nil {
		return *n
	}
	return named{}
}

// moves tells whether something moves the run, so that it stays in memory.
func (l *live) moves() bool {
	return l.state != nil && (l.state.Status == run.Running || l.state.Status == run.Queued)
}

// locked does something to the run while nobody else does.
func (l *live) locked(do func() error) error {
	l.mu.Lock()
	defer l.mu.Unlock()
	return do()
}

// wrote notes that an entry is durable, and tells how far the run is: whether
// it rests with that entry, since it ended or waits; whether its caller has an
// answer; and when it goes on by itself.
func (l *live) wrote(entry run.Entry) (status run.Status, rests, answered bool, wake time.Time) {
	l.mu.Lock()
	defer l.mu.Unlock()
	l.writing--
	if l.state == nil { // an entry behind this one could not be written; what ended has ended all the same
		status = entry.Status()
		return status, status.Ended(), false, time.Time{}
	}
	status = l.state.Status
	rests = l.state.Seq == entry.Seq && (status.Ended() || status == run.Waiting)
	return status, rests, l.state.Response != nil, l.state.Wake()
}

// response is what the run answered its caller; nil where it has not.
func (l *live) response() *run.Response {
	l.mu.Lock()
	defer l.mu.Unlock()
	if l.state == nil {
		return nil
	}
	return l.state.Response
}

// spoil says that what is in memory is not what the database holds: whoever
// comes next folds the journal anew. What was to be written together with the caller is
// written alone then.
func (l *live) spoil(together bool) {
	l.mu.Lock()
	defer l.mu.Unlock()
	l.writing--
	l.state = nil
	l.alone = l.alone || together
}

// hold gives a run for work; [runs.release] must follow.
func (r *runs) hold(id string) *live {
	r.mu.Lock()
	defer r.mu.Unlock()
	l := r.byID[id]
	if l == nil {
		l = &live{id: id}
		r.byID[id] = l
	}
	l.holders++
	return l
}

// add makes room for a new run, which is held, and gives what its caller waits
// by. There is none where too many are in memory and the run is not ours.
func (r *runs) add(l *live, inside bool) (<-chan struct{}, bool) {
	r.mu.Lock()
	defer r.mu.Unlock()
	if len(r.byID) >= maxLive && !inside {
		return nil, false
	}
	l.holders++
	r.byID[l.id] = l
	answered := make(chan struct{})
	r.waiters[l.id] = append(r.waiters[l.id], answered)
	return answered, true
}

// release ends somebody's work with a run. One that nobody holds and nothing
// moves leaves memory, and holds the one that waits for it no longer; nobody else can
// touch it then, so it needs no lock.
func (r *runs) release(l *live) {
	r.mu.Lock()
	defer r.mu.Unlock()
	for ; l != nil; l = l.caller {
		if l.holders--; l.holders > 0 || l.moves() {
			return
		}
		delete(r.byID, l.id)
		r.wakeLocked(l.id)
		if l.caller != nil {
			l.caller.below--
		}
	}
}

// holdCaller keeps the run that waits for another in memory with that one, where one
// does. l is locked.
func (r *runs) holdCaller(l *live, origin *run.Origin) {
	if l.caller != nil || !origin.Awaited() {
		return
	}
	caller := r.hold(origin.Run)
	r.mu.Lock()
	defer r.mu.Unlock()
	l.caller = caller
	caller.below++
}

// callers are the runs that wait for a run, the nearest first.
func (r *runs) callers(l *live) []string {
	r.mu.Lock()
	defer r.mu.Unlock()
	var ids []string
	for c := l.caller; c != nil; c = c.caller {
		ids = append(ids, c.id)
	}
	return ids
}

// AtWork tells whether a run that waits does so for another that is at work.
func (e *Engine) AtWork(id string) bool {
	e.runs.mu.Lock()
	defer e.runs.mu.Unlock()
	l := e.runs.byID[id]
	return l != nil && l.below > 0
}

// wake tells who waits that a run answered, ended, or waits itself.
func (r *runs) wake(id string) {
	r.mu.Lock()
	defer r.mu.Unlock()
	r.wakeLocked(id)
}

// wakeLocked is wake for who holds the lock.
func (r *runs) wakeLocked(id string) {
	for _, w := range r.waiters[id] {
		close(w)
	}
	delete(r.waiters, id)
}

// await gives a channel that closes when a run has answered or ended; at once
// where it is not in memory.
func (r *runs) await(id string) <-chan struct{} {
	r.mu.Lock()
	defer r.mu.Unlock()
	w := make(chan struct{})
	if r.byID[id] == nil {
		close(w)
		return w
	}
	r.waiters[id] = append(r.waiters[id], w)
	return w
}

// full tells whether there is no room for more.
func (r *runs) full() bool {
	r.mu.Lock()
	defer r.mu.Unlock()
	return len(r.byID) >= maxLive
}
