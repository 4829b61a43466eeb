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
	"net/netip"
	"slices"
	"syscall"
	"time"
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
	return fmt.Sprintf("%s is a %s address; a connection reaches such a network only when its file names it under "+
		"networks:", e.Address, e.Kind)
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

// UnsentError says that a request did not leave: no connection was made that
// it could have left by.
type UnsentError struct{ Err error }

func (e *UnsentError) Error() string { return e.Err.Error() }
func (e *UnsentError) Unwrap() error { return e.Err }

// NeverSent tells whether an error means that the request did not leave, so
// that sending it again repeats nothing.
func NeverSent(err error) bool {
	var op *net.OpError
	var blocked *BlockedError
	var unsent *UnsentError
	return errors.As(err, &unsent) || errors.As(err, &blocked) || errors.As(err, &op) && op.Op == "dial"
}
