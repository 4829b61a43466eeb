package flow

import (
	"slices"
	"strconv"
	"strings"
)

// OnThisMachine tells whether a host, which may have a port, is the machine
// the service runs on: what is sent to it crosses no network. A name is so
// only where none but this machine can answer to it (RFC 6761, 6.3).
func OnThisMachine(host string) bool {
	if inside, ok := strings.CutPrefix(host, "["); ok {
		address, _, _ := strings.Cut(inside, "]")
		return address == "::1"
	}
	host, _, _ = strings.Cut(strings.ToLower(host), ":")
	if host == "localhost" || strings.HasSuffix(host, ".localhost") {
		return true
	}
	parts := strings.Split(host, ".")
	return len(parts) == 4 && parts[0] == "127" && !slices.ContainsFunc(parts, func(part string) bool {
		n, err := strconv.ParseUint(part, 10, 8)
		return err != nil || strconv.FormatUint(n, 10) != part
	})
}

// encrypted insists that a secret is sent where nobody on the way reads it,
// unless the file says that it may be.
func (c *Connection) encrypted(m Reading) {
	if c.Open {
		return
	}
	report := func(key, address string) {
		rest, plain := strings.CutPrefix(address, "http://")
		host, _, _ := strings.Cut(rest, "/")
		if !plain || OnThisMachine(host) {
			return
		}
		m.Report(key, Problem{What: "the secret would be sent to " + host + " unencrypted",
			Why: "whoever is on the way could read it and use it",
			Remedy: "write https://" + rest + ", or add unencrypted: true where nobody else is on the way, as " +
				"between two containers of one machine"})
	}
	if c.NeedsSecret() {
		report("address", c.Address)
	}
	if c.Auth.OAuth != nil {
		report("auth", c.Auth.OAuth.Token)
		report("auth", c.Auth.OAuth.Authorize)
	}
}
