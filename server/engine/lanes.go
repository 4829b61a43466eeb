package engine

import (
	"slices"
	"sync"
	"time"

	"woolsignal/core/run"
)

// place is where a run stands among others: what may hold it back.
type place struct {
	workflow  string
	thread    string // its conversation; one run of it moves at a time
	key       string // what the workflow's limits tell runs apart by
	atOnce    int    // runs of the workflow; 0 is no limit
	perKey    int    // runs of the key; 0 is no limit
	perMinute int    // beginnings of the workflow; 0 is no limit
	quietFor  time.Duration
	accepted  time.Time
}

// placeOf reads a run's place from its workflow's limits. A key that cannot
// be computed is none: the signal is taken in all the same.
func placeOf(l *live, signal *run.Signal, at time.Time) place {
	limits := l.def.Workflow.Limits
	p := place{workflow: l.workflow(), thread: l.thread(), atOnce: limits.AtOnce, perKey: limits.Same.AtOnce,
		perMinute: limits.PerMinute, quietFor: limits.Same.QuietFor, accepted: at}
	if limits.Same.By != nil {
		p.key = l.def.KeyOf(signal, p.accepted)
	}
	return p
}

// bound tells whether anything could hold the run back.
func (p place) bound() bool {
	return p.thread != "" || p.atOnce > 0 || p.perKey > 0 && p.key != "" || p.perMinute > 0 || p.quietFor > 0
}

// lane is a line in which runs go one behind the other.
type lane struct {
	name string
	most int // how many may move at once
}

// strict lists the lanes a place stands in.
func (p place) strict() []lane {
	var out []lane
	if p.thread != "" {
		out = append(out, lane{"thread " + p.thread, 1})
	}
	if p.perKey > 0 && p.key != "" {
		out = append(out, lane{"key " + p.workflow + " " + p.key, p.perKey})
	}
	return out
}

// held is a run some limit knows of.
type held struct {
	id      string
	place   place
	lanes   []lane
	started bool
	waking  bool // somebody looks again when it has waited long enough for quiet
}

// lanes says which runs may move: conversations go one message after the
// other, and a workflow's limits hold.
type lanes struct {
	engine *Engine
	mu     sync.Mutex // guards what follows
	paused bool
	runs   map[string]*held
	moving map[string]int     // by lane, and by "workflow x"
	movers map[string]string  // the run that moves in a conversation, by its thread
	queues map[string][]*held // waiting runs by strict lane, oldest first
	waits  map[string][]*held // waiting runs by workflow, oldest first
	begins map[string]*minute // beginnings, by workflow
	quiet  map[string][]*held // runs that wait for quiet, by workflow and key, oldest first
}

func newLanes(e *Engine) *lanes {
	return &lanes{engine: e, runs: map[string]*held{}, moving: map[string]int{}, movers: map[string]string{},
		queues: map[string][]*held{},
		waits:  map[string][]*held{}, begins: map[string]*minute{}, quiet: map[string][]*held{}}
}

// enter puts a run in its place and tells whether it may start at once.
func (s *lanes) enter(id string, p place) bool {
	s.mu.Lock()
	defer s.mu.Unlock()
	if !p.bound() && !s.paused {
		return true
	}
	h := s.wait(id, p)
	return s.start(h, s.engine.now())
}

// remember notes when runs of a workflow began lately, before the service started.
func (s *lanes) remember(workflow string, began []time.Time) {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.begins[workflow] = &minute{recent: began}
}

// occupy puts a run in its place that moved already when the service stopped.
func (s *lanes) occupy(id string, p place) {
	s.mu.Lock()
	defer s.mu.Unlock()
	if !p.bound() {
		return
	}
	h := &held{id: id, place: p, lanes: p.strict(), started: true}
	s.runs[id] = h
	s.count(h, 1)
}

func (s *lanes) wait(id string, p place) *held {
	h := &held{id: id, place: p, lanes: p.strict()}
	s.runs[id] = h
	s.waits[p.workflow] = append(s.waits[p.workflow], h)
	for _, l := range h.lanes {
		s.queues[l.name] = append(s.queues[l.name], h)
	}
	if p.quietFor > 0 {
		s.quiet[p.quietKey()] = append(s.quiet[p.quietKey()], h)
	}
	return h
}

// quietKey names the runs of which the youngest alone is carried out.
func (p place) quietKey() string { return p.workflow + " " + p.key }

// start lets a waiting run go where nothing holds it back.
func (s *lanes) start(h *held, at time.Time) bool {
	p := h.place
	if s.paused || p.quietFor > 0 && !s.isQuiet(h, at) || p.atOnce > 0 && s.moving["workflow "+p.workflow] >= p.atOnce {
		return false
	}
	for _, l := range h.lanes {
		if s.moving[l.name] >= l.most || s.queues[l.name][0] != h {
			return false
		}
	}
	if p.perMinute > 0 {
		begins := s.begins[p.workflow]
		if begins == nil {
			begins = &minute{}
			s.begins[p.workflow] = begins
		}
		if !begins.room(at, p.perMinute, func() { s.again(begins) }) {
			return false
		}
		begins.took(at)
	}
	s.unwait(h)
	h.started = true
	s.count(h, 1)
	return true
}

