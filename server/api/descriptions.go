package api

import (
	"context"
	"net/http"
	"net/url"

	"woolsignal/server/egress"
	"woolsignal/server/protocol/openapi"
	"woolsignal/server/protocol/web"
	"woolsignal/wire"
)

// describe reads a description of an HTTP API: the one at an address, or a text.
func (a *API) describe(r *request, in wire.Describing) (wire.Description, error) {
	text := in.Text
	r.touches("a text")
	at, err := url.Parse(in.Address)
	if err != nil {
		at = &url.URL{} // nothing is read from there
	}
	if text == "" {
		r.touches(at.Host)
		if text, err = fetchDescription(r.Context(), in.Address, in.Networks); err != nil {
			return wire.Description{}, refuse(http.StatusUnprocessableEntity, "The description could not be had",
				a.Secrets.Mask(err.Error()))
		}
	}
	about, err := openapi.Summarise(text)
	if err != nil {
		return wire.Description{}, refuse(http.StatusUnprocessableEntity, "The description cannot be read",
			"It is no OpenAPI 3 description in JSON or YAML: "+err.Error())
	}
	out := wire.Description{Text: text, Title: about.Title, Address: about.Address, Operations: about.Operations,
		Auth: about.Auth, Name: about.Name}
	if out.Address == "" && at.Host != "" {
		out.Address = at.Scheme + "://" + at.Host
	}
	return out, nil
}

// fetchDescription asks a web server for a description, through the guard and
// without any key.
func fetchDescription(ctx context.Context, address string, networks []string) (string, error) {
	at, err := url.Parse(address)
	if err != nil || at.Host == "" {
		return "", &url.Error{Op: "read", URL: address, Err: http.ErrNotSupported}
	}
	client := egress.Reader("description", []string{at.Host}, networks)
	text, _, _, err := web.Fetch(ctx, client, at.Host, address)
	return text, err
}
