package simulation

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"math/rand/v2"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/go-chi/chi/v5"
	webhooks "github.com/standard-webhooks/standard-webhooks/libraries/go"

	"woolsignal/core/run"
	"woolsignal/server/engine"
	"woolsignal/server/intake"
	"woolsignal/server/oauth"
	"woolsignal/server/store"
	"woolsignal/server/tool"
	"woolsignal/server/vault"
	"woolsignal/server/workspace"
)

// life is the service from one start to its end: it stops in order, or in the
// middle of a commit.
type life struct {
	store     *store.Store
	workspace *workspace.Holder
	engine    *engine.Engine
	hooks     http.Handler // where deliveries from outside come in
	folder    string
	dead      chan struct{} // closed at the moment of the crash
	next      string        // folder with the files as they were then
}

// scripts runs the scripts of the simulation: each gives the n it was given.
type scripts struct {
	mu     sync.Mutex
	random *rand.Rand
}

func (s *scripts) Run(ctx context.Context, _ string, inputs map[string]any, within time.Duration) (any, error) {
	s.mu.Lock()
	takes, fails := time.Duration(s.random.IntN(8000))*time.Millisecond, s.random.IntN(8) == 0
	s.mu.Unlock()
	select {
	case <-time.After(min(takes, within)):
	case <-ctx.Done():
		return nil, ctx.Err()
	}
	if fails || takes > within {
		return nil, errors.New("the script failed")
	}
	return map[string]any{"n": inputs["n"]}, nil
}

// begin starts the service on a folder. After so many commits, where that is
// not 0, it crashes: what is on the disk then is all that is left.
func (w *world) begin(folder string, crashAfter int) *life {
	w.t.Helper()
	l := w.open(folder)
	commits := 0
	l.store.Watch(func() {
		if commits++; commits != crashAfter || crashAfter == 0 {
			return
		}
		l.next = w.t.TempDir()
		copyFiles(w.t, folder, l.next)
		close(l.dead)
	})
	if err := l.engine.Start(context.Background()); err != nil {
		w.t.Fatal(err)
	}
	return l
}

// open puts the service together without setting it going.
func (w *world) open(folder string) *life {
	w.t.Helper()
	ctx := context.Background()
	l := &life{folder: folder, dead: make(chan struct{})}
	var err error
	if l.store, err = store.Open(ctx, folder); err != nil {
		w.t.Fatal(err)
	}
	unspoil(w.t, l.store)
	secrets, err := vault.Open(ctx, folder, l.store)
	if err != nil {
		w.t.Fatal(err)
	}
	kit := tool.NewKit(l.store, secrets, &oauth.Keeper{Store: l.store, Secrets: secrets})
	kit.Peers = &peers{w.book, l.dead}
	if l.workspace, err = workspace.Open(ctx, l.store, kit, secrets, nil); err != nil {
		w.t.Fatal(err)
	}
	l.engine = engine.New(l.store, l.workspace, kit, secrets, &scripts{random: rand.New(rand.NewPCG(w.seed, 11))},
		slog.New(w.log))
	l.engine.Now = w.now
	doors := chi.NewRouter()
	doors.Handle("/in/{path}", &intake.Webhooks{Workspace: l.workspace, Engine: l.engine, Kit: kit, Secrets: secrets,
		Log: slog.New(w.log), Limits: intake.NewLimits()})
	l.hooks = doors
	return l
}

// end stops the service, at once where it crashed.
func (l *life) end(t *testing.T) {
	ctx, cancel := context.WithTimeout(context.Background(), time.Minute)
	if l.crashed() {
		cancel()
	}
	l.engine.Stop(ctx)
	cancel()
	l.engine.Stop(context.Background()) // whatever it was about is given up
	if err := l.store.Close(); err != nil {
		t.Fatal(err)
	}
}

func (l *life) crashed() bool {
	select {
	case <-l.dead:
		return true
	default:
		return false
	}
}

func copyFiles(t *testing.T, from, to string) {
	t.Helper()
	for _, name := range []string{store.FileName, store.FileName + "-wal", vault.KeyFile} {
		in, err := os.Open(filepath.Join(from, name))
		if errors.Is(err, os.ErrNotExist) {
			continue
		} else if err != nil {
			t.Fatal(err)
		}
		out, err := os.Create(filepath.Join(to, name))
		if err == nil {
			_, err = io.Copy(out, in)
			err = errors.Join(err, out.Close())
		}
		if err := errors.Join(err, in.Close()); err != nil {
			t.Fatal(err)
		}
	}
}

// delivery is a signal as the outside knows it.
type delivery struct {
	id, workflow string
	n            int
	persists     bool            // somebody sends it again until it is taken in
	sent         bool            // somebody has sent it
	taken        bool            // somebody was told that it was
	runs         map[string]bool // which run whoever was told was told of
}

func (d *delivery) signal(chat bool) *run.Signal {
	s := &run.Signal{ID: d.id, Source: "/in/" + d.workflow, Type: "x", Time: time.Now().UTC(), Kind: "webhook",
		Trigger: "in", Subject: fmt.Sprint(d.n), Body: map[string]any{"n": int64(d.n)}}
	if chat {
		s.Kind, s.Source, s.Thread, s.Text, s.Body = "chat", "/chat/"+
			d.workflow, "t", strings.Repeat("a", d.n), map[string]any{}
	}
	return s
}

