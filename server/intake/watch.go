package intake

import (
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"
	"log/slog"
	"maps"
	"slices"
	"sync"
	"time"

	"woolsignal/core/flow"
	"woolsignal/core/run"
	"woolsignal/server/engine"
	"woolsignal/server/fault"
	"woolsignal/server/store"
	"woolsignal/server/tool"
	"woolsignal/server/vault"
	"woolsignal/server/workspace"
)

// Watches looks at what cannot call us: mailboxes, calendars, folders, feeds,
// tables and lists. One loop keeps the times; a few looks go on at once,
// however many sources there are.
type Watches struct {
	Workspace *workspace.Holder
	Engine    *engine.Engine
	Store     *store.Store
	Kit       *tool.Kit
	Secrets   *vault.Vault
	Log       *slog.Logger

	mu      sync.Mutex      // guards looking
	looking map[string]bool // sources that are being looked at
	woken   chan struct{}
}

// atOnce is how many sources are looked at at the same time.
const atOnce = 8

// source is something to look at. Its look begins where the last one ended.
type source interface {
	// look gives what is new behind a cursor, and the next cursor. Without a
	// cursor it is the first look, for which everything is old.
	look(ctx context.Context, cursor json.RawMessage) (found []any, next any, more bool, err error)
	// signal makes a signal of what was found; nil where a trigger does not
	// mean it.
	signal(t flow.Trigger, found any) (*run.Signal, error)
}

// keeper is a source whose files are kept once somebody means what was found:
// what nobody means leaves nothing.
type keeper interface {
	keep(ctx context.Context, found any, signal *run.Signal) error
}

// comingBack is a source whose things go back to what they were, and become again
// what they were then: each time is one of its own. Its signals' ids need only tell
// apart what one look finds.
type comingBack interface{ comesBack() }

// watch is a source with everybody who wants to know of it.
type watch struct {
	looking
	listeners []listener
}

// listener is a trigger that wants to know. Its workflow is "" where only
// waiting runs do.
type listener struct {
	workflow string
	trigger  flow.Trigger
}

// trigger is one of those it is looked at for; they share what is looked at.
func (w *watch) trigger() flow.Trigger { return w.listeners[0].trigger }

// looking is how a trigger is looked at.
type looking struct {
	key    string // that triggers of the same source share
	words  string // what is looked at
	every  time.Duration
	source source
}

// looks has the kinds of triggers that are looked at, each with how; nil comes
// back where there is nothing to look at.
var looks = map[string]func(*Watches, flow.Trigger) *looking{
	"mail":     (*Watches).mails,
	"file":     (*Watches).files,
	"feed":     (*Watches).feeds,
	"calendar": (*Watches).events,
	"row":      (*Watches).rows,
}

// connection finds the connection of a trigger; nil where it is gone.
func (w *Watches) connection(t flow.Trigger) *flow.Connection {
	return w.Workspace.Now().Connections[t.Connection()]
}

// Run looks until the context ends.
func (w *Watches) Run(ctx context.Context) {
	w.woken, w.looking = make(chan struct{}, 1), map[string]bool{}
	changed := w.Workspace.Subscribe()
	next := map[string]time.Time{}
	slots := make(chan struct{}, atOnce)
	var working sync.WaitGroup
	defer working.Wait()
	all, files := w.all(), w.Workspace.Now().Files
	for {
		wake := w.begin(all, next, slots, func(one *watch) {
			working.Go(func() {
				w.visit(ctx, one)
				<-slots
				w.end(one.key)
			})
		})
		timer := time.NewTimer(max(time.Until(wake), 10*time.Millisecond))
		select {
		case <-timer.C:
		case <-w.woken:
		case <-changed:
			if now := w.Workspace.Now().Files; !maps.Equal(files, now) {
				files = now
				if err := w.Engine.Retry(ctx, lookWork); err != nil {
					w.Log.Error("what was put aside could not be taken up", "error", err)
				}
			}
			all = w.all()
			maps.DeleteFunc(next, func(key string, _ time.Time) bool {
				return !slices.ContainsFunc(all, func(o *watch) bool { return o.key == key })
			})
		case key := <-w.Store.RowNews():
			if key = "table " + key; next[key] != (time.Time{}) {
				next[key] = time.Now()
			}
		case <-ctx.Done():
			timer.Stop()
			return
		}
		timer.Stop()
	}
}

