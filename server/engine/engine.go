package engine

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"runtime"
	"sync"
	"sync/atomic"
	"time"

	"woolsignal/core/run"
	"woolsignal/server/fault"
	"woolsignal/server/store"
	"woolsignal/server/tool"
	"woolsignal/server/vault"
	"woolsignal/server/workspace"
)

// maxLive is how many runs may be moving at once before callers are asked to
// come back later.
const maxLive = 20_000

// Errors a caller can test for.
var (
	// ErrBusy asks the caller to come back later; nothing was taken in.
	ErrBusy = errors.New("too much is going on at the moment; send it again in a few seconds")
	// ErrNobodyWaits says that a signal that starts nothing is awaited by nobody.
	ErrNobodyWaits = errors.New("nobody waits for such signals")
	// ErrNoRun says that there is no run of an id.
	ErrNoRun = errors.New("there is no such run")
)

// Scripts runs the scripts of workflows; a *[script.Pool] does.
type Scripts interface {
	Run(ctx context.Context, code string, inputs map[string]any, within time.Duration) (any, error)
}

// Engine drives the runs of one workspace.
type Engine struct {
	store     *store.Store
	workspace *workspace.Holder
	secrets   *vault.Vault
	kit       *tool.Kit
	log       *slog.Logger
	Hub       *Hub

	ctx     context.Context // ends when the engine is asked to stop: nothing new begins
	stop    context.CancelFunc
	hard    context.Context // ends when it waits no longer for what is on its way
	kill    context.CancelFunc
	working sync.WaitGroup
	scripts Scripts
	errands *dispatcher
	lanes   *lanes
	clock   *clock
	entered chan struct{} // gets a token when a journal grew

	mu          sync.Mutex
	live        map[string]*live
	waiters     map[string][]chan struct{}
	settlements map[string]*settlement // arrivals on their way, by delivery and id
	endings     map[string]Ending      // work that ended the process, by what it is
	models      sync.Map               // connection id → *model.Server
	paused      atomic.Bool
}

// live is a run in memory.
type live struct {
	mu         sync.Mutex
	id         string
	workflow   string
	definition string
	thread     string
	place      place // what its workflow's limits make of it
	chain      chain // what brought it about
	def        *run.Definition
	state      *run.State
	kept       kept  // of its snapshots
	writing    int   // entries that are queued and not durable yet
	gone       bool  // no longer in the map; look it up again
	unreadable error // why what it follows cannot be read; then it can only be ended
}

// New makes an engine; [Engine.Start] sets it going.
func New(s *store.Store, w *workspace.Holder, kit *tool.Kit, scripts Scripts, log *slog.Logger) *Engine {
	ctx, stop := context.WithCancel(context.Background())
	hard, kill := context.WithCancel(context.Background())
	e := &Engine{store: s, workspace: w, secrets: kit.Secrets, kit: kit, scripts: scripts, log: log, Hub: newHub(), ctx: ctx, stop: stop, hard: hard, kill: kill,
		clock: newClock(), entered: make(chan struct{}, 1), live: map[string]*live{}, waiters: map[string][]chan struct{}{}, settlements: map[string]*settlement{}, endings: map[string]Ending{}}
	e.errands = newDispatcher(e)
	e.lanes = newLanes(e)
	return e
}

// Stop lets no errand begin and waits for the calls on their way, at most
// until the context ends. What is not finished goes on at the next start.
func (e *Engine) Stop(ctx context.Context) {
	e.stop()
	defer e.kill()
	done := make(chan struct{})
	go func() { e.working.Wait(); close(done) }()
	select {
	case <-done:
	case <-ctx.Done():
	}
}

// now is the time of an event. Microseconds survive the journal's JSON.
func now() time.Time { return time.Now().UTC().Truncate(time.Microsecond) }

