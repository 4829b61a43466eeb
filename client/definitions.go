package client

import (
	"context"
	"net/http"
	"net/url"

	"woolsignal/wire"
)

func definition(kind, id string) string {
	return "/definitions/" + url.PathEscape(kind) + "/" + url.PathEscape(id)
}

// Definition gives a file that acts as soon as it is written; kind is
// connection, table or workspace.
func (c *Client) Definition(ctx context.Context, kind, id string) (d wire.Definition, err error) {
	return d, c.Do(ctx, http.MethodGet, definition(kind, id), nil, &d)
}

// ReadDefinition tells what a text of such a file would mean and make wrong.
func (c *Client) ReadDefinition(ctx context.Context, kind, id string, in wire.Redefine) (d wire.Definition, err error) {
	return d, c.Do(ctx, http.MethodPost, definition(kind, id)+"/read", in, &d)
}

// Define writes such a file, where it still is what the text was made from.
func (c *Client) Define(ctx context.Context, kind, id string, in wire.Redefine) (d wire.Defined, err error) {
	return d, c.Do(ctx, http.MethodPut, definition(kind, id), in, &d)
}

// Describe reads a description of an HTTP API, before it is connected to.
func (c *Client) Describe(ctx context.Context, in wire.Describing) (d wire.Description, err error) {
	return d, c.Do(ctx, http.MethodPost, "/descriptions", in, &d)
}

// NewKey makes a signing key's secret, in place of any it had.
func (c *Client) NewKey(ctx context.Context, connection string) (k wire.NewKey, err error) {
	return k, c.Do(ctx, http.MethodPost, "/connections/"+url.PathEscape(connection)+"/new-key", nil, &k)
}

// Delivery gives a signed delivery to a webhook of a workflow. It is not sent.
func (c *Client) Delivery(ctx context.Context, workflow string, in wire.Deliver) (d wire.Delivery, err error) {
	return d, c.Do(ctx, http.MethodPost, "/workflows/"+url.PathEscape(workflow)+"/delivery", in, &d)
}
