package tool

import (
	"context"
	"net/http"
	"reflect"

	"woolsignal/core/flow"
)

// speaking is how a protocol is spoken.
type speaking struct {
	// operations makes the tools of a connection; nil where it has none.
	operations func(k *Kit, w *flow.Workspace, c *flow.Connection) ([]*Operation, error)
	// try tries a connection without changing anything; nil tries its address.
	try func(k *Kit, ctx context.Context, w *flow.Workspace, tools Catalogue, c *flow.Connection) Verdict
	// asked says that the server is asked what it offers, and may not have
	// answered yet.
	asked bool
}

// protocols are those that can be spoken, by the names files use.
var protocols = map[string]speaking{
	"model_server": {try: (*Kit).tryModels},
	"caldav":       {operations: overHTTP(calendarOperations), try: (*Kit).tryCalendars},
	"openapi":      {operations: overHTTP(apiOperations), try: (*Kit).tryAPI},
	"signing_key":  {try: (*Kit).tryKey},
	"mailbox":      {operations: (*Kit).mailOperations, try: (*Kit).tryMail},
	"webdav": {operations: overHTTP((*Kit).fileOperations),
		try: trying("list", nil, "Signed in; the top folder can be read.")},
	"mcp": {operations: (*Kit).mcpOperations, try: (*Kit).tryMCP, asked: true},
	"sql": {operations: (*Kit).sqlOperations,
		try: trying("query", map[string]any{"sql": "SELECT 1"}, "Connected; it answers queries.")},
	"web": {operations: (*Kit).webOperations, try: (*Kit).tryWeb},
	"search": {operations: overHTTP(searchOperations),
		try: trying("search", map[string]any{"words": "test", "most": int64(1)},
			"Its description is readable, and it answers.")},
	"chat_server": {operations: overHTTP((*Kit).chatOperations), try: (*Kit).tryChat},
	"http":        {operations: overHTTP(httpOperations)},
}

// operations makes the tools of one connection.
func (k *Kit) operations(w *flow.Workspace, c *flow.Connection) ([]*Operation, error) {
	p := protocols[c.Kind]
	if p.operations == nil {
		return nil, nil
	}
	return p.operations(k, w, c)
}

// overHTTP makes tools that are spoken over a client of the connection.
func overHTTP(make func(k *Kit, w *flow.Workspace, c *flow.Connection, client *http.Client) ([]*Operation,
	error)) func(*Kit, *flow.Workspace, *flow.Connection) ([]*Operation, error) {
	return func(k *Kit, w *flow.Workspace, c *flow.Connection) ([]*Operation, error) {
		client, err := k.Client(c)
		if err != nil {
			return nil, err
		}
		return make(k, w, c, client)
	}
}

// trying tries one reading tool of a connection.
func trying(name string, args map[string]any, words string) func(*Kit, context.Context, *flow.Workspace, Catalogue,
	*flow.Connection) Verdict {
	return func(k *Kit, ctx context.Context, _ *flow.Workspace, tools Catalogue, c *flow.Connection) Verdict {
		return k.call(ctx, c, tools, name, args, words)
	}
}

// Asked tells whether a connection's server is asked what it offers.
func Asked(c *flow.Connection) bool { return protocols[c.Kind].asked }

// SameServer tells whether two connections lead to the same server.
func SameServer(a, b *flow.Connection) bool {
	return a.Kind == b.Kind && a.Address == b.Address && reflect.DeepEqual(a.Is, b.Is)
}
