package intake

import (
	"context"
	"net"
	"net/http"
	"net/netip"
	"slices"
	"strings"
)

type callerKey struct{}

// Callers finds out whom a request comes from where proxies stand between.
// Only what a trusted proxy says is believed: the Forwarded header (RFC 7239),
// or X-Forwarded-For, is read from the right as long as it names trusted
// proxies, and the first that is none is the caller. What stands further left
// the caller may have made up. Where both headers are there and say different
// things, one of them passed through a proxy that knows it not, and neither is
// believed.
func Callers(trusted []netip.Prefix, next http.Handler) http.Handler {
	if len(trusted) == 0 {
		return next
	}
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		ctx := context.WithValue(r.Context(), callerKey{}, callerOf(r, trusted))
		next.ServeHTTP(w, r.WithContext(ctx))
	})
}

// CallerAddress is where a caller comes from, without the port.
func CallerAddress(r *http.Request) string {
	if caller, ok := r.Context().Value(callerKey{}).(string); ok {
		return caller
	}
	return peer(r)
}

// peer is who is at the other end of the connection.
func peer(r *http.Request) string {
	host, _, err := net.SplitHostPort(r.RemoteAddr)
	if err != nil {
		return r.RemoteAddr
	}
	return host
}

func callerOf(r *http.Request, trusted []netip.Prefix) string {
	last := peer(r)
	if !trusts(trusted, last) {
		return last
	}
	standard, usual := forwarded(r.Header.Values("Forwarded")), listed(r.Header.Values("X-Forwarded-For"))
	switch {
	case len(standard) == 0:
		return walk(usual, last, trusted)
	case len(usual) == 0:
		return walk(standard, last, trusted)
	}
	if one, other := walk(standard, last, trusted), walk(usual, last, trusted); one == other {
		return one
	}
	return last
}

// walk goes from the proxy nearest to us towards the caller.
func walk(hops []string, last string, trusted []netip.Prefix) string {
	for _, hop := range slices.Backward(hops) {
		address, ok := addressOf(hop)
		if !ok {
			return last // a proxy hides whom it speaks for, so it is the one to hold to account
		}
		if last = address; !trusts(trusted, last) {
			return last
		}
	}
	return last
}

func trusts(trusted []netip.Prefix, address string) bool {
	a, err := netip.ParseAddr(address)
	return err == nil && slices.ContainsFunc(trusted, func(p netip.Prefix) bool { return p.Contains(a.Unmap()) })
}

// addressOf reads a hop: an address, with brackets and a port or without.
func addressOf(hop string) (string, bool) {
	if a, err := netip.ParseAddrPort(hop); err == nil {
		return a.Addr().Unmap().WithZone("").String(), true
	}
	a, err := netip.ParseAddr(strings.TrimSuffix(strings.TrimPrefix(hop, "["), "]"))
	return a.Unmap().WithZone("").String(), err == nil
}

// listed reads X-Forwarded-For: addresses, the caller's first.
func listed(values []string) []string {
	var out []string
	for _, hop := range strings.Split(strings.Join(values, ","), ",") {
		if hop = strings.TrimSpace(hop); hop != "" {
			out = append(out, hop)
		}
	}
	return out
}

// forwarded reads the for parameter of each element of Forwarded; "" where an
// element has none.
func forwarded(values []string) []string {
	var out []string
	for _, element := range parted(strings.Join(values, ","), ',') {
		hop := ""
		for _, pair := range parted(element, ';') {
			if name, value, ok := strings.Cut(strings.TrimSpace(pair), "="); ok &&
				strings.EqualFold(strings.TrimSpace(name), "for") {
				hop = strings.Trim(strings.TrimSpace(value), `"`)
			}
		}
		if strings.TrimSpace(element) != "" {
			out = append(out, hop)
		}
	}
	return out
}

// parted parts a header's value, but not within quotes.
func parted(value string, at rune) []string {
	quoted := false
	return strings.FieldsFunc(value, func(r rune) bool {
		if r == '"' {
			quoted = !quoted
		}
		return r == at && !quoted
	})
}
