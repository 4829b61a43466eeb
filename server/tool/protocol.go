package tool

import (
	"context"
	"net/http"
	"reflect"

	"woolsignal/core/flow"
)

// Protocol is how a protocol is spoken.
type Protocol struct {
	// Operations makes the tools of a connection; nil where it has none.
	Operations func(k *Kit, w *flow.Workspace, c *flow.Connection) ([]*Operation, error)
	// Try tries a connection without changing anything; nil tries its address.
	Try func(ctx context.Context, k *Kit, w *flow.Workspace, tools Catalogue, c *flow.Connection) Verdict
	// Offers asks the server what it offers and keeps the answer, which may not have
	// come yet; nil where that is known beforehand.
	Offers func(ctx context.Context, k *Kit, c *flow.Connection) (changed bool, err error)
}

var protocols = map[string]Protocol{}

// Register makes a protocol known by the name files use. It is called while
// packages are initialised, as drivers are registered with package
// database/sql.
func Register(name string, p Protocol) {
	if _, twice := protocols[name]; twice {
		panic("tool: the protocol " + name + " is registered twice")
	}
	protocols[name] = p
}

// operations makes the tools of one connection.
func (k *Kit) operations(w *flow.Workspace, c *flow.Connection) ([]*Operation, error) {
	p := protocols[c.Kind]
	if p.Operations == nil {
		return nil, nil
	}
	return p.Operations(k, w, c)
}

// OverHTTP makes tools that are spoken over a client of the connection.
func OverHTTP(make func(k *Kit, w *flow.Workspace, c *flow.Connection, client *http.Client) ([]*Operation,
	error)) func(*Kit, *flow.Workspace, *flow.Connection) ([]*Operation, error) {
	return func(k *Kit, w *flow.Workspace, c *flow.Connection) ([]*Operation, error) {
		client, err := k.Client(c)
		if err != nil {
			return nil, err
		}
		return make(k, w, c, client)
	}
}

// Trying tries one reading tool of a connection.
func Trying(name string, args map[string]any, words string) func(context.Context, *Kit, *flow.Workspace, Catalogue,
	*flow.Connection) Verdict {
	return func(ctx context.Context, k *Kit, _ *flow.Workspace, tools Catalogue, c *flow.Connection) Verdict {
		return k.TryTool(ctx, c, tools, name, args, words)
	}
}

// Asked tells whether a connection's server is asked what it offers.
func Asked(c *flow.Connection) bool { return protocols[c.Kind].Offers != nil }

// SameServer tells whether two connections lead to the same server.
func SameServer(a, b *flow.Connection) bool {
	return a.Kind == b.Kind && a.Address == b.Address && reflect.DeepEqual(a.Is, b.Is)
}