// begin begins the looks that are due, the longest overdue first, as far as
// there are slots, and gives the time of the next. Without a free slot the end
// of a look wakes the loop.
func (w *Watches) begin(all []*watch, next map[string]time.Time, slots chan<- struct{},
	visit func(*watch)) (wake time.Time) {
	w.mu.Lock()
	defer w.mu.Unlock()
	now := time.Now()
	wake = now.Add(longestSleep)
	idle := slices.DeleteFunc(slices.Clone(all), func(one *watch) bool { return w.looking[one.key] })
	slices.SortStableFunc(idle, func(a, b *watch) int { return next[a.key].Compare(next[b.key]) })
	for _, one := range idle {
		if at := next[one.key]; at.After(now) {
			if at.Before(wake) {
				wake = at
			}
			return wake
		}
		select {
		case slots <- struct{}{}:
			next[one.key], w.looking[one.key] = now.Add(one.every), true
			visit(one)
		default:
			return wake
		}
	}
	return wake
}

func (w *Watches) end(key string) {
	w.mu.Lock()
	delete(w.looking, key)
	w.mu.Unlock()
	select {
	case w.woken <- struct{}{}:
	default:
	}
}

// all lists what is to be looked at, each source once.
func (w *Watches) all() []*watch {
	found := map[string]*watch{}
	add := func(workflow string, t flow.Trigger) {
		look := looks[t.Kind]
		if look == nil {
			return // its signals come by themselves
		}
		l := look(w, t)
		if l == nil {
			return
		}
		one := found[l.key]
		if one == nil {
			one = &watch{looking: *l}
			found[l.key] = one
		}
		one.every = min(one.every, l.every)
		one.listeners = append(one.listeners, listener{workflow, t})
	}
	live := w.Workspace.Live()
	for _, id := range slices.Sorted(maps.Keys(live)) {
		for _, t := range live[id].Triggers {
			add(id, t)
		}
	}
	for _, t := range w.Workspace.Now().Waits() {
		t.ID = "hear"
		add("", t)
	}
	var out []*watch
	for _, key := range slices.Sorted(maps.Keys(found)) {
		out = append(out, found[key])
	}
	return out
}

// visit looks at one source and takes in what it finds.
func (w *Watches) visit(ctx context.Context, one *watch) {
	for {
		more, err := w.guarded(ctx, one)
		if ctx.Err() != nil {
			return
		}
		if err != nil {
			w.Log.Warn("a source could not be looked at", "source", one.key, "error", w.Secrets.Mask(err.Error()))
		}
		if err != nil || !more {
			return
		}
	}
}

// guarded looks once, in the source's name. A source that trips a reader of
// ours up fails with that reason; one that ended the whole process twice is not
// looked at until the workspace is changed.
func (w *Watches) guarded(ctx context.Context, one *watch) (more bool, err error) {
	work := lookWork + one.key
	if why := w.Engine.PutAside(work); why != "" {
		return false, w.failed(ctx, one,
			errors.New(why+"; it is looked at again once a file of the workspace is changed"))
	}
	fault.Labelled(work, func() {
		err = fault.Catch(w.Log, work, func() (err error) {
			more, err = w.once(ctx, one)
			return err
		})
	})
	var broken *fault.Error
	if errors.As(err, &broken) {
		err = errors.Join(err, w.failed(ctx, one, err))
	}
	return more, err
}

// lookWork begins the name of the work of looking at a source.
const lookWork = "look "

