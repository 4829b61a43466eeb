package client

import (
	"context"
	"net/http"
	"net/url"

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
