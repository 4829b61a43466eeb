package simulation

import (
	"context"
	"fmt"
	"math/rand/v2"
	"strings"
	"time"

	"woolsignal/core/run"
	"woolsignal/server/engine"
	"woolsignal/server/workspace"
)

// leaving makes up that a workflow is switched off for a while, or is published as one
// that does nothing, while its runs go on.
func (w *world) leaving(random *rand.Rand, at func(time.Duration) time.Duration,
	add func(time.Duration, func(*life))) {
	if random.IntN(2) == 0 {
		return
	}
	all := append([]string{}, w.made.workflows...)
	name, from := append(all, w.made.children...)[random.IntN(len(all)+len(w.made.children))], at(afternoon)
	if random.IntN(2) == 0 {
		add(from, func(l *life) { w.turn(l, name, false) })
		add(from+at(20*time.Minute), func(l *life) { w.turn(l, name, true) })
		return
	}
	add(from, func(l *life) { w.publishOne(l, name, stub(w.made.files["workflows/"+name+".yaml"])) })
	add(from+at(20*time.Minute), func(l *life) { w.publishOne(l, name, w.made.files["workflows/"+name+".yaml"]) })
}

// stub is a workflow that is started as before, and waits for nothing.
func stub(text string) string {
	head, _, _ := strings.Cut(text, "\nsteps:\n")
	return head + "\nsteps:\n  - compute: {v: '1'}\n"
}

func (w *world) turn(l *life, name string, on bool) {
	w.callers.Go(func() { _ = l.workspace.Switch(context.Background(), name, on) }) // a spoilt disk refuses
}

// allOn switches everything on.
func (w *world) allOn(l *life) {
	for name, live := range l.workspace.Now().Live {
		if !live.On {
			w.turn(l, name, true)
		}
	}
}

// publishOne makes one workflow live as a text says.
func (w *world) publishOne(l *life, name, text string) {
	w.callers.Go(func() {
		files := map[string]string{}
		for path, was := range l.workspace.Now().Files {
			files[path] = was
		}
		files["workflows/"+name+".yaml"] = text
		_, err := l.workspace.Apply(context.Background(), workspace.Change{Files: files, By: "sim"})
		if err == nil && !l.crashed() {
			_, _, _ = l.workspace.Publish(context.Background(), name, "", "sim") // a spoilt disk refuses
		}
	})
}

// replyToOne has somebody reply to what some run waits for just now.
func (w *world) replyToOne(l *life, which int) {
	asked := w.column(l, "SELECT source || ' ' || key FROM hears WHERE source LIKE '/in/%' ORDER BY run, step")
	if len(asked) == 0 {
		return
	}
	source, key, _ := strings.Cut(asked[which%len(asked)], " ")
	w.replies++
	w.answer(l, strings.TrimPrefix(source, "/in/answers-"), key, fmt.Sprint("reply", w.replies))
}

// try has somebody try a workflow: nothing outside may come of it.
func (w *world) try(l *life, workflow string, n int) {
	w.callers.Go(func() {
		d := &delivery{workflow: workflow, n: n}
		signal := d.signal(strings.Contains(w.made.files["workflows/"+workflow+".yaml"], "chat: {page"))
		_, _ = l.engine.Try(context.Background(), engine.Trial{Workflow: workflow, Signal: signal,
			How: run.Trial{By: "owner@larkrigg.example"}}) // a spoilt disk refuses
	})
}

// cancelOne has somebody take a follow-up back.
func (w *world) cancelOne(l *life, which int) {
	ids := w.column(l, "SELECT id FROM follow_ups ORDER BY id")
	if len(ids) > 0 {
		w.callers.Go(func() { _ = l.engine.CancelFollowUp(context.Background(), ids[which%len(ids)], "Ines") })
	}
}
