// Package egress is the only way out: every client that talks to an outside
// service dials through its guard.
//
// A connection talks to its own host and no other. The address that is really
// dialled is checked, after name resolution, so a public name that points at
// a private machine is caught. Proxy settings of the environment are ignored,
// redirects to other hosts are refused, and answers have a size limit.
package egress

import (
	"errors"
	"fmt"
	"io"
	"net"
	"net/http"
	"net/netip"
	"net/url"
	"slices"
	"syscall"
	"time"

	"woolsignal/core/flow"
)

// MaxAnswer is how many bytes of an answer are read.
const MaxAnswer = 8 << 20

// ErrTooLarge says that an answer is larger than [MaxAnswer].
var ErrTooLarge = fmt.Errorf("the answer is larger than %d MiB", MaxAnswer>>20)

// BlockedError says that an address may not be dialled.
type BlockedError struct {
	Address netip.Addr
	Kind    string // loopback, private, …
}

func (e *BlockedError) Error() string {
	return fmt.Sprintf("%s is a %s address; a connection reaches such a network only when its file names it under networks:", e.Address, e.Kind)
}

// carrierShared and the others are ranges netip has no name for.
var special = []struct {
	prefix netip.Prefix
	kind   string
}{
	{netip.MustParsePrefix("0.0.0.0/8"), "this-network"},
	{netip.MustParsePrefix("100.64.0.0/10"), "shared"}, // RFC 6598
	{netip.MustParsePrefix("192.0.0.0/24"), "protocol-assignment"},
	{netip.MustParsePrefix("198.18.0.0/15"), "benchmarking"},
	{netip.MustParsePrefix("240.0.0.0/4"), "reserved"},
	{netip.MustParsePrefix("fec0::/10"), "site-local"},
	{netip.MustParsePrefix("100::/64"), "discard-only"},
}

// translated are ranges that carry an IPv4 address inside an IPv6 one, and
// the byte it starts at.
var translated = []struct {
	prefix netip.Prefix
	at     int
}{
	{netip.MustParsePrefix("64:ff9b::/96"), 12},   // RFC 6052
	{netip.MustParsePrefix("64:ff9b:1::/48"), 12}, // RFC 8215
	{netip.MustParsePrefix("2002::/16"), 2},       // 6to4, RFC 3056
	{netip.MustParsePrefix("::/96"), 12},          // IPv4-compatible, RFC 4291
}

// kind names what keeps an address from being public; "" for public ones.
func kind(a netip.Addr) string {
	a = a.Unmap().WithZone("")
	switch {
	case a.IsLoopback():
		return "loopback"
	case a.IsUnspecified():
		return "unspecified"
	case a.IsPrivate():
		return "private"
	case a.IsLinkLocalUnicast(), a.IsLinkLocalMulticast(), a.IsInterfaceLocalMulticast():
		return "link-local"
	case a.IsMulticast():
		return "multicast"
	}
	for _, s := range special {
		if s.prefix.Contains(a) {
			return s.kind
		}
	}
	if a.Is6() {
		for _, t := range translated {
			if t.prefix.Contains(a) {
				b := a.As16()
				return kind(netip.AddrFrom4([4]byte(b[t.at : t.at+4])))
			}
		}
	}
	return ""
}

// Check tells whether an address may be dialled, given the networks a
// connection names: loopback, private, or a CIDR.
func Check(a netip.Addr, networks []string) error {
	k := kind(a)
	if k == "" || slices.Contains(networks, k) && (k == "loopback" || k == "private") {
		return nil
	}
	for _, n := range networks {
		if p, err := netip.ParsePrefix(n); err == nil && p.Contains(a.Unmap()) {
			return nil
		}
	}
	return &BlockedError{Address: a, Kind: k}
}

// Dialer gives a dialer that checks the address it really dials.
func Dialer(networks []string) *net.Dialer {
	return &net.Dialer{Timeout: 10 * time.Second, KeepAlive: 30 * time.Second,
		Control: func(_, address string, _ syscall.RawConn) error {
			a, err := netip.ParseAddrPort(address)
			if err != nil {
				return fmt.Errorf("%s is no address: %w", address, err)
			}
			return Check(a.Addr(), networks)
		}}
}

// Client gives the HTTP client of one connection. secret is asked for each
// request, so a replaced secret is used at once. peers answers inside this
// process where it is not nil.
func Client(c *flow.Connection, secret func() (string, error), peers http.RoundTripper) (*http.Client, error) {
	base, err := url.Parse(c.Address)
	if err != nil || base.Host == "" {
		return nil, fmt.Errorf("connection %s: %q is not a web address", c.ID, c.Address)
	}
	if peers == nil {
		peers = &http.Transport{
			DialContext: Dialer(c.Networks).DialContext, MaxIdleConnsPerHost: 64, IdleConnTimeout: 90 * time.Second,
			TLSHandshakeTimeout: 10 * time.Second, ForceAttemptHTTP2: true,
		}
	}
	return &http.Client{
		Transport: &guard{next: peers, base: base, auth: c.Auth, secret: secret, connection: c.ID},
		CheckRedirect: func(r *http.Request, via []*http.Request) error {
			if r.URL.Host != base.Host || r.URL.Scheme != base.Scheme || len(via) > 5 {
				return fmt.Errorf("it redirects to %s, which is not this connection's host", r.URL.Host)
			}
			return nil
		},
	}, nil
}

// guard keeps requests on the connection's host and signs them.
type guard struct {
	next       http.RoundTripper
	base       *url.URL
	auth       flow.Auth
	secret     func() (string, error)
	connection string
}

func (g *guard) RoundTrip(r *http.Request) (*http.Response, error) {
	if r.URL.Host != g.base.Host || r.URL.Scheme != g.base.Scheme {
		return nil, fmt.Errorf("the connection %s talks to %s only, not to %s", g.connection, g.base.Host, r.URL.Host)
	}
	r = r.Clone(r.Context())
	if g.auth.Kind != "none" {
		secret, err := g.secret()
		if err != nil {
			return nil, fmt.Errorf("connection %s: %w; give it one with: woolsignal connect %s", g.connection, err, g.connection)
		}
		switch g.auth.Kind {
		case "bearer":
			r.Header.Set("Authorization", "Bearer "+secret)
		case "basic":
			r.SetBasicAuth(g.auth.User, secret)
		case "header":
			r.Header.Set(g.auth.Name, secret)
		}
	}
	response, err := g.next.RoundTrip(r)
	if err != nil {
		return nil, err
	}
	response.Body = &limited{body: response.Body, left: MaxAnswer}
	return response, nil
}

// limited fails a read past the limit, rather than cutting an answer short.
type limited struct {
	body io.ReadCloser
	left int64
}

func (l *limited) Read(p []byte) (int, error) {
	n, err := l.body.Read(p)
	if l.left -= int64(n); l.left < 0 {
		return 0, ErrTooLarge
	}
	return n, err
}

func (l *limited) Close() error { return l.body.Close() }

// NeverSent tells whether an error means that the request did not leave, so
// that sending it again repeats nothing.
func NeverSent(err error) bool {
	var op *net.OpError
	var blocked *BlockedError
	return errors.As(err, &blocked) || errors.As(err, &op) && op.Op == "dial"
}
