// Package callers counts what each caller does, so that one who does too much
// is asked to wait and nobody else is.
package callers

import (
	"net/netip"
	"sync"

	lru "github.com/hashicorp/golang-lru/v2/simplelru"
	"golang.org/x/time/rate"
)

// mostKnown bounds how many callers are remembered. Where there are more, the
// one that was there longest ago is forgotten, and no other.
const mostKnown = 10_000

// Limit allows each caller some acts at once, and more as time goes by.
type Limit struct {
	mu    sync.Mutex // guards known
	known *lru.LRU[string, *rate.Limiter]
	every rate.Limit
}

// NewLimit makes a limit under which what a caller may do comes back at some
// rate a second.
func NewLimit(every rate.Limit) *Limit {
	known, err := lru.NewLRU[string, *rate.Limiter](mostKnown, nil)
	if err != nil {
		panic(err) // only for a size that is none
	}
	return &Limit{known: known, every: every}
}

// Of gives what is left to a caller, of what it may do at once.
func (l *Limit) Of(caller string, atOnce int) *rate.Limiter {
	l.mu.Lock()
	defer l.mu.Unlock()
	left, known := l.known.Get(caller)
	if !known {
		left = rate.NewLimiter(l.every, atOnce)
		l.known.Add(caller, left)
	}
	return left
}

// Network is what the callers of one connection to the internet share: an IPv4
// address, or the 64 bits an IPv6 household has (RFC 6177), in which it may take
// any address it likes.
func Network(address string) string {
	a, err := netip.ParseAddr(address)
	if err != nil || !a.Is6() || a.Is4In6() {
		return address
	}
	p, err := a.WithZone("").Prefix(64)
	if err != nil {
		return address
	}
	return p.String()
}
