package engine

import (
	"strings"
)

// renamed gives a workflow another name while no run moves: what runs did before is
// queued with the writer before the change, and what they do after it carries the new
// name. Where the change is not written, everything is as it was.
func (e *Engine) renamed(from, to string, write func() error) error {
	e.naming.Lock()
	defer e.naming.Unlock()
	if err := write(); err != nil {
		return err
	}
	e.renames.Add(1) // who read the old name just now reads again
	e.runs.rename(from, to)
	e.lanes.rename(from, to)
	e.budgets.rename(from, to)
	e.aloud.rename(from, to)
	e.Hub.rename(from, to)
	return nil
}

// renamedThread is the key of a conversation with a workflow that has another name now.
func renamedThread(thread, from, to string) string {
	if rest, of := strings.CutPrefix(thread, from+":"); of {
		return to + ":" + rest
	}
	return thread
}

// rename gives the runs in memory the name their workflow has now.
func (r *runs) rename(from, to string) {
	r.mu.Lock()
	defer r.mu.Unlock()
	for _, l := range r.byID {
		if l.workflow() == from {
			l.called(to, renamedThread(l.thread(), from, to))
		}
	}
}

// rename keeps runs behind those they waited behind.
func (s *lanes) rename(from, to string) {
	s.mu.Lock()
	defer s.mu.Unlock()
	for _, h := range s.runs {
		if h.place.workflow == from {
			h.place.workflow, h.place.thread = to, renamedThread(h.place.thread, from, to)
			h.lanes = h.place.strict()
		}
	}
	name := func(lane string) string {
		kind, of, _ := strings.Cut(lane, " ")
		if rest, same := strings.CutPrefix(of, from); same && (rest == "" || strings.ContainsAny(rest[:1], ": ")) {
			return kind + " " + to + rest
		}
		return lane
	}
	rekey(s.moving, name)
	rekey(s.queues, name)
	rekey(s.movers, func(thread string) string { return renamedThread(thread, from, to) })
	workflow := func(w string) string {
		if w == from {
			return to
		}
		return w
	}
	rekey(s.waits, workflow)
	rekey(s.begins, workflow)
	rekey(s.quiet, func(key string) string {
		if rest, of := strings.CutPrefix(key, from+" "); of {
			return to + " " + rest
		}
		return key
	})
}

// rekey gives the keys of a map other names.
func rekey[V any](all map[string]V, name func(string) string) {
	for key, v := range all {
		if now := name(key); now != key {
			delete(all, key)
			all[now] = v
		}
	}
}

// rename has what was put aside of a budget stay aside.
func (b *budgets) rename(from, to string) {
	b.mu.Lock()
	defer b.mu.Unlock()
	b.pages.Add(1)
	for key, p := range b.all {
		if key.workflow == from {
			delete(b.all, key)
			key.workflow = to
			b.all[key] = p
		}
	}
}

// rename has what is being said go on being heard.
func (a *aloud) rename(from, to string) {
	a.mu.Lock()
	defer a.mu.Unlock()
	for _, v := range a.all {
		v.thread = renamedThread(v.thread, from, to)
	}
	rekey(a.all, func(thread string) string { return renamedThread(thread, from, to) })
}

// rename has those who listen to a conversation go on hearing it.
func (h *Hub) rename(from, to string) {
	h.mu.Lock()
	defer h.mu.Unlock()
	rekey(h.threads, func(thread string) string { return renamedThread(thread, from, to) })
}
