package intake

import (
	"net/http"
	"sync"

	"golang.org/x/time/rate"

	"woolsignal/server/problem"
)

// Limits bound how often one address may be refused at the public addresses,
// and how often it may send what everybody may send.
type Limits struct {
	mu      sync.Mutex               // guards what follows
	refused map[string]*rate.Limiter // by caller's address
	open    map[string]*rate.Limiter
}

// Each address may be refused so often at once, and once a second after that;
// then it is asked to wait before anything of it is read. Of what anybody may
// send (forms, open chat pages) it may send fewer.
const (
	maxRefused = 200
	maxOpen    = 30
	mostKnown  = 10_000
)

// of gives what is left to an address.
func (l *Limits) of(r *http.Request) *rate.Limiter {
	l.mu.Lock()
	defer l.mu.Unlock()
	return known(&l.refused, CallerAddress(r), rate.NewLimiter(1, maxRefused))
}

// mayOpen tells whether an address may send something more that needs no key.
func (l *Limits) mayOpen(r *http.Request) bool {
	l.mu.Lock()
	defer l.mu.Unlock()
	return known(&l.open, CallerAddress(r), rate.NewLimiter(0.5, maxOpen)).Allow()
}

func known(all *map[string]*rate.Limiter, address string, fresh *rate.Limiter) *rate.Limiter {
	if *all == nil || len(*all) > mostKnown {
		*all = map[string]*rate.Limiter{}
	}
	l, ok := (*all)[address]
	if !ok {
		l = fresh
		(*all)[address] = l
	}
	return l
}

// tooOften asks an address to wait.
func tooOften(w http.ResponseWriter) {
	w.Header().Set("Retry-After", "30")
	problem.Write(w, http.StatusTooManyRequests, "Refused too often",
		"Put right what the last answers said, and send again in half a minute.")
}
