package simulation

import (
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"flag"
	"fmt"
	"math/rand/v2"
	"net/url"
	"slices"
	"strings"
	"sync/atomic"
	"testing"
	"testing/synctest"
	"time"

	_ "modernc.org/sqlite" // a second connection, to make writes fail

	"woolsignal/core/run"
	"woolsignal/server/store"
	"woolsignal/server/vault"
	"woolsignal/server/workspace"
)

var (
	seeds   = flag.Int("seeds", fewSeeds, "how many seeds are tried")
	seed    = flag.Uint64("seed", 0, "the one seed that is tried; 0 tries many")
	first   = flag.Uint64("first", 1, "the first of many seeds")
	verbose = flag.Bool("tell", false, "tell what was made up, and what the service logged")
)

// fewSeeds is how many `make test` tries.
const fewSeeds = 250

// atOnce is how many afternoons are lived through at once: each waits half of
// its time for the disk.
const atOnce = 4

// TestSeeds lives through many made-up afternoons.
func TestSeeds(t *testing.T) {
	if underRace && *seeds == fewSeeds && *seed == 0 {
		t.Skip("make soak runs the seeds under the race detector")
	}
	template := t.TempDir()
	s, err := store.Open(context.Background(), template)
	if err != nil {
		t.Fatal(err)
	}
	secrets, err := vault.Open(context.Background(), template, s)
	if err == nil {
		err = secrets.Put(context.Background(), "key", "", signingKey)
	}
	if err != nil {
		t.Fatal(err)
	}
	if err := s.Close(); err != nil {
		t.Fatal(err)
	}
	one := func(t *testing.T, n uint64) bool {
		return t.Run(fmt.Sprint("seed=", n), func(t *testing.T) {
			synctest.Test(t, func(t *testing.T) { simulate(t, n, template) })
		})
	}
	if *seed != 0 {
		one(t, *seed)
		return
	}
	var next atomic.Uint64
	var failed atomic.Bool // one is enough to look into
	next.Store(*first)
	for range atOnce {
		t.Run("", func(t *testing.T) {
			t.Parallel()
			for n := next.Add(1) - 1; n < *first+uint64(*seeds) && !failed.Load(); n = next.Add(1) - 1 {
				failed.CompareAndSwap(false, !one(t, n))
			}
		})
	}
}

// event is something that happens at a time, to whichever life goes on then.
type event struct {
	at time.Duration
	do func(l *life)
}

// afternoon is how long signals come.
const afternoon = 40 * time.Minute

func simulate(t *testing.T, seed uint64, template string) {
	random := rand.New(rand.NewPCG(seed, 1))
	made := makeUp(random)
	w := &world{t: t, seed: seed, random: rand.New(rand.NewPCG(seed, 3)), made: made, book: newBook(seed, made.stingy),
		log: &heard{}, correcting: map[string]bool{}, corrected: map[string]string{},
		journals: map[string][]run.Entry{}}
	folder := t.TempDir()
	copyFiles(t, template, folder)
	l := w.begin(folder, 0)
	w.publish(l, w.made.files)
	l.end(t)
	if *verbose {
		for _, name := range append(slices.Clone(w.made.children), w.made.workflows...) {
			t.Log(w.made.files["workflows/"+name+".yaml"])
		}
	}
	events := w.events(random)
	began, crashes := time.Now(), random.IntN(4)
	crash := func() int {
		if crashes--; crashes < 0 {
			return 0
		}
		return 1 + random.IntN(60)
	}
	l = w.begin(folder, crash())
	again := func() {
		w.troubled = true
		w.callers.Wait()
		l.end(t)
		l = w.begin(l.next, crash())
		w.sendAgain(l)
	}
	for _, e := range events {
		for waiting := true; waiting; {
			select {
			case <-time.After(time.Until(began.Add(e.at))):
				waiting = false
			case <-l.dead:
				again()
			}
		}
		e.do(l)
	}
	w.drain(&l, again)
	w.check(l)
	w.callers.Wait()
	before := w.projections(l)
	folder = l.folder
	l.end(t)
	w.rebuild(folder, before)
	if *verbose {
		t.Log(strings.Join(w.log.all, "\n"))
	}
}

// publish puts files into the service and makes every workflow live.
func (w *world) publish(l *life, files map[string]string) {
	w.t.Helper()
	problems, err := l.workspace.Apply(context.Background(), workspace.Change{Files: files, By: "sim"})
	if err != nil {
		for _, p := range problems {
			w.t.Log(p)
		}
		for path, text := range files {
			if strings.HasPrefix(path, "workflows/") {
				w.t.Log(text)
			}
		}
		w.t.Fatal(err)
	}
	for id := range l.workspace.Now().Workflows {
		if _, _, err := l.workspace.Publish(context.Background(), id, "", "sim"); err != nil {
			w.t.Fatal(err)
		}
	}
}

