package client

import (
	"context"
	"net/http"
	"net/url"

	"woolsignal/wire"
)

// FollowUps lists when conversations go on by themselves, the next first: those a run
// set, or of all where run is "". A page goes on behind the one before it, as its Next says.
func (c *Client) FollowUps(ctx context.Context, run, after string) (page wire.FollowUps, err error) {
	query := url.Values{"run": {run}, "after": {after}}
	return page, c.Do(ctx, http.MethodGet, "/follow-ups?"+query.Encode(), nil, &page)
}

// CancelFollowUp takes back one that has not begun.
func (c *Client) CancelFollowUp(ctx context.Context, id string) error {
	return c.Do(ctx, http.MethodDelete, "/follow-ups/"+url.PathEscape(id), nil, nil)
}
