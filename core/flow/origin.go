package flow

import (
	"net/url"
	"strings"
)

// Elsewhere is a protocol that sends a connection's secret to other places than its
// address, or has no address.
type Elsewhere interface {
	Places() []string // addresses, or what else names a place
}

// SecretFor is where the connection sends its secret: the origins (scheme, host and port,
// RFC 6454) of its addresses, or who signs in where for OAuth. A secret counts for the
// place it was given for and no other. "" where it is sent nowhere, as a key that only
// verifies.
func (c *Connection) SecretFor() string {
	if o := c.Auth.OAuth; o != nil {
		return "sign-ins at " + Origin(o.Authorize) + " with tokens from " + o.Token + " as " + o.Client
	}
	return c.place()
}

// TokenFor is where the connection sends a token that somebody's sign-in gave it, and
// where that came from.
func (c *Connection) TokenFor() string { return c.place() + " by " + c.SecretFor() }

func (c *Connection) place() string {
	var out []string
	if c.Address != "" {
		out = append(out, Origin(c.Address))
	}
	if p, is := c.Is.(Elsewhere); is {
		for _, one := range p.Places() {
			if o := Origin(one); len(out) == 0 || out[0] != o {
				out = append(out, o)
			}
		}
	}
	return strings.Join(out, " and ")
}

// usual are the ports of schemes where an address names none.
var usual = map[string]string{"http": "80", "https": "443", "imap": "143", "imaps": "993", "smtp": "587",
	"smtps": "465", "postgres": "5432", "postgresql": "5432"}

// Origin is the origin of an address, as RFC 6454 has it, its port left out where it is
// the usual one; what is no address is its own.
func Origin(address string) string {
	u, err := url.Parse(strings.TrimSpace(address))
	if err != nil || u.Host == "" {
		return address
	}
	scheme, host := strings.ToLower(u.Scheme), strings.ToLower(u.Hostname())
	if strings.Contains(host, ":") {
		host = "[" + host + "]" // IPv6
	}
	if port := u.Port(); port != "" && port != usual[scheme] {
		host += ":" + port
	}
	return scheme + "://" + host
}