// isQuiet tells whether a run has waited long enough for a younger one, and
// none has come.
func (s *lanes) isQuiet(h *held, at time.Time) bool {
	same := s.quiet[h.place.quietKey()]
	return same[len(same)-1] == h && s.quietIn(h, at) <= 0
}

// quietIn is how long a run still waits for a younger one, after which it is looked at
// again.
func (s *lanes) quietIn(h *held, at time.Time) time.Duration {
	if h.place.accepted.After(at) { // the clock was put back since
		h.place.accepted = at
	}
	left := h.place.accepted.Add(h.place.quietFor).Sub(at)
	if left > 0 && !h.waking {
		h.waking = true
		time.AfterFunc(left+time.Millisecond, func() {
			s.mu.Lock()
			h.waking = false
			workflow := h.place.workflow
			s.mu.Unlock()
			s.kick(workflow)
		})
	}
	return left
}

// count notes that a run moves, or no longer does.
func (s *lanes) count(h *held, by int) {
	note := func(name string) {
		if s.moving[name] += by; s.moving[name] == 0 {
			delete(s.moving, name)
		}
	}
	for _, l := range h.lanes {
		note(l.name)
	}
	if h.place.atOnce > 0 {
		note("workflow " + h.place.workflow)
	}
	if thread := h.place.thread; thread != "" && by > 0 {
		s.movers[thread] = h.id
	} else if s.movers[thread] == h.id {
		delete(s.movers, thread)
	}
}

// mover is the run that moves in a conversation with a workflow; "" for none.
func (s *lanes) mover(thread string) string {
	s.mu.Lock()
	defer s.mu.Unlock()
	return s.movers[thread]
}

func (s *lanes) unwait(h *held) {
	drop := func(m map[string][]*held, key string) {
		if m[key] = slices.DeleteFunc(m[key], func(o *held) bool { return o == h }); len(m[key]) == 0 {
			delete(m, key)
		}
	}
	drop(s.waits, h.place.workflow)
	if h.place.quietFor > 0 {
		drop(s.quiet, h.place.quietKey())
	}
	for _, l := range h.lanes {
		drop(s.queues, l.name)
	}
}

// leave takes a run out of its place and gives those that may start now.
func (s *lanes) leave(id string) []string {
	s.mu.Lock()
	defer s.mu.Unlock()
	h := s.runs[id]
	if h == nil {
		return nil
	}
	delete(s.runs, id)
	if h.started {
		s.count(h, -1)
	} else {
		s.unwait(h)
	}
	return s.ready(h.place.workflow)
}

// ready starts every waiting run of a workflow that nothing holds back.
func (s *lanes) ready(workflow string) []string {
	var out []string
	at := s.engine.now()
	for _, h := range slices.Clone(s.waits[workflow]) {
		if h.place.atOnce > 0 && s.moving["workflow "+workflow] >= h.place.atOnce {
			break // nobody else can either
		}
		if s.start(h, at) {
			out = append(out, h.id)
		}
	}
	return out
}

// arrived sees to a run that has to wait for quiet: those that came before it
// are not carried out. Which came before is the order of their places, so of
// any number that arrive together the youngest stays.
func (s *lanes) arrived(id string) {
	older, quiet := s.supersedes(id)
	for _, id := range older {
		s.engine.deliver(id, &run.Stop{By: "the workflow", Note: "a newer signal came within " + quiet.String()})
	}
}

// supersedes lists the runs that are not carried out because one came after
// them, and for how long it has to be quiet.
func (s *lanes) supersedes(id string) (older []string, quiet time.Duration) {
	s.mu.Lock()
	defer s.mu.Unlock()
	h := s.runs[id]
	if h == nil || h.started || h.place.quietFor == 0 {
		return nil, 0
	}
	for _, o := range s.quiet[h.place.quietKey()] {
		if o == h {
			break
		}
		older = append(older, o.id)
	}
	return older, h.place.quietFor
}

// again looks at the runs a limit by the minute held back.
func (s *lanes) again(begins *minute) {
	s.mu.Lock()
	begins.woken()
	var of string
	for workflow, b := range s.begins {
		if b == begins {
			of = workflow
		}
	}
	s.mu.Unlock()
	s.kick(of)
}

func (s *lanes) kick(workflow string) {
	if s.engine.ctx.Err() != nil {
		return
	}
	s.mu.Lock()
	next := s.ready(workflow)
	s.mu.Unlock()
	for _, id := range next {
		s.engine.begin(id)
	}
}

// pause holds everything that waits, or lets it go.
func (s *lanes) pause(on bool) {
	s.mu.Lock()
	s.paused = on
	var workflows []string
	for w := range s.waits {
		workflows = append(workflows, w)
	}
	s.mu.Unlock()
	if !on {
		for _, w := range workflows {
			s.kick(w)
		}
	}
}
