package intake

import (
	"net/http"

	"golang.org/x/time/rate"

	"woolsignal/server/callers"
	"woolsignal/server/problem"
)

// Limits bound how often one address may be refused at the public addresses,
// and how often it may send what everybody may send.
type Limits struct {
	refused, open *callers.Limit // by caller's address
}

// Each address may be refused so often at once, and once a second after that;
// then it is asked to wait before anything of it is read. Of what anybody may
// send (forms, open chat pages) it may send fewer.
const (
	maxRefused = 200
	maxOpen    = 30
)

// NewLimits makes the limits of all public addresses together.
func NewLimits() *Limits { return &Limits{callers.NewLimit(1), callers.NewLimit(0.5)} }

// of gives what is left to an address.
func (l *Limits) of(r *http.Request) *rate.Limiter { return l.refused.Of(network(r), maxRefused) }

// mayOpen tells whether an address may send something more that needs no key.
func (l *Limits) mayOpen(r *http.Request) bool { return l.open.Of(network(r), maxOpen).Allow() }

func network(r *http.Request) string { return callers.Network(CallerAddress(r)) }

// tooOften asks an address to wait.
func tooOften(w http.ResponseWriter) {
	w.Header().Set("Retry-After", "30")
	problem.Write(w, http.StatusTooManyRequests, "Refused too often",
		"Put right what the last answers said, and send again in half a minute.")
}
