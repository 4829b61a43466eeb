package trigger

import (
	"cmp"
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
	Log       *slog.Logger

	mu      sync.Mutex
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

// watch is a source with everybody who wants to know of it.
type watch struct {
	key       string
	every     time.Duration
	source    source
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

// watched says in words what a trigger has looked at.
func watched(t flow.Trigger) string {
	every := func(calendar string) string { return cmp.Or(calendar, "every calendar") }
	switch {
	case t.Mail != nil:
		words := map[string]string{"arrived": "mails that arrive in ", "moved": "mails that are moved to "}[t.Mail.On]
		return cmp.Or(words, "mails flagged "+t.Mail.Flag+" in ") + t.Mail.Folder
	case t.File != nil:
		return "files in " + t.File.Folder
	case t.Feed != nil:
		return "items of " + t.Feed.Address
	case t.Calendar != nil && t.Calendar.Changed:
		return "changes of " + every(t.Calendar.Calendar)
	case t.Calendar != nil:
		return "what is ahead in " + every(t.Calendar.Calendar)
	case t.Schedule != nil && t.Schedule.Before != nil:
		return "what is ahead in " + every(t.Schedule.Before.Calendar)
	case t.Row != nil && t.Row.Table != "":
		return "rows of the table " + t.Row.Table
	case t.Row != nil:
		return "rows that " + t.Row.Tool + " gives"
	}
	return t.Kind()
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
func (w *Watches) begin(all []*watch, next map[string]time.Time, slots chan<- struct{}, visit func(*watch)) (wake time.Time) {
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
		key, every, s := w.open(t)
		if s == nil {
			return
		}
		one := found[key]
		if one == nil {
			one = &watch{key: key, every: every, source: s}
			found[key] = one
		}
		one.every = min(one.every, every)
		one.listeners = append(one.listeners, listener{workflow, t})
	}
	live := w.Workspace.Live()
	for _, id := range slices.Sorted(maps.Keys(live)) {
		for _, t := range live[id].Triggers {
			add(id, t)
		}
	}
	for _, id := range slices.Sorted(maps.Keys(live)) {
		flow.Walk(live[id].Steps, func(s *flow.Step) {
			if t := s.Hears(); t != nil && t.Mail != nil {
				heard := *t
				heard.ID = "hear"
				add("", heard)
			}
		})
	}
	var out []*watch
	for _, key := range slices.Sorted(maps.Keys(found)) {
		out = append(out, found[key])
	}
	return out
}

// open gives the source of a trigger, under a name triggers of the same
// source share; nil where signals come by themselves.
func (w *Watches) open(t flow.Trigger) (key string, every time.Duration, s source) {
	now := w.Workspace.Now()
	c := now.Connections[t.Connection()]
	switch {
	case t.Mail != nil && c != nil:
		return fmt.Sprintf("mail %s %s %s %s", c.ID, t.Mail.Folder, t.Mail.On, map[bool]string{true: t.Mail.Flag}[t.Mail.On == "flagged"]), t.Mail.Every, &mailSource{w.Kit, w.Kit.Box(c), t.Mail}
	case t.File != nil && c != nil:
		return "file " + c.ID + " " + t.File.Folder, t.File.Every, &fileSource{w.Kit, c, t.File.Folder}
	case t.Feed != nil && c != nil:
		return "feed " + c.ID + " " + t.Feed.Address, t.Feed.Every, &feedSource{w.Kit, c, t.Feed.Address}
	case t.Calendar != nil && c != nil && t.Calendar.Changed:
		return "changes " + c.ID + " " + t.Calendar.Calendar, t.Calendar.Every, &eventSource{kit: w.Kit, c: c, zone: now.Zone, calendar: t.Calendar.Calendar}
	case t.Calendar != nil && c != nil:
		return fmt.Sprintf("before %s %s %v", c.ID, t.Calendar.Calendar, t.Calendar.Before), t.Calendar.Every,
			&beforeSource{kit: w.Kit, c: c, calendar: t.Calendar.Calendar, days: now.Calendar(), lead: t.Calendar.Before, missed: "all"}
	case t.Schedule != nil && t.Schedule.Before != nil && c != nil:
		b := t.Schedule.Before
		zone := t.Schedule.Zone
		if zone == nil {
			zone = now.Zone
		}
		days := now.Calendar()
		days.Zone = zone
		return fmt.Sprintf("before %s %s %v at %v %s %s", c.ID, b.Calendar, b.Lead, t.Schedule.At, zone, t.Schedule.Missed), scheduleLook,
			&beforeSource{kit: w.Kit, c: c, calendar: b.Calendar, days: days, lead: b.Lead, at: t.Schedule.At, atSaid: t.Schedule.AtSaid, missed: t.Schedule.Missed}
	case t.Row != nil && t.Row.Table != "":
		if table := now.Tables[t.Row.Table]; table != nil {
			return "table " + table.ID, rowLook, newRowSource(w.Store, table, now.Zone)
		}
	case t.Row != nil:
		args, err := json.Marshal(fixedArgs(t.Row.Args))
		if err == nil && t.Row.Of != nil {
			return fmt.Sprintf("rows %s %s %s %s", t.Row.Tool, args, t.Row.Of.Source, t.Row.Key), t.Row.Every, &listSource{w.Kit, now.Tools, t.Row}
		}
	}
	return "", 0, nil
}

// scheduleLook is how often a calendar is looked at for schedules; rowLook how
// often tables are, beside being told of their changes.
const (
	scheduleLook = time.Minute
	rowLook      = time.Minute
)

// visit looks at one source and takes in what it finds.
func (w *Watches) visit(ctx context.Context, one *watch) {
	for {
		more, err := w.guarded(ctx, one)
		if ctx.Err() != nil {
			return
		}
		if err != nil {
			w.Log.Warn("a source could not be looked at", "source", one.key, "error", w.Kit.Secrets.Mask(err.Error()))
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
		return false, w.failed(ctx, one, errors.New(why+"; it is looked at again once a file of the workspace is changed"))
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

func (w *Watches) once(ctx context.Context, one *watch) (bool, error) {
	before, err := w.cursor(ctx, one.key)
	if err != nil {
		return false, err
	}
	found, next, more, err := one.source.look(ctx, before)
	w.Kit.Used(ctx, one.trigger().Connection(), err)
	if err != nil {
		return false, errors.Join(err, w.failed(ctx, one, err))
	}
	for _, item := range found {
		if err := w.deliver(ctx, one, item); err != nil {
			return false, err // the next look finds it again
		}
	}
	cursor, err := json.Marshal(next)
	if err != nil {
		return false, err
	}
	var b store.Batch
	b.Do("INSERT INTO looks (source, connection, what, cursor, looked, failures, problem) VALUES (?, ?, ?, ?, ?, 0, '') ON CONFLICT (source) DO UPDATE SET cursor = excluded.cursor, looked = excluded.looked, failures = 0, problem = ''",
		one.key, one.trigger().Connection(), watched(one.trigger()), cursor, store.Time(time.Now()))
	return more && len(found) > 0, w.Store.Write(ctx, b)
}

func (w *Watches) cursor(ctx context.Context, key string) (json.RawMessage, error) {
	var cursor []byte
	err := w.Store.Read().QueryRowContext(ctx, "SELECT cursor FROM looks WHERE source = ?", key).Scan(&cursor)
	if errors.Is(err, sql.ErrNoRows) || string(cursor) == "null" {
		return nil, nil
	}
	return cursor, err
}

func (w *Watches) failed(ctx context.Context, one *watch, why error) error {
	var b store.Batch
	b.Do("INSERT INTO looks (source, connection, what, cursor, looked, failures, problem) VALUES (?, ?, ?, 'null', ?, 1, ?) ON CONFLICT (source) DO UPDATE SET looked = excluded.looked, failures = failures + 1, problem = excluded.problem",
		one.key, one.trigger().Connection(), watched(one.trigger()), store.Time(time.Now()), w.Kit.Secrets.Mask(why.Error()))
	return w.Store.Write(ctx, b)
}

// deliver brings one thing that was found to everybody who means it. What a
// waiting run hears starts nothing else.
func (w *Watches) deliver(ctx context.Context, one *watch, found any) error {
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
		signal.Kind, signal.Trigger, signal.Source = l.trigger.Kind(), l.trigger.ID, l.trigger.Source()
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
