// Package ledger is what every stand-in has: a record of the requests it
// was sent, and orders to misbehave.
package ledger

import (
	"bytes"
	"encoding/json"
	"io"
	"net/http"
	"strings"
	"sync"
	"time"
)

// Entry is one request that was answered, or was about to be.
type Entry struct {
	At     time.Time `json:"at"`
	Method string    `json:"method"`
	Path   string    `json:"path"`
	Status int       `json:"status"`
	Key    string    `json:"key,omitempty"` // Idempotency-Key
}

// Order tells a stand-in to misbehave.
type Order struct {
	Match  string `json:"match"`  // "METHOD /path" holds this text
	Times  int    `json:"times"`  // how often
	Delay  string `json:"delay"`  // wait so long, as in 3s
	After  bool   `json:"after"`  // wait after the work is done rather than before
	Status int    `json:"status"` // answer this instead of doing anything
	Body   string `json:"body"`   // with these words
	Cut    bool   `json:"cut"`    // close the connection instead of answering
}

// Ledger records and misbehaves. Its own addresses are GET /_ledger and
// POST /_misbehave.
type Ledger struct {
	mu      sync.Mutex // guards what follows
	entries []Entry
	orders  []*Order
	next    http.Handler
}

// Wrap puts a ledger in front of a stand-in.
func Wrap(next http.Handler) *Ledger { return &Ledger{next: next} }

func (l *Ledger) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	switch r.URL.Path {
	case "/_ledger":
		l.mu.Lock()
		defer l.mu.Unlock()
		w.Header().Set("Content-Type", "application/json")
		_ = json.NewEncoder(w).Encode(l.entries)
		return
	case "/_misbehave":
		var o Order
		if err := json.NewDecoder(r.Body).Decode(&o); err != nil {
			http.Error(w, err.Error(), http.StatusBadRequest)
			return
		}
		l.mu.Lock()
		defer l.mu.Unlock()
		l.orders = append(l.orders, &o)
		w.WriteHeader(http.StatusNoContent)
		return
	}
	order := l.order(r)
	delay, _ := time.ParseDuration(order.Delay)
	if !order.After {
		wait(r, delay)
	}
	if order.Cut {
		l.note(r, 0)
		panic(http.ErrAbortHandler)
	}
	if order.Status != 0 {
		l.note(r, order.Status)
		w.Header().Set("Content-Type", "application/json")
		w.WriteHeader(order.Status)
		_, _ = io.WriteString(w, order.Body)
		return
	}
	if !order.After {
		seen := &status{ResponseWriter: w, code: http.StatusOK}
		l.next.ServeHTTP(seen, r)
		l.note(r, seen.code)
		return
	}
	held := &recorder{header: http.Header{}, code: http.StatusOK}
	l.next.ServeHTTP(held, r)
	l.note(r, held.code)
	wait(r, delay)
	for k, v := range held.header {
		w.Header()[k] = v
	}
	w.WriteHeader(held.code)
	_, _ = w.Write(held.body.Bytes())
}

// wait waits as long as told, or until the caller is gone.
func wait(r *http.Request, d time.Duration) {
	if d <= 0 {
		return
	}
	select {
	case <-time.After(d):
	case <-r.Context().Done():
	}
}

// order takes the order that is for a request; an empty one where none is.
func (l *Ledger) order(r *http.Request) Order { return l.Take(r.Method + " " + r.URL.Path) }

// Take takes the order that is for something a stand-in is asked by another
// protocol than HTTP, such as "SMTP DATA"; an empty one where none is.
func (l *Ledger) Take(what string) Order {
	l.mu.Lock()
	defer l.mu.Unlock()
	for _, o := range l.orders {
		if o.Times > 0 && strings.Contains(what, o.Match) {
			o.Times--
			return *o
		}
	}
	return Order{}
}

func (l *Ledger) note(r *http.Request, code int) {
	l.Note(Entry{time.Now(), r.Method, r.URL.Path, code, r.Header.Get("Idempotency-Key")})
}

// Note writes something down that was asked by another protocol than HTTP.
func (l *Ledger) Note(e Entry) {
	l.mu.Lock()
	defer l.mu.Unlock()
	l.entries = append(l.entries, e)
}

// status remembers what was answered.
type status struct {
	http.ResponseWriter
	code int
}

func (s *status) WriteHeader(code int) {
	s.code = code
	s.ResponseWriter.WriteHeader(code)
}

// Unwrap lets a stand-in flush.
func (s *status) Unwrap() http.ResponseWriter { return s.ResponseWriter }

// recorder holds an answer back.
type recorder struct {
	header http.Header
	code   int
	body   bytes.Buffer
}

func (r *recorder) Header() http.Header         { return r.header }
func (r *recorder) WriteHeader(code int)        { r.code = code }
func (r *recorder) Write(p []byte) (int, error) { return r.body.Write(p) }