// events makes up what happens in an afternoon, in order.
func (w *world) events(random *rand.Rand) []event {
	var out []event
	at := func(most time.Duration) time.Duration { return time.Duration(random.Int64N(int64(most))) }
	add := func(when time.Duration, do func(l *life)) { out = append(out, event{when, do}) }
	for i := range 3 + random.IntN(8) {
		workflow := w.made.workflows[random.IntN(len(w.made.workflows))]
		d := &delivery{id: fmt.Sprint("d", i), workflow: workflow, n: i, persists: random.IntN(5) > 0,
			runs: map[string]bool{}}
		w.deliveries = append(w.deliveries, d)
		when := at(afternoon) / time.Minute * time.Minute // some come together
		add(when, func(l *life) { w.deliver(l, d) })
		to := append([]string{workflow}, w.made.children...)
		for i := range 3 { // each a delivery of its own: the same again is nothing new
			one, id := to[random.IntN(len(to))], fmt.Sprint("a", d.n, "-", i)
			add(when+at(20*time.Minute), func(l *life) { w.answer(l, one, fmt.Sprint(d.n), id) })
		}
		if random.IntN(3) == 0 {
			add(when+at(20*time.Minute), func(l *life) { w.deliver(l, d) }) // the same once more
		}
		if random.IntN(3) == 0 { // another about the same, which a step may wait for
			next := &delivery{id: d.id + "-next", workflow: workflow, n: i, persists: true, runs: map[string]bool{}}
			w.deliveries = append(w.deliveries, next)
			add(when+at(20*time.Minute), func(l *life) { w.deliver(l, next) })
		}
	}
	for range 25 {
		chance := random.Float64()
		add(at(afternoon+10*time.Minute), func(l *life) { w.decide(l, chance) })
	}
	for range random.IntN(3) {
		which := random.IntN(100)
		add(at(afternoon), func(l *life) { w.stopOne(l, which) })
	}
	if random.IntN(3) == 0 {
		from := at(afternoon)
		add(from, func(l *life) { w.pause(l, true) })
		add(from+at(5*time.Minute), func(l *life) { w.pause(l, false) })
	}
	if random.IntN(2) == 0 {
		from := at(afternoon)
		table := []string{"journal", "runs", "inbox", "deliveries"}[random.IntN(4)]
		w.troubled = true
		add(from, func(l *life) { spoil(w.t, l.store, table) })
		add(from+at(2*time.Minute), func(l *life) { unspoil(w.t, l.store) })
	}
	if random.IntN(2) == 0 {
		add(at(afternoon), w.another)
	}
	w.leaving(random, at, add)
	if random.IntN(4) == 0 { // somebody sees that the clock is an hour ahead
		w.putBack = true
		w.ahead.Store(int64(time.Hour))
		add(at(afternoon), func(*life) { w.ahead.Store(0) })
	}
	for range 8 {
		which := random.IntN(100)
		add(at(afternoon+20*time.Minute), func(l *life) { w.replyToOne(l, which) })
	}
	for range random.IntN(3) {
		workflow, n := w.made.workflows[random.IntN(len(w.made.workflows))], random.IntN(10)
		add(at(afternoon), func(l *life) { w.try(l, workflow, n) })
	}
	for range random.IntN(3) {
		which := random.IntN(100)
		add(at(afternoon), func(l *life) { w.cancelOne(l, which) })
	}
	for range random.IntN(4) {
		which := random.IntN(100)
		add(at(afternoon+20*time.Minute), func(l *life) { w.correctOne(l, which) })
	}
	slices.SortStableFunc(out, func(a, b event) int { return int(a.at - b.at) })
	return out
}

// another makes another version of every workflow live.
func (w *world) another(l *life) {
	files := map[string]string{}
	for path, text := range w.made.files {
		if strings.HasPrefix(path, "workflows/") {
			text += "  - label: {as: [second]}\n"
		}
		files[path] = text
	}
	w.callers.Go(func() {
		_, err := l.workspace.Apply(context.Background(), workspace.Change{Files: files, By: "sim"})
		for id := range files {
			if name, ok := strings.CutPrefix(id, "workflows/"); ok && err == nil && !l.crashed() {
				// a spoilt disk refuses
				_, _, _ = l.workspace.Publish(context.Background(), strings.TrimSuffix(name, ".yaml"), "", "sim")
			}
		}
	})
}