// queue closes an advance: it queues the entry with the writer and lets the
// run go. failed is what went wrong before; then, or when the entry cannot be
// written, the run in memory is no longer to be used.
func (e *Engine) queue(l *live, m *run.Machine, failed error, write func(*live, run.Entry) (store.Batch, error)) (entry run.Entry, errands []run.Errand, durable <-chan error, err error) {
	defer l.mu.Unlock()
	entry, errands = m.Take()
	var batch store.Batch
	if err = failed; err == nil {
		batch, err = write(l, entry)
	}
	if err != nil {
		l.gone = true
		return entry, nil, nil, err
	}
	l.writing++
	return entry, errands, e.store.Queue(batch), nil
}

// drop marks a run as no longer what the database holds.
func (l *live) drop() {
	l.mu.Lock()
	defer l.mu.Unlock()
	l.gone = true
}

// full tells whether callers are to come back later.
func (e *Engine) full() bool {
	e.mu.Lock()
	defer e.mu.Unlock()
	return len(e.live) >= maxLive || e.ctx.Err() != nil
}

// enter makes room for a new run and tells whether it may start at once. One
// from inside always gets room, while the engine goes.
func (e *Engine) enter(l *live, inside bool) (<-chan struct{}, bool, error) {
	e.mu.Lock()
	defer e.mu.Unlock()
	if len(e.live) >= maxLive && !inside || e.ctx.Err() != nil {
		l.mu.Unlock()
		return nil, false, ErrBusy
	}
	e.live[l.id] = l
	answered := make(chan struct{})
	e.waiters[l.id] = append(e.waiters[l.id], answered)
	return answered, e.lanes.enter(l.id, l.place), nil
}

// end takes a run out of memory for good, and starts those behind it.
func (e *Engine) end(l *live) {
	e.forget(l)
	for _, next := range e.lanes.leave(l.id) {
		e.begin(next)
	}
}

// wake tells who waits that a run answered or ended. e.mu is held.
func (e *Engine) wake(id string) {
	for _, w := range e.waiters[id] {
		close(w)
	}
	delete(e.waiters, id)
}

// await gives a channel that closes when a run has answered or ended; at once
// where it is not moving.
func (e *Engine) await(id string) <-chan struct{} {
	e.mu.Lock()
	defer e.mu.Unlock()
	w := make(chan struct{})
	if _, moving := e.live[id]; !moving {
		close(w)
		return w
	}
	e.waiters[id] = append(e.waiters[id], w)
	return w
}

// find gives a run, locked, from memory or folded from its journal.
func (e *Engine) find(ctx context.Context, id string) (*live, error) {
	for {
		e.mu.Lock()
		l, known := e.live[id]
		if !known {
			l = &live{id: id}
			l.mu.Lock()
			e.live[id] = l
		}
		e.mu.Unlock()
		if known {
			l.mu.Lock()
			if !l.gone {
				return l, nil
			}
			l.mu.Unlock()
			runtime.Gosched() // it is about to leave the map
			continue
		}
		if err := e.load(ctx, l); err != nil {
			l.gone = true
			l.mu.Unlock()
			e.forget(l)
			return nil, err
		}
		return l, nil
	}
}

// forget takes a run out of memory that goes on later.
func (e *Engine) forget(l *live) {
	e.mu.Lock()
	defer e.mu.Unlock()
	if e.live[l.id] == l {
		delete(e.live, l.id)
	}
	e.wake(l.id)
}

// mostContended is how often an advance may find that somebody else wrote the
// run first, before it is given up.
const mostContended = 10

// handle takes one event to its run. It returns once what followed is durable.
// With an error nothing of it is kept.
func (e *Engine) handle(ctx context.Context, id string, event run.Event) error {
	return e.handleAs(ctx, id, event, nextBatch)
}

