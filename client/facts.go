package client

import (
	"context"
	"net/http"
	"net/url"

	"woolsignal/wire"
)

// Facts lists what agents and steps keep for later conversations, the newest first: about
// one person or thing where about is not "", and with some words where contains is not "". A
// page goes on behind the one before it, as its Next says.
func (c *Client) Facts(ctx context.Context, about, contains, after string) (page wire.Facts, err error) {
	query := url.Values{"about": {about}, "contains": {contains}, "after": {after}}
	return page, c.Do(ctx, http.MethodGet, "/facts?"+query.Encode(), nil, &page)
}

// CorrectFact has a fact say something else, if it still says what was read; "" is whatever
// it says.
func (c *Client) CorrectFact(ctx context.Context, id, said, fact string) error {
	return c.Do(ctx, http.MethodPut, "/facts/"+url.PathEscape(id), wire.Correction{Said: said, Fact: fact}, nil)
}

// RemoveFact forgets a fact, if it still says what was read; "" is whatever it says.
func (c *Client) RemoveFact(ctx context.Context, id, said string) error {
	query := url.Values{"said": {said}}
	return c.Do(ctx, http.MethodDelete, "/facts/"+url.PathEscape(id)+"?"+query.Encode(), nil, nil)
}
