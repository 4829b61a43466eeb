package oauth

import (
	"context"
	"crypto/sha256"
	"database/sql"
	"errors"
	"fmt"
	"strings"
	"time"

	"golang.org/x/oauth2"

	"woolsignal/core/flow"
	"woolsignal/server/store"
)

// patience is how long a sign-in at another service may take.
const patience = 10 * time.Minute

// Begin gives the address where a person says yes. redirect is where the
// other service sends them back; by is the name of who asked, person their
// e-mail.
func (k *Keeper) Begin(ctx context.Context, c *flow.Connection, person, redirect, by string) (string, error) {
	if c.Auth.OAuth == nil || c.Auth.OAuth.Grant != "authorization_code" {
		return "", fmt.Errorf("%s is not signed in to in a browser", c.Title)
	}
	config, _, err := k.config(c, redirect)
	if err != nil {
		return "", err
	}
	state, verifier := oauth2.GenerateVerifier(), oauth2.GenerateVerifier()
	hash := sha256.Sum256([]byte(state))
	closed, err := k.Secrets.Seal(verifier, "pkce")
	if err != nil {
		return "", err
	}
	var b store.Batch
	b.Do("DELETE FROM oauth_errands WHERE expires < ?", store.Time(time.Now()))
	b.Do("INSERT INTO oauth_errands (state, connection, person, verifier, redirect, by, who, expires) "+
		"VALUES (?, ?, ?, ?, ?, ?, ?, ?)",
		hash[:], c.ID, Whom(c, person), closed, redirect, by, person, store.Time(time.Now().Add(patience)))
	if err := k.Store.Write(ctx, b); err != nil {
		return "", err
	}
	return config.AuthCodeURL(state, oauth2.S256ChallengeOption(verifier)), nil
}

// Errand is a sign-in that came back.
type Errand struct{ Connection, Person, Redirect, By, verifier string }

var (
	// ErrNoErrand says that nobody began a sign-in of this state, or too long
	// ago, or for another connection.
	ErrNoErrand = errors.New("this sign-in was not begun here, or more than ten minutes ago; begin it again")
	// ErrNotYours says that somebody else began it, or that nobody is signed in
	// here who could be asked.
	ErrNotYours = errors.New("this sign-in was begun by somebody else, or you are not signed in to this service in " +
		"this browser; sign in as who began it and go there again, or begin your own")
)

// Return finds the sign-in a state belongs to. It comes back once, to the
// address of the connection it was begun for, so that one service's answer is
// never taken for another's, and in a browser of who began it, so that nobody
// consents for somebody else. who is the e-mail of whose browser it is.
func (k *Keeper) Return(ctx context.Context, state, connection, who string) (*Errand, error) {
	hash := sha256.Sum256([]byte(state))
	var e Errand
	var closed []byte
	var expires int64
	var began string
	err := k.Store.Read().QueryRowContext(ctx,
		"SELECT connection, person, redirect, by, who, verifier, expires FROM oauth_errands WHERE state = ?", hash[:]).
		Scan(&e.Connection, &e.Person, &e.Redirect, &e.By, &began, &closed, &expires)
	switch {
	case errors.Is(err, sql.ErrNoRows), err == nil && time.Now().After(store.FromTime(expires)),
		err == nil && e.Connection != connection:
		return nil, ErrNoErrand
	case err != nil:
		return nil, err
	case who == "" || !strings.EqualFold(began, who):
		return nil, ErrNotYours
	}
	if e.verifier, err = k.Secrets.Unseal(closed, "pkce"); err != nil {
		return nil, ErrNoErrand // the key was replaced meanwhile
	}
	var b store.Batch
	b.Guard("the sign-in has not been used", "DELETE FROM oauth_errands WHERE state = ?", hash[:])
	if err := k.Store.Write(ctx, b); errors.Is(err, store.ErrGuard) {
		return nil, ErrNoErrand
	} else if err != nil {
		return nil, err
	}
	return &e, nil
}

// Finish changes the code a service sent back into a token and keeps it.
func (k *Keeper) Finish(ctx context.Context, c *flow.Connection, e *Errand, code string) error {
	config, client, err := k.config(c, e.Redirect)
	if err != nil {
		return err
	}
	token, err := config.Exchange(context.WithValue(ctx, oauth2.HTTPClient, client), code,
		oauth2.VerifierOption(e.verifier))
	if err != nil {
		return errors.New(Explain(c, err))
	}
	if err := k.keep(ctx, c, e.Person, token); err != nil {
		return err
	}
	granted, named := token.Extra("scope").(string)
	if !named {
		return nil // it gave what was asked for (RFC 6749, 5.1)
	}
	return lacking(c, granted)
}

// lacking tells which scopes were not given.
func lacking(c *flow.Connection, granted string) error {
	has := strings.Fields(granted)
	var missing []string
	for _, s := range c.Auth.OAuth.Scopes {
		found := false
		for _, h := range has {
			found = found || h == s.Name
		}
		if !found {
			missing = append(missing, fmt.Sprintf("%s (%s)", s.Name, s.Words))
		}
	}
	if len(missing) > 0 {
		return fmt.Errorf("signed in at %s, but it did not give: %s. What needs these will be refused; sign in "+
			"again and allow them", c.Title, strings.Join(missing, ", "))
	}
	return nil
}

// Explain says what an error of an OAuth service means and what to do (RFC
// 6749, 4.1.2.1 and 5.2).
func Explain(c *flow.Connection, err error) string {
	var answer *oauth2.RetrieveError
	if errors.As(err, &answer) && answer.ErrorCode != "" {
		return ExplainCode(c, answer.ErrorCode, answer.ErrorDescription)
	}
	return fmt.Sprintf("%s could not be asked for a token: %v", c.Title, err)
}

// ExplainCode says what one error code means.
func ExplainCode(c *flow.Connection, code, description string) string {
	o := c.Auth.OAuth
	what := map[string]string{
		"access_denied": "The person said no. Nothing was changed; begin again if that was a mistake.",
		"invalid_client": fmt.Sprintf("It does not know the client %s, or the client's secret is wrong. "+
			"Compare both with what the service shows, and give the secret with: woolsignal connect %s", o.Client,
			c.ID),
		"unauthorized_client": fmt.Sprintf("The client %s may not sign in this way. Allow the grant %s for it "+
			"at the service.", o.Client, o.Grant),
		"invalid_grant": "The code or token was refused: it was used before, has run out, or was made " +
			"for another redirect address. Begin again.",
		"invalid_scope": fmt.Sprintf("It has no such scope among: %s. Correct them in connections/%s.yaml.",
			strings.Join(scopes(c), ", "), c.ID),
		"invalid_request": "It did not understand the request; often the redirect address is not among " +
			"those written down there. Copy it from the connection's page.",
		"redirect_uri_mismatch": "The redirect address is not among those written down at the service. Copy it " +
			"from the connection's page, to the letter.",
		"unsupported_grant_type": fmt.Sprintf("It knows no grant %s. Choose another in connections/%s.yaml.",
			o.Grant, c.ID),
		"unsupported_response_type": "It does not give codes. Ask its owner to allow the authorization code grant.",
		"server_error":              "It failed inside. Try again in a while.",
		"temporarily_unavailable":   "It is overloaded or being looked after. Try again in a while.",
	}[code]
	if what == "" {
		what = "It answered " + code + "."
	}
	if description != "" {
		what += " (It said: " + description + ")"
	}
	return c.Title + ": " + what
}