// handleAs is handle with a batch of its own. An advance that was made on what
// is no longer so is made anew.
func (e *Engine) handleAs(ctx context.Context, id string, event run.Event, batch func(*live, run.Entry) (store.Batch, error)) error {
	var err error
	for range mostContended {
		if err = e.handleOnce(ctx, id, event, batch); !errors.Is(err, store.ErrGuard) {
			break
		}
	}
	var broken *fault.Error
	var unreadable *workspace.UnreadableError
	if !breaks(event) && (errors.As(err, &broken) || errors.As(err, &unreadable)) {
		return e.handle(ctx, id, &run.Break{Why: err.Error()})
	}
	return err
}

// breaks tells whether an event ends its run whatever that follows.
func breaks(event run.Event) bool {
	_, is := event.(*run.Break)
	return is
}

func (e *Engine) handleOnce(ctx context.Context, id string, event run.Event, batch func(*live, run.Entry) (store.Batch, error)) error {
	l, err := e.find(ctx, id)
	if err != nil {
		return err
	}
	m := run.NewMachine(l.def, l.state, now())
	if err = l.unreadable; err == nil || breaks(event) {
		err = e.advance(l, m, event)
	}
	if err != nil {
		var refused *run.Refused
		if !errors.Is(err, run.ErrStale) && !errors.As(err, &refused) {
			l.gone = true // fold it anew: the state may be half changed
			defer e.forget(l)
		} else if !e.moving(l) && l.writing == 0 { // else who writes lets it go
			l.gone = true
			defer e.forget(l)
		}
		l.mu.Unlock()
		return err
	}
	entry, errands, durable, err := e.queue(l, m, e.recall(ctx, m), batch)
	if err != nil {
		e.forget(l)
		return err
	}
	early, after := e.split(errands)
	e.send(l, early)
	if err := <-durable; err != nil {
		l.drop()
		e.forget(l)
		if !errors.Is(err, store.ErrGuard) {
			e.later(id)
		}
		return fmt.Errorf("engine: the run %s could not be written: %w", id, err)
	}
	e.written(l, entry, after)
	return nil
}

// moving tells whether a run is in memory for a reason. l.mu is held.
func (e *Engine) moving(l *live) bool {
	return l.state.Status == run.Running || l.state.Status == run.Queued
}

// written goes on after an entry is durable: the errands that waited for it,
// the news, and letting go of runs that wait or ended.
func (e *Engine) written(l *live, entry run.Entry, after []run.Errand) {
	e.send(l, after)
	l.mu.Lock()
	l.writing--
	status, answered, wake := l.state.Status, l.state.Response != nil, l.state.Wake()
	idle := l.state.Seq == entry.Seq && (status.Ended() || status == run.Waiting)
	if idle {
		l.gone = true
	}
	l.mu.Unlock()
	e.clock.set(wake)
	select {
	case e.entered <- struct{}{}:
	default:
	}
	e.announce(l, entry, status)
	switch {
	case idle && status.Ended():
		e.end(l)
		e.tell(l)
	case idle:
		e.forget(l)
	case answered:
		e.mu.Lock()
		e.wake(l.id)
		e.mu.Unlock()
	}
}

func (e *Engine) send(l *live, errands []run.Errand) {
	for _, errand := range errands {
		e.errands.put(l.workflow, errand)
	}
}

// begin starts a run that waited behind others.
func (e *Engine) begin(id string) {
	e.working.Go(func() { e.onRun(id, func() { e.take(id, &run.Begin{}) }) })
}

// announce tells who watches.
func (e *Engine) announce(l *live, entry run.Entry, status run.Status) {
	e.Hub.tell(News{Kind: "run", Run: l.id, Workflow: l.workflow, Status: string(status), Thread: l.thread})
	for _, r := range entry.Records {
		switch r.(type) {
		case *run.ReviewAsked, *run.ReviewAnswered:
			e.Hub.tell(News{Kind: "review", Run: l.id, Workflow: l.workflow, Thread: l.thread})
		case *run.WordsSaid, *run.RunAccepted:
			e.Hub.tell(News{Kind: "message", Run: l.id, Workflow: l.workflow, Thread: l.thread})
		}
	}
}
