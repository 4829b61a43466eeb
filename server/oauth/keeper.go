// Package oauth gets, keeps and renews the tokens of connections that use
// OAuth 2.0: the authorization code grant with PKCE (RFC 6749, RFC 7636) and
// client credentials. Its errors say in plain words what to do.
package oauth

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"net/http"
	"net/url"
	"strings"
	"sync"
	"time"

	"golang.org/x/oauth2"
	"golang.org/x/oauth2/clientcredentials"

	"woolsignal/core/flow"
	"woolsignal/server/egress"
	"woolsignal/server/store"
	"woolsignal/server/vault"
)

// Keeper keeps the tokens of all connections.
type Keeper struct {
	Store   *store.Store
	Secrets *vault.Vault

	mu    sync.Mutex             // guards locks
	locks map[string]*sync.Mutex // one renewal of a token at a time
}

// NeededError says that somebody has to sign in at the service, again or for
// the first time.
type NeededError struct {
	Connection string
	Person     string // e-mail; "" where the service itself signs in
	Why        string
}

func (e *NeededError) Error() string { return e.Why }

// names of a token's parts in the vault: they begin with the connection's id.
func accessName(connection, person string) string {
	return strings.TrimSuffix(connection+":access:"+person, ":")
}
func refreshName(connection, person string) string {
	return strings.TrimSuffix(connection+":refresh:"+person, ":")
}

// Whom gives the person whose token a call of a connection uses.
func Whom(c *flow.Connection, person string) string {
	if c.Acts == "person" {
		return strings.ToLower(person)
	}
	return ""
}

// early is how long before its end a token is renewed.
const early = 30 * time.Second

// Token gives a token that is good now; a fresh one where the last was
// refused. The error is a *[NeededError] where a person has to sign in.
func (k *Keeper) Token(ctx context.Context, c *flow.Connection, fresh bool) (string, error) {
	person := Whom(c, egress.Person(ctx))
	if c.Acts == "person" && person == "" {
		return "", &NeededError{c.ID, "", c.Title + " acts as the person who is served, and nobody is known here."}
	}
	unlock := k.lock(accessName(c.ID, person))
	defer unlock()
	access, err := k.Secrets.Get(accessName(c.ID, person), c.TokenFor())
	expires, known, problem, stateErr := k.Expires(ctx, c, person)
	if stateErr != nil {
		return "", stateErr
	}
	if err == nil && !fresh && (expires.IsZero() || time.Until(expires) > early) {
		return access, nil
	}
	if c.Auth.OAuth.Grant == "client_credentials" {
		return k.own(ctx, c)
	}
	refresh, err := k.Secrets.Get(refreshName(c.ID, person), c.TokenFor())
	switch {
	case !known:
		return "", &NeededError{c.ID, person, "Nobody has signed in at " + c.Title + " yet."}
	case problem != "":
		return "", &NeededError{c.ID, person, problem}
	case err != nil:
		return "", &NeededError{c.ID, person, "The sign-in at " + c.Title +
			" has run out, and it gave no way to renew it. Sign in again."}
	}
	config, client, err := k.config(c, "")
	if err != nil {
		return "", err
	}
	token, err := config.TokenSource(context.WithValue(ctx, oauth2.HTTPClient, client),
		&oauth2.Token{RefreshToken: refresh}).Token()
	if err != nil {
		why := Explain(c, err)
		var answer *oauth2.RetrieveError
		if errors.As(err, &answer) && answer.ErrorCode == "invalid_grant" {
			why = "The sign-in at " + c.Title + " was revoked or has run out. Sign in again."
			return "", errors.Join(&NeededError{c.ID, person, why}, k.spoil(ctx, c.ID, person, why))
		}
		return "", errors.New(why)
	}
	return token.AccessToken, k.keep(ctx, c, person, token)
}

// own gets a token for the service itself.
func (k *Keeper) own(ctx context.Context, c *flow.Connection) (string, error) {
	secret, err := k.Secrets.Get(c.ID, c.SecretFor())
	if err != nil {
		return "", err
	}
	client, err := k.reach(c)
	if err != nil {
		return "", err
	}
	config := clientcredentials.Config{ClientID: c.Auth.OAuth.Client, ClientSecret: secret,
		TokenURL: c.Auth.OAuth.Token, Scopes: scopes(c)}
	token, err := config.Token(context.WithValue(ctx, oauth2.HTTPClient, client))
	if err != nil {
		return "", errors.New(Explain(c, err))
	}
	return token.AccessToken, k.keep(ctx, c, "", token)
}