// each does the work on one item of a look in its own name: an item that ended the
// whole process twice is left out, and says why, and the others are taken in.
func (w *Watches) each(source string, item any, do func()) (putAside string) {
	work := fmt.Sprintf("%s%s, item %v", lookWork, source, item)
	if why := w.Engine.PutAside(work); why != "" {
		return why
	}
	fault.Labelled(work, do)
	return ""
}

func (w *Watches) once(ctx context.Context, one *watch) (bool, error) {
	before, looks, err := w.cursor(ctx, one.key)
	if err != nil {
		return false, err
	}
	found, next, more, err := one.source.look(ctx, before)
	w.Kit.Used(ctx, one.trigger().Connection(), err)
	if err != nil {
		return false, errors.Join(err, w.failed(ctx, one, err))
	}
	for _, item := range found {
		if err := w.deliver(ctx, one, item, looks+1); err != nil {
			return false, err // the next look is the same one, and finds it again
		}
	}
	cursor, err := json.Marshal(next)
	if err != nil {
		return false, err
	}
	var b store.Batch
	b.Do("INSERT INTO looks (source, connection, what, cursor, n, looked, failures, problem) VALUES (?, ?, ?, ?, 1, "+
		"?, 0, '') ON CONFLICT (source) DO UPDATE SET cursor = excluded.cursor, n = n + 1, looked = excluded.looked, "+
		"failures = 0, problem = ''",
		one.key, one.trigger().Connection(), one.words, cursor, store.Time(time.Now()))
	return more && len(found) > 0, w.Store.Write(ctx, b)
}

// cursor is where the last look at a source ended, and how many there were.
func (w *Watches) cursor(ctx context.Context, key string) (cursor json.RawMessage, looks int, err error) {
	err = w.Store.Read().QueryRowContext(ctx, "SELECT cursor, n FROM looks WHERE source = ?", key).Scan(
		(*[]byte)(&cursor), &looks)
	if errors.Is(err, sql.ErrNoRows) {
		return nil, 0, nil
	}
	if string(cursor) == "null" {
		cursor = nil
	}
	return cursor, looks, err
}

func (w *Watches) failed(ctx context.Context, one *watch, why error) error {
	var b store.Batch
	b.Do("INSERT INTO looks (source, connection, what, cursor, n, looked, failures, problem) VALUES (?, ?, ?, "+
		"'null', 0, ?, 1, ?) ON CONFLICT (source) DO UPDATE SET looked = excluded.looked, failures = failures + 1, "+
		"problem = "+
		"excluded.problem",
		one.key, one.trigger().Connection(), one.words, store.Time(time.Now()), w.Secrets.Mask(why.Error()))
	return w.Store.Write(ctx, b)
}

// deliver brings one thing that a look found to everybody who means it; looks counts
// the looks at the source. What a waiting run hears starts nothing else.
func (w *Watches) deliver(ctx context.Context, one *watch, found any, looks int) error {
	heard := false
	for _, l := range one.listeners {
		signal, err := one.source.signal(l.trigger, found)
		if err != nil {
			w.Log.Warn("something found could not be read", "source", one.key, "error", err)
			continue
		}
		if signal == nil || heard {
			continue
		}
		if k, keeps := one.source.(keeper); keeps {
			if err := k.keep(ctx, found, signal); err != nil {
				return err
			}
		}
		if _, comesBack := one.source.(comingBack); comesBack {
			signal.ID = fmt.Sprintf("%s@%d", signal.ID, looks)
		}
		signal.Kind, signal.Trigger, signal.Source = l.trigger.Kind, l.trigger.ID, l.trigger.Source()
		if signal.Time.IsZero() {
			signal.Time = time.Now().UTC().Truncate(time.Millisecond)
		}
		ticket, err := w.Engine.Receive(ctx, l.workflow, signal)
		if err != nil && l.workflow == "" && errors.Is(err, engine.ErrNobodyWaits) {
			continue
		}
		if err != nil {
			return err
		}
		heard = ticket.Heard
	}
	return nil
}