// world is all there is but the service.
type world struct {
	t      *testing.T
	seed   uint64
	random *rand.Rand
	made   made
	book   *book
	log    *heard

	mu         sync.Mutex
	deliveries []*delivery
	answers    []answered
	replies    int               // so far; events alone touch it
	troubled   bool              // the service crashed or its disk was full
	ahead      atomic.Int64      // how far the service's clock is ahead, in nanoseconds
	putBack    bool              // it is put right in the middle of the afternoon
	correcting map[string]bool   // the facts somebody set out to correct; events alone touch it
	corrected  map[string]string // and what those say that they did; "" is removed
	callers    sync.WaitGroup
	journals   map[string][]run.Entry // of runs, once all have ended; the check alone touches it
}

// send has one caller send a delivery, who may leave before the answer comes.
// It tells whether it was taken in.
func (w *world) send(l *life, d *delivery, patience time.Duration) bool {
	ctx := context.Background()
	if patience >= 0 {
		limited, leave := context.WithTimeout(ctx, patience)
		defer leave()
		if ctx = limited; patience == 0 {
			go leave()
		}
	}
	ticket, err := l.engine.Receive(ctx, d.workflow, d.signal(slices.Contains(w.made.chats, d.workflow)))
	if l.crashed() {
		return false // nobody hears an answer of a service that is gone
	}
	w.mu.Lock()
	defer w.mu.Unlock()
	switch {
	case err == nil:
		d.taken = true
		d.runs[ticket.Run] = true
	case errors.Is(err, workspace.ErrOff): // somebody switched it off
	case ctx.Err() == nil && !errors.Is(err, engine.ErrBusy) && !strings.Contains(err.Error(), "the disk is full"):
		w.t.Errorf("the delivery %s: %v", d.id, err)
	}
	return err == nil
}

// deliver has callers send a delivery: at once, again after a while, some who
// leave, until one is told that it was taken in.
func (w *world) deliver(l *life, d *delivery) {
	leavers, between := w.dice(3), w.dice(2)
	w.mu.Lock()
	d.sent = true
	w.mu.Unlock()
	for range leavers {
		w.callers.Go(func() { w.send(l, d, time.Duration(between)*time.Millisecond) })
	}
	if !d.persists {
		return
	}
	w.callers.Go(func() {
		for !l.crashed() && !w.send(l, d, -1) {
			select {
			case <-time.After(3 * time.Second):
			case <-l.dead:
			}
		}
	})
}

// now is the time of day by the clock of the service's machine.
func (w *world) now() time.Time { return time.Now().Add(time.Duration(w.ahead.Load())) }

func (w *world) dice(n int) int {
	w.mu.Lock()
	defer w.mu.Unlock()
	return w.random.IntN(n)
}

// answered is what somebody sent that a waiting step may hear, and what they were told.
type answered struct {
	id, to, key   string
	sent, replied time.Time
	status        int
}

// answer has somebody send what a waiting step may hear, through the door.
// key is a number, as a text.
func (w *world) answer(l *life, workflow, key, id string) {
	w.callers.Go(func() {
		body := fmt.Appendf(nil, `{"n": %s}`, key)
		hook, err := webhooks.NewWebhook(signingKey)
		if err != nil {
			w.t.Error(err)
			return
		}
		a := answered{id: id, to: "/in/answers-" + workflow, key: key, sent: w.now()}
		signature, err := hook.Sign(id, time.Now(), body)
		if err != nil {
			w.t.Error(err)
			return
		}
		r := httptest.NewRequest(http.MethodPost, a.to, bytes.NewReader(body))
		r.Header.Set("Content-Type", "application/json")
		r.Header.Set("webhook-id", id)
		r.Header.Set("webhook-timestamp", fmt.Sprint(time.Now().Unix()))
		r.Header.Set("webhook-signature", signature)
		reply := httptest.NewRecorder()
		l.hooks.ServeHTTP(reply, r)
		if l.crashed() {
			return // nobody hears an answer of a service that is gone
		}
		a.replied, a.status = w.now(), reply.Code
		w.mu.Lock()
		defer w.mu.Unlock()
		w.answers = append(w.answers, a)
	})
}

// signingKey verifies what is sent as an answer.
const signingKey = "whsec_MfKQ9r8GKYqrTwjUPD8ILPZIo2LaLaSw"

// heard is the service's log, of which faults are remembered.
type heard struct {
	mu     sync.Mutex
	faults []string
	all    []string
}

func (h *heard) Enabled(_ context.Context, level slog.Level) bool { return level >= slog.LevelError }
func (h *heard) WithAttrs([]slog.Attr) slog.Handler               { return h }
func (h *heard) WithGroup(string) slog.Handler                    { return h }
func (h *heard) Handle(_ context.Context, r slog.Record) error {
	text := r.Message
	r.Attrs(func(a slog.Attr) bool { text += fmt.Sprint(" ", a.Key, "=", a.Value); return true })
	h.mu.Lock()
	defer h.mu.Unlock()
	if h.all = append(h.all, text); strings.Contains(r.Message, "itself went wrong") {
		h.faults = append(h.faults, text)
	}
	return nil
}