// keep seals a token's parts, all or none of them. Whoever asked for it may
// have left: the service that gave it may not give it again.
func (k *Keeper) keep(ctx context.Context, c *flow.Connection, person string, token *oauth2.Token) error {
	parts := map[string]string{accessName(c.ID, person): token.AccessToken}
	if token.RefreshToken != "" {
		parts[refreshName(c.ID, person)] = token.RefreshToken
	}
	var expires any
	if !token.Expiry.IsZero() {
		expires = store.Time(token.Expiry)
	}
	granted, _ := token.Extra("scope").(string)
	if granted == "" {
		granted = strings.Join(scopes(c), " ")
	}
	var b store.Batch
	b.Do("INSERT INTO oauth_tokens (connection, person, place, scopes, expires, at) VALUES (?, ?, ?, ?, ?, ?) "+
		"ON CONFLICT (connection, person) DO UPDATE SET place = excluded.place, scopes = excluded.scopes, "+
		"expires = excluded.expires, problem = '', at = excluded.at",
		c.ID, person, c.TokenFor(), granted, expires, store.Time(time.Now()))
	return k.Secrets.PutAll(context.WithoutCancel(ctx), parts, c.TokenFor(), b)
}

// spoil notes that a token cannot be renewed.
func (k *Keeper) spoil(ctx context.Context, connection, person, why string) error {
	var b store.Batch
	b.Do("UPDATE oauth_tokens SET problem = ? WHERE connection = ? AND person = ?", why, connection, person)
	return k.Store.Write(ctx, b)
}

// Expires tells when somebody's token of a connection ends; zero where it does not, or
// where there is none. What was given for another place than the connection reaches now,
// or by another service, is a problem.
func (k *Keeper) Expires(ctx context.Context, c *flow.Connection, person string) (expires time.Time, known bool,
	problem string, err error) {
	var ms *int64
	var place string
	err = k.Store.Read().QueryRowContext(ctx,
		"SELECT expires, problem, place FROM oauth_tokens WHERE connection = ? AND person = ?", c.ID, person).Scan(&ms,
		&problem, &place)
	if errors.Is(err, sql.ErrNoRows) {
		return time.Time{}, false, "", nil
	}
	if ms != nil {
		expires = store.FromTime(*ms)
	}
	if err == nil && place != c.TokenFor() {
		problem = "The sign-in at " + c.Title + " was for " + place + ", and it reaches " + c.TokenFor() +
			" now. Sign in again."
	}
	return expires, err == nil, problem, err
}

func (k *Keeper) lock(name string) func() {
	k.mu.Lock()
	if k.locks == nil {
		k.locks = map[string]*sync.Mutex{}
	}
	one := k.locks[name]
	if one == nil {
		one = &sync.Mutex{}
		k.locks[name] = one
	}
	k.mu.Unlock()
	one.Lock()
	return one.Unlock
}

func scopes(c *flow.Connection) []string {
	out := make([]string, len(c.Auth.OAuth.Scopes))
	for i, s := range c.Auth.OAuth.Scopes {
		out[i] = s.Name
	}
	return out
}

// reach gives a client for the token's address and no other host.
func (k *Keeper) reach(c *flow.Connection) (*http.Client, error) {
	token, err := url.Parse(c.Auth.OAuth.Token)
	if err != nil {
		return nil, fmt.Errorf("connection %s: %w", c.ID, err)
	}
	return egress.Reader(c.ID, []string{token.Host}, c.Networks), nil
}

func (k *Keeper) config(c *flow.Connection, redirect string) (*oauth2.Config, *http.Client, error) {
	secret, err := k.Secrets.Get(c.ID, c.SecretFor())
	var moved *vault.MovedError
	if errors.Is(err, vault.ErrNoSecret) && !errors.As(err, &moved) {
		secret = "" // a public client has none; PKCE stands in for it
	} else if err != nil {
		return nil, nil, err
	}
	client, err := k.reach(c)
	o := c.Auth.OAuth
	return &oauth2.Config{ClientID: o.Client, ClientSecret: secret, RedirectURL: redirect, Scopes: scopes(c),
		Endpoint: oauth2.Endpoint{AuthURL: o.Authorize, TokenURL: o.Token}}, client, err
}
