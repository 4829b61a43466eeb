package sql

import (
	"fmt"
	"net/url"

	"woolsignal/core/flow"
	"woolsignal/server/tool"
)

// secured is the address a PostgreSQL connection is opened at. The driver
// would try TLS and go on without it where the other side, or whoever sits in
// between, has none; so the mode is always written, and one that falls back is
// refused unless the file says unencrypted: true. A server on this machine
// needs none.
func secured(c *flow.Connection) (string, error) {
	at, err := url.Parse(c.Address)
	if err != nil {
		return "", &tool.RefusedError{Message: c.Title + ": the address cannot be read"}
	}
	if c.Open {
		return c.Address, nil
	}
	query := at.Query()
	for _, name := range []string{"host", "hostaddr"} {
		if query.Has(name) {
			return "", &tool.RefusedError{Message: fmt.Sprintf("%s: write the host before the path of the address, "+
				"not as %s=", c.Title, name)}
		}
	}
	if flow.OnThisMachine(at.Host) {
		return c.Address, nil
	}
	switch mode := query.Get("sslmode"); mode {
	case "":
		query.Set("sslmode", "verify-full")
	case "require", "verify-ca", "verify-full":
	default:
		return "", &tool.RefusedError{Message: fmt.Sprintf("%s: sslmode=%s may send the password and every row "+
			"unencrypted; take it out of the address, or add unencrypted: true to connections/%s.yaml where nobody "+
			"else is on the way", c.Title, mode, c.ID)}
	}
	at.RawQuery = query.Encode()
	return at.String(), nil
}
