package client

import (
	"context"
	"fmt"
	"net/http"
	"net/url"

	"woolsignal/wire"
)

// Connections lists every connection and how it fares.
func (c *Client) Connections(ctx context.Context) ([]wire.Connection, error) {
	return get[[]wire.Connection](ctx, c, "/connections")
}

// Connection gives a connection with its tools and file.
func (c *Client) Connection(ctx context.Context, id string) (wire.ConnectionDetail, error) {
	return get[wire.ConnectionDetail](ctx, c, "/connections/"+url.PathEscape(id))
}

// PutSecret replaces a connection's secret and tests it.
func (c *Client) PutSecret(ctx context.Context, connection, secret string) (wire.Verdict, error) {
	return c.PutSecretFor(ctx, connection, "", secret)
}

// PutSecretFor keeps a secret for the origin a connection is to lead to later; "" is
// where it leads now.
func (c *Client) PutSecretFor(ctx context.Context, connection, origin, secret string) (v wire.Verdict, err error) {
	err = c.Do(ctx, http.MethodPut, "/connections/"+url.PathEscape(connection)+"/secret",
		wire.Secret{Secret: secret, For: origin}, &v)
	return v, err
}

// TestConnection tries a connection without changing anything.
func (c *Client) TestConnection(ctx context.Context, connection string) (v wire.Verdict, err error) {
	err = c.Do(ctx, http.MethodPost, "/connections/"+url.PathEscape(connection)+"/test", nil, &v)
	return v, err
}

// SignInElsewhere gives the address where a person signs in for a connection.
func (c *Client) SignInElsewhere(ctx context.Context, connection string) (string, error) {
	var a wire.Address
	err := c.Do(ctx, http.MethodPost, "/connections/"+url.PathEscape(connection)+"/sign-in", nil, &a)
	return a.Address, err
}

// RotateKey has every secret sealed with a new key and tells how many there are.
func (c *Client) RotateKey(ctx context.Context) (int, error) {
	var r wire.Rotated
	err := c.Do(ctx, http.MethodPost, "/key", nil, &r)
	return r.Secrets, err
}

// Tools searches the catalogue of tools.
func (c *Client) Tools(ctx context.Context, words, connection string, limit int) (wire.Tools, error) {
	return get[wire.Tools](ctx, c, "/tools?"+
		url.Values{"text": {words}, "connection": {connection}, "limit": {fmt.Sprint(limit)}}.Encode())
}

// Choices lists the values an argument of a tool can be fixed to.
func (c *Client) Choices(ctx context.Context, tool, argument string) ([]wire.Choice, error) {
	return get[[]wire.Choice](ctx, c, "/tools/"+tool+"/choices/"+url.PathEscape(argument))
}

// Tables lists the workspace's tables.
func (c *Client) Tables(ctx context.Context) ([]wire.Table, error) {
	return get[[]wire.Table](ctx, c, "/tables")
}

// Rows reads rows of a table, newest first.
func (c *Client) Rows(ctx context.Context, table string, q wire.RowQuery) (wire.Rows, error) {
	values := url.Values{"text": {q.Words}}
	if q.Before > 0 {
		values.Set("before", fmt.Sprint(q.Before))
	}
	if q.Limit > 0 {
		values.Set("limit", fmt.Sprint(q.Limit))
	}
	return get[wire.Rows](ctx, c, tablePath(table)+"/rows?"+values.Encode())
}

func tablePath(table string) string { return "/tables/" + url.PathEscape(table) }

// AddRow adds a row.
func (c *Client) AddRow(ctx context.Context, table string, values map[string]any) (r wire.Row, err error) {
	err = c.Do(ctx, http.MethodPost, tablePath(table)+"/rows", wire.RowValues{Values: values}, &r)
	return r, err
}

// ExportRows gives every row as CSV.
func (c *Client) ExportRows(ctx context.Context, table string) (string, error) {
	text, err := get[wire.CSV](ctx, c, tablePath(table)+"/csv")
	return text.Text, err
}

// ImportRows adds the rows of a CSV text.
func (c *Client) ImportRows(ctx context.Context, table, text string) (i wire.Imported, err error) {
	err = c.Do(ctx, http.MethodPost, tablePath(table)+"/csv", wire.CSV{Text: text}, &i)
	return i, err
}
