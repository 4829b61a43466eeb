package egress

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"net/http/httptrace"
	"net/url"
	"path"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	"woolsignal/core/flow"
)

// Key gives what a connection signs its requests with at the moment. fresh
// asks for another one, because the peer refused the last.
type Key func(ctx context.Context, fresh bool) (string, error)

// ErrNotRenewed says that there is no other key than the one that was refused.
var ErrNotRenewed = errors.New("the key was refused, and there is no newer one")

type personKey struct{}

// For notes whom a call is made for, by e-mail: connections that act as a
// person sign with that person's key.
func For(ctx context.Context, person string) context.Context {
	return context.WithValue(ctx, personKey{}, person)
}

// Person is whom a call is made for; "" is nobody known.
func Person(ctx context.Context) string {
	person, _ := ctx.Value(personKey{}).(string)
	return person
}

// Status is what the last answer to a request said, for clients of protocols
// that keep it from their callers.
type Status struct{ last atomic.Int32 }

// Get gives the status of the last answer; 0 where there was none.
func (s *Status) Get() int { return int(s.last.Load()) }

type statusKey struct{}

// WithStatus has requests note what their answers say.
func WithStatus(ctx context.Context, s *Status) context.Context {
	return context.WithValue(ctx, statusKey{}, s)
}

// transports are kept by the networks they may dial: clients come and go with
// the files that name them, and the sockets they left would stay open.
var transports sync.Map

// transport dials through the guard, or is what answers inside this process.
func transport(networks []string, peers http.RoundTripper) http.RoundTripper {
	if peers != nil {
		return peers
	}
	name := strings.Join(slices.Sorted(slices.Values(networks)), " ")
	if kept, ok := transports.Load(name); ok {
		return kept.(*http.Transport)
	}
	kept, _ := transports.LoadOrStore(name, &http.Transport{
		DialContext: Dialer(slices.Clone(networks)).DialContext, MaxIdleConnsPerHost: 64,
		IdleConnTimeout:     90 * time.Second,
		TLSHandshakeTimeout: 10 * time.Second, ForceAttemptHTTP2: true,
	})
	return kept.(*http.Transport)
}

// Client gives the HTTP client of one connection. key is asked for each
// request, so a replaced secret is used at once. peers answers inside this
// process where it is not nil.
func Client(c *flow.Connection, key Key, peers http.RoundTripper) (*http.Client, error) {
	base, err := url.Parse(c.Address)
	if err != nil || base.Host == "" {
		return nil, fmt.Errorf("connection %s: %q is not a web address", c.ID, c.Address)
	}
	allowed := func(u *url.URL) error {
		if u.Host != base.Host || u.Scheme != base.Scheme {
			return fmt.Errorf("the connection %s talks to %s only, not to %s", c.ID, base.Host, u.Host)
		}
		return nil
	}
	return client(&guard{next: transport(c.Networks, peers), allowed: allowed, auth: c.Auth, key: key,
		connection: c.ID}), nil
}

// Reader gives a client without any key that may ask some hosts: names, names
// with their port, patterns such as *.example, or * for all that are public.
func Reader(connection string, hosts, networks []string) *http.Client {
	allowed := func(u *url.URL) error {
		if u.Scheme != "http" && u.Scheme != "https" {
			return fmt.Errorf("%s is not a web address", u.Redacted())
		}
		name, full := strings.ToLower(u.Hostname()), strings.ToLower(u.Host)
		if slices.ContainsFunc(hosts, func(h string) bool {
			fits, _ := path.Match(strings.ToLower(h), name)
			return fits || strings.EqualFold(h, full)
		}) {
			return nil
		}
		return fmt.Errorf("the connection %s reads from %s only, not from %s", connection, strings.Join(hosts, ", "),
			u.Host)
	}
	return client(&guard{next: transport(networks, nil), allowed: allowed, auth: flow.Auth{Kind: "none"},
		connection: connection})
}

func client(g *guard) *http.Client {
	return &http.Client{Transport: g, CheckRedirect: func(r *http.Request, via []*http.Request) error {
		if g.allowed(r.URL) != nil || len(via) > 5 {
			return fmt.Errorf("it redirects to %s, which is not this connection's host", r.URL.Host)
		}
		return nil
	}}
}

// guard keeps requests on the connection's host and signs them.
type guard struct {
	next       http.RoundTripper
	allowed    func(*url.URL) error
	auth       flow.Auth
	key        Key
	connection string
}

func (g *guard) RoundTrip(r *http.Request) (*http.Response, error) {
	if err := g.allowed(r.URL); err != nil {
		return nil, &UnsentError{err}
	}
	response, err := g.try(r, false)
	if err != nil {
		return nil, err
	}
	if response.StatusCode == http.StatusUnauthorized && g.auth.Kind == "oauth" && (r.Body == nil || r.GetBody != nil) {
		if again, err := g.again(r); err == nil {
			_ = response.Body.Close()
			response = again
		} else if !errors.Is(err, ErrNotRenewed) {
			return nil, errors.Join(err, response.Body.Close())
		}
	}
	if s, _ := r.Context().Value(statusKey{}).(*Status); s != nil {
		s.last.Store(int32(response.StatusCode))
	}
	response.Body = &limited{body: response.Body, left: MaxAnswer}
	return response, nil
}

// again sends a request once more with a fresh key.
func (g *guard) again(r *http.Request) (*http.Response, error) {
	copied := r.Clone(r.Context())
	if r.GetBody != nil {
		body, err := r.GetBody()
		if err != nil {
			return nil, &UnsentError{err}
		}
		copied.Body = body
	}
	return g.try(copied, true)
}

func (g *guard) try(r *http.Request, fresh bool) (*http.Response, error) {
	if g.auth.Kind == "none" {
		return g.send(r)
	}
	key, err := g.key(r.Context(), fresh)
	if err != nil {
		return nil, &UnsentError{fmt.Errorf("connection %s: %w", g.connection, err)}
	}
	r = r.Clone(r.Context())
	switch g.auth.Kind {
	case "bearer", "oauth":
		r.Header.Set("Authorization", "Bearer "+key)
	case "basic":
		r.SetBasicAuth(g.auth.User, key)
	case "header":
		r.Header.Set(g.auth.Name, key)
	case "query":
		query := r.URL.Query()
		query.Set(g.auth.Name, key)
		r.URL.RawQuery = query.Encode()
	}
	return g.send(r)
}

// send sends a request and tells an error before there was a connection, such
// as a name that is not known or a certificate that is not trusted, from one
// after the request may have left.
func (g *guard) send(r *http.Request) (*http.Response, error) {
	if _, dials := g.next.(*http.Transport); !dials {
		return g.next.RoundTrip(r)
	}
	var connected atomic.Bool
	trace := &httptrace.ClientTrace{GotConn: func(httptrace.GotConnInfo) { connected.Store(true) }}
	response, err := g.next.RoundTrip(r.WithContext(httptrace.WithClientTrace(r.Context(), trace)))
	if err != nil && !connected.Load() {
		err = &UnsentError{err}
	}
	return response, err
}