func (w *world) pause(l *life, on bool) {
	w.callers.Go(func() { _ = l.engine.Pause(context.Background(), on) })
}

// stopOne stops an open run.
func (w *world) stopOne(l *life, which int) {
	ids := w.column(l, "SELECT id FROM runs WHERE ended IS NULL ORDER BY id")
	if len(ids) == 0 {
		return
	}
	w.callers.Go(func() {
		_ = l.engine.StopRun(context.Background(), ids[which%len(ids)], run.Stop{By: "Ines"})
	})
}

// decide has people answer some of what is asked, sometimes two at once. Of a
// call in doubt they look into the peers' book.
func (w *world) decide(l *life, chance float64) {
	for i, text := range w.column(l, "SELECT review FROM reviews WHERE decided IS NULL ORDER BY asked, id") {
		var r run.Review
		if err := json.Unmarshal([]byte(text), &r); err != nil {
			w.t.Fatal(err)
		}
		if float64((i*37+int(chance*100))%100)/100 > 0.6 {
			continue
		}
		choice := r.Choices[int(chance*1000)%len(r.Choices)]
		if args, _ := r.Show.(map[string]any); r.Kind == run.OfDoubt {
			token, _ := args["token"].(string)
			if message, is := args["message"].(string); is {
				token = message
			}
			if w.book.done(token) {
				choice = run.Happened
			} else if choice == run.Happened {
				choice = run.SendAgain
			}
		}
		for range 1 + int(chance*10)%2 {
			w.callers.Go(func() {
				id := w.column(l, "SELECT run FROM reviews WHERE id = ?", r.ID)
				err := l.engine.Decide(context.Background(), id[0],
					run.Decided{Review: r.ID, Choice: choice, By: "Tobias", Note: "So be it."})
				var refused *run.Refused
				if errors.As(err, &refused) {
					w.t.Errorf("a decision was refused: %v", err)
				}
			})
		}
	}
}

// column reads texts.
func (w *world) column(l *life, query string, args ...any) []string {
	w.t.Helper()
	rows, err := l.store.Read().Query(query, args...)
	if err != nil {
		w.t.Fatal(err)
	}
	defer rows.Close()
	var out []string
	for rows.Next() {
		var one string
		if err := rows.Scan(&one); err != nil {
			w.t.Fatal(err)
		}
		out = append(out, one)
	}
	return out
}

// sendAgain has those who were told nothing send again, after a crash.
func (w *world) sendAgain(l *life) {
	w.mu.Lock()
	var open []*delivery
	for _, d := range w.deliveries {
		if d.persists && !d.taken && d.sent {
			open = append(open, d)
		}
	}
	w.mu.Unlock()
	for _, d := range open {
		w.deliver(l, d)
	}
}

// drain lets everything come to its end: nothing fails any more, people answer,
// and hours pass, as long as anything moves: nothing waits for longer than half
// an hour, or an hour more where the clock was put back.
func (w *world) drain(l **life, again func()) {
	before := ""
	for still := 0; still < 15; still++ {
		if (*l).crashed() {
			again()
		}
		w.book.settle()
		unspoil(w.t, (*l).store)
		w.pause(*l, false)
		w.allOn(*l)
		w.decide(*l, 0.001)
		select {
		case <-time.After(10 * time.Minute):
		case <-(*l).dead:
			continue
		}
		if now := fmt.Sprint(w.column(*l, "SELECT max(n) FROM journal")); now != before {
			before, still = now, 0
		}
		if len(w.column(*l, "SELECT id FROM runs WHERE ended IS NULL")) == 0 &&
			len(w.column(*l, "SELECT id FROM follow_ups")) == 0 &&
			len(w.column(*l, "SELECT id FROM inbox WHERE state = 'new'")) == 0 {
			break
		}
	}
	synctest.Wait()
}

// spoil makes writes to a table fail, as a full disk does.
func spoil(t *testing.T, s *store.Store, table string) {
	execute(t, s, "CREATE TRIGGER IF NOT EXISTS spoilt BEFORE INSERT ON "+table+
		" BEGIN SELECT RAISE(ABORT, 'the disk is full'); END")
}

func unspoil(t *testing.T, s *store.Store) { execute(t, s, "DROP TRIGGER IF EXISTS spoilt") }

func execute(t *testing.T, s *store.Store, statement string) {
	t.Helper()
	db, err := sql.Open("sqlite", "file:"+(&url.URL{Path: s.Path()}).EscapedPath()+"?_pragma=busy_timeout(5000)")
	if err != nil {
		t.Fatal(err)
	}
	defer db.Close()
	if _, err := db.Exec(statement); err != nil {
		t.Fatal(err)
	}
}
