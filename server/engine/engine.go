package engine

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
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

// Scripts runs the scripts of workflows; a *[script.Runner] does.
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
	Now       func() time.Time // the time of day, which may be put forward and back; [time.Now] but in tests
	Resumed   chan struct{}    // gets a token when everything is paused, or goes on, for whoever keeps times

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

	runs        *runs
	mu          sync.Mutex             // guards the two maps below
	settlements map[string]*settlement // arrivals on their way, by delivery and id
	endings     map[string]Ending      // work that ended the process, by what it is
	budgets     budgets
	aloud       aloud
	models      sync.Map // connection id → *model.Server
	paused      atomic.Bool

	naming  sync.RWMutex // read-locked from reading what a run is known by to queueing what it does, see rename.go
	renames atomic.Int64 // how many workflows were renamed
}

// New makes an engine; [Engine.Start] sets it going.
func New(s *store.Store, w *workspace.Holder, kit *tool.Kit, secrets *vault.Vault, scripts Scripts,
	log *slog.Logger) *Engine {
	ctx, stop := context.WithCancel(context.Background())
	hard, kill := context.WithCancel(context.Background())
	e := &Engine{store: s, workspace: w, secrets: secrets, kit: kit, scripts: scripts, log: log, Hub: newHub(),
		Now: time.Now, Resumed: make(chan struct{}, 1),
		ctx: ctx, stop: stop, hard: hard, kill: kill,
		clock: newClock(), entered: make(chan struct{}, 1), runs: newRuns(), settlements: map[string]*settlement{},
		endings: map[string]Ending{}, budgets: budgets{all: map[purseKey]*purse{}}}
	e.errands = newDispatcher(e)
	e.lanes = newLanes(e)
	w.OnRename(e.renamed)
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
func (e *Engine) now() time.Time { return e.Now().UTC().Truncate(time.Microsecond) }

// advance is what an event led to, on its way to the database.
type advance struct {
	entry   run.Entry
	errands []run.Errand
	durable <-chan error // what became of it
	caller  *advance     // what it led to with who waits for the run, which is written with it; nil for nothing
}

// locked does something to a run that is held, while nobody else does; it is
// folded from its journal where it is not in memory.
func (e *Engine) locked(ctx context.Context, l *live, do func() error) error {
	return l.locked(func() error {
		if l.state == nil {
			if err := e.load(ctx, l); err != nil {
				l.state = nil
				return err
			}
		}
		return do()
	})
}

// move moves a run by events and queues what they led to with the writer. Where
// that fails, the run in memory is no longer what it was, unless the events
// were refused. l is locked.
func (e *Engine) move(ctx context.Context, l *live, at time.Time, write func(*live, run.Entry) (store.Batch, error),
	events ...run.Event) (advance, error) {
	out, batch, err := e.prepare(ctx, l, at, write, events...)
	if err == nil {
		l.writing++
		e.queue(ctx, l, at, &out, batch)
	}
	return out, err
}

// prepare is move, but for the queueing.
func (e *Engine) prepare(ctx context.Context, l *live, at time.Time,
	write func(*live, run.Entry) (store.Batch, error), events ...run.Event) (advance, store.Batch, error) {
	var out advance
	mask, err := e.masker(ctx, l, events)
	if err != nil {
		return out, store.Batch{}, err
	}
	err = fault.Catch(e.log, "the run "+l.id, func() (err error) {
		out.entry, out.errands, err = run.Move(l.def, l.state, at, e.host(ctx, l, mask), events...)
		return err
	})
	var batch store.Batch
	if err == nil {
		batch, err = write(l, out.entry)
	}
	if err == nil {
		err = calledOff(&batch, out.errands, at)
	}
	var refused *run.Refused
	if err != nil {
		if !errors.Is(err, run.ErrStale) && !errors.As(err, &refused) {
			l.state = nil // it may be half changed
		}
		return advance{}, store.Batch{}, err
	}
	return out, batch, nil
}

// full tells whether callers are to come back later.
func (e *Engine) full() bool { return e.ctx.Err() != nil || e.runs.full() }

// end lets those start that a run held up.
func (e *Engine) end(l *live) {
	e.budgets.over(l)
	for _, next := range e.lanes.leave(l.id) {
		e.begin(next)
	}
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
func (e *Engine) handleAs(ctx context.Context, id string, event run.Event,
	batch func(*live, run.Entry) (store.Batch, error)) error {
	l := e.runs.hold(id)
	defer e.runs.release(l)
	var err error
	for range mostContended {
		err = e.handleOnce(ctx, l, event, batch)
		if !errors.Is(err, store.ErrGuard) && !errors.Is(err, errTogether) {
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

// handleOnce is handleAs for a run that is held, with one try.
func (e *Engine) handleOnce(ctx context.Context, l *live, event run.Event,
	batch func(*live, run.Entry) (store.Batch, error)) error {
	var a advance
	if err := e.moveOnce(ctx, l, &a, event, batch); err != nil {
		return err
	}
	e.sendEarly(l, &a)
	if err := <-a.durable; err != nil {
		spoil(l, a)
		if a.caller != nil {
			err = fmt.Errorf("%w: %w", errTogether, err)
		} else if !errors.Is(err, store.ErrGuard) {
			e.later(l.id)
		}
		return fmt.Errorf("engine: the run %s could not be written: %w", l.id, err)
	}
	e.written(l, a)
	return nil
}

func (e *Engine) moveOnce(ctx context.Context, l *live, a *advance, event run.Event,
	batch func(*live, run.Entry) (store.Batch, error)) error {
	e.naming.RLock()
	defer e.naming.RUnlock()
	return e.locked(ctx, l, func() (err error) {
		if l.unreadable != nil && !breaks(event) {
			return l.unreadable
		}
		*a, err = e.move(ctx, l, e.now(), batch, event)
		return err
	})
}

// written goes on after an advance is durable: the errands that waited for it,
// the news, and who waits.
func (e *Engine) written(l *live, a advance) {
	entry := a.entry
	if entry.Doubts() {
		e.budgets.pages.Add(1)
	}
	e.send(l, a.errands)
	status, rests, answered, wake := l.wrote(entry)
	e.clock.set(wake)
	for _, r := range entry.Records {
		if set, is := r.(*run.FollowUpSet); is {
			e.clock.set(set.At)
		}
	}
	select {
	case e.entered <- struct{}{}:
	default:
	}
	e.announce(l, entry, status)
	if answered || rests && (status.Ended() || !e.AtWork(l.id)) {
		e.runs.wake(l.id)
	}
	if rests && status.Ended() {
		e.end(l)
	}
	if a.caller != nil {
		e.written(l.caller, *a.caller)
	} else if rests && status.Ended() {
		e.tell(l)
	}
}

func (e *Engine) send(l *live, errands []run.Errand) {
	for _, errand := range errands {
		e.errands.submit(l.workflow(), errand)
	}
}

// begin starts a run that waited behind others.
func (e *Engine) begin(id string) {
	e.working.Go(func() { e.onRun(id, func() { e.deliver(id, &run.Begin{}) }) })
}

// announce tells who watches.
func (e *Engine) announce(l *live, entry run.Entry, status run.Status) {
	e.Hub.Tell(News{Kind: "run", Run: l.id, Workflow: l.workflow(), Status: string(status), Thread: l.thread()})
	for _, id := range e.runs.callers(l) { // which are at work while this one is
		e.Hub.Tell(News{Kind: "run", Run: id})
	}
	for _, r := range entry.Records {
		switch r.(type) {
		case *run.ReviewAsked, *run.ReviewAnswered:
			e.Hub.Tell(News{Kind: "review", Run: l.id, Workflow: l.workflow(), Thread: l.thread()})
		case *run.WordsSaid, *run.RunAccepted:
			e.Hub.Tell(News{Kind: "message", Run: l.id, Workflow: l.workflow(), Thread: l.thread()})
		}
	}
}
