package engine

import (
	"slices"
	"sync"
	"time"

	"woolsignal/core/flow"
	"woolsignal/core/run"
)

// maxErrands is how many errands are on their way at once.
const maxErrands = 1024

// dispatcher sends errands, turn by turn among workflows, so that a busy one
// does not starve the others, and within the limits of their connections.
type dispatcher struct {
	engine *Engine
	mu     sync.Mutex // guards what follows
	paused bool
	out    int                // errands on their way
	queues map[string][]ready // by workflow
	turns  []string           // workflows with errands, whose turn is next first
	peers  map[string]*peer   // connections with limits, by id
	flying map[string]int     // errands this process has, queued or on their way
	spare  chan ready         // to goroutines that did an errand and wait for another
}

// ready is an errand that may be sent.
type ready struct {
	run.Errand
	workflow string
	peer     string // the connection it uses, where that has limits
	limits   flow.ConnectionLimits
}

// peer is what is going on with a connection.
type peer struct {
	out  int
	sent minute
}

func newDispatcher(e *Engine) *dispatcher {
	return &dispatcher{engine: e, queues: map[string][]ready{}, peers: map[string]*peer{}, flying: map[string]int{},
		spare: make(chan ready)}
}

// submit sends an errand as soon as it is its turn.
func (d *dispatcher) submit(workflow string, errand run.Errand) {
	r := ready{Errand: errand, workflow: workflow}
	if c := d.engine.connectionOf(errand); c != nil && c.Limits != (flow.ConnectionLimits{}) {
		r.peer, r.limits = c.ID, c.Limits
	}
	d.mu.Lock()
	d.flying[flight(errand)]++
	d.mu.Unlock()
	d.queue(r)
}

func (d *dispatcher) queue(r ready) {
	d.mu.Lock()
	if len(d.queues[r.workflow]) == 0 {
		d.turns = append(d.turns, r.workflow)
	}
	d.queues[r.workflow] = append(d.queues[r.workflow], r)
	d.mu.Unlock()
	d.pump()
}

// flight names an errand among those of this process.
func flight(e run.Errand) string {
	switch e.Task.(type) {
	case *run.Cancel:
		return "cancel " + e.Key()
	case *run.Listen:
		return "listen " + e.Key()
	}
	return e.Key()
}

// has tells whether this process has an errand, queued or on its way: its
// answer will come, and is nobody else's business.
func (d *dispatcher) has(e run.Errand) bool {
	d.mu.Lock()
	defer d.mu.Unlock()
	return d.flying[flight(e)] > 0
}

// pump sends what can be sent.
func (d *dispatcher) pump() {
	for r, ok := d.claim(); ok; r, ok = d.claim() {
		select {
		case d.spare <- r:
		default:
			d.engine.working.Go(func() { d.work(r) })
		}
	}
}

// idleFor is how long a goroutine waits for another errand: a new one would
// have to grow its stack, which is a twentieth of what a run with a tool costs.
const idleFor = time.Second

// work does an errand, and then whatever else can be done.
func (d *dispatcher) work(r ready) {
	for {
		d.done(r, d.engine.try(r.Errand))
		var ok bool
		if r, ok = d.claim(); ok {
			continue
		}
		select {
		case r = <-d.spare:
		case <-time.After(idleFor):
			return
		case <-d.engine.ctx.Done():
			return
		}
	}
}

// claim takes the next errand that can be sent, while the engine works.
func (d *dispatcher) claim() (ready, bool) {
	d.mu.Lock()
	defer d.mu.Unlock()
	if d.engine.ctx.Err() != nil {
		return ready{}, false
	}
	return d.next()
}

// next takes the first errand whose connection is free from the workflow
// whose turn it is.
func (d *dispatcher) next() (ready, bool) {
	if d.paused || d.out >= maxErrands {
		return ready{}, false
	}
	for i, workflow := range d.turns {
		queue := d.queues[workflow]
		at := slices.IndexFunc(queue, d.free)
		if at < 0 {
			continue
		}
		r := queue[at]
		d.queues[workflow] = slices.Delete(queue, at, at+1)
		d.turns = slices.Delete(d.turns, i, i+1)
		if len(d.queues[workflow]) > 0 {
			d.turns = append(d.turns, workflow)
		} else {
			delete(d.queues, workflow)
		}
		d.out++
		if r.peer != "" {
			p := d.peers[r.peer]
			p.out++
			p.sent.took(time.Now())
		}
		return r, true
	}
	return ready{}, false
}

// free tells whether an errand's connection has room for it.
func (d *dispatcher) free(r ready) bool {
	if r.peer == "" {
		return true
	}
	p := d.peers[r.peer]
	if p == nil {
		p = &peer{}
		d.peers[r.peer] = p
	}
	if r.limits.AtOnce > 0 && p.out >= r.limits.AtOnce {
		return false
	}
	return r.limits.PerMinute == 0 || p.sent.room(time.Now(), r.limits.PerMinute, func() {
		d.mu.Lock()
		p.sent.woken()
		d.mu.Unlock()
		d.pump()
	})
}

// againAfter is how long an errand waits that could not be done yet.
const againAfter = time.Second

// done makes room for others. An errand that could not be done yet is queued
// again, without keeping a place meanwhile. Whoever calls sends the next.
func (d *dispatcher) done(r ready, again bool) {
	d.mu.Lock()
	d.out--
	if r.peer != "" {
		d.peers[r.peer].out--
	}
	if name := flight(r.Errand); !again {
		if d.flying[name]--; d.flying[name] == 0 {
			delete(d.flying, name)
		}
	}
	d.mu.Unlock()
	if again {
		time.AfterFunc(againAfter, func() { d.queue(r) })
	}
}

// pause holds errands back that are not on their way yet, or lets them go.
func (d *dispatcher) pause(on bool) {
	d.mu.Lock()
	d.paused = on
	d.mu.Unlock()
	d.pump()
}

// connectionOf finds the connection an errand uses; nil where it uses none.
func (e *Engine) connectionOf(errand run.Errand) *flow.Connection {
	s := e.workspace.Now()
	switch task := errand.Task.(type) {
	case *run.Ask:
		c, _, _ := s.FindModel(task.Model)
		return c
	case *run.Call:
		if t, ok := s.Tools.Find(task.Tool); ok {
			return s.Connections[t.Connection]
		}
	}
	return nil
}
