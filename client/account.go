package client

import (
	"context"
	"net/http"
	"net/url"
	"strconv"

	"woolsignal/wire"
)

// Tokens lists one's tokens; an owner's are everybody's.
func (c *Client) Tokens(ctx context.Context) (out []wire.TokenListed, err error) {
	return out, c.Do(ctx, http.MethodGet, "/tokens", nil, &out)
}

// Revoke ends a token at once.
func (c *Client) Revoke(ctx context.Context, id string) error {
	return c.Do(ctx, http.MethodDelete, "/tokens/"+url.PathEscape(id), nil, nil)
}

// ChangePassword changes one's password.
func (c *Client) ChangePassword(ctx context.Context, in wire.NewPassword) error {
	return c.Do(ctx, http.MethodPut, "/password", in, nil)
}

// ChatNames lists one's names at chat servers.
func (c *Client) ChatNames(ctx context.Context) (out wire.ChatNames, err error) {
	return out, c.Do(ctx, http.MethodGet, "/chat-names", nil, &out)
}

// NewChatCode gets a code that links the name that writes it at a chat server.
func (c *Client) NewChatCode(ctx context.Context, connection string) (out wire.ChatCode, err error) {
	return out, c.Do(ctx, http.MethodPost, "/chat-names", wire.ChatServer{Connection: connection}, &out)
}

// Unlink takes a name at a chat server off oneself.
func (c *Client) Unlink(ctx context.Context, connection, handle string) error {
	return c.Do(ctx, http.MethodDelete, "/chat-names/"+url.PathEscape(connection)+"/"+url.PathEscape(handle), nil, nil)
}

// Audit lists who changed, exported or guessed what, newest first; who "" is
// everybody's.
func (c *Client) Audit(ctx context.Context, who string, limit int) (out []wire.Event, err error) {
	q := url.Values{"who": {who}, "limit": {strconv.Itoa(limit)}}
	return out, c.Do(ctx, http.MethodGet, "/audit?"+q.Encode(), nil, &out)
}
