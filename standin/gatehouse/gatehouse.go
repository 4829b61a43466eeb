// Package gatehouse plays a sign-in server: OAuth 2.0 (RFC 6749) with PKCE
// (RFC 7636), scopes, and redirect addresses that must fit to the letter.
package gatehouse

import (
	"crypto/rand"
	"crypto/sha256"
	"encoding/base64"
	"encoding/json"
	"fmt"
	"html/template"
	"net/http"
	"net/url"
	"slices"
	"strings"
	"sync"
	"time"

	"github.com/go-chi/chi/v5"

	"woolsignal/standin/ledger"
)

// Client is a program that may ask for tokens.
type Client struct {
	ID        string   `json:"id"`
	Secret    string   `json:"secret"`
	Redirects []string `json:"redirects"`
	Scopes    []string `json:"scopes"`
	Grants    []string `json:"grants"`
}

type code struct {
	client, redirect, challenge, person string
	scopes                              []string
	expires                             time.Time
}

type token struct {
	client, person, refresh string
	scopes                  []string
	expires                 time.Time
}

// Server gives tokens, and tells other stand-ins what one allows.
type Server struct {
	Life time.Duration // of access tokens

	mu        sync.Mutex // guards what follows
	clients   map[string]*Client
	codes     map[string]code
	tokens    map[string]*token
	refreshes map[string]*token
}

// New makes the server with the demo's client, whose secret is given.
func New(secret string) (*Server, http.Handler) {
	s := &Server{Life: time.Hour, clients: map[string]*Client{}, codes: map[string]code{}, tokens: map[string]*token{},
		refreshes: map[string]*token{}}
	s.clients["woolsignal"] = &Client{ID: "woolsignal", Secret: secret,
		Scopes: []string{"files.read", "files.write", "minutes.read", "profile"},
		Grants: []string{"authorization_code", "client_credentials", "refresh_token"}}
	r := chi.NewRouter()
	r.Get("/", func(w http.ResponseWriter, _ *http.Request) {
		show(w, http.StatusOK, view{Title: "Gatehouse",
			Words: "The demo's simulated sign-in server. Programs send you here to be asked."})
	})
	r.Get("/authorize", s.ask)
	r.Post("/authorize", s.said)
	r.Post("/token", s.token)
	r.Post("/_clients", s.register)
	r.Post("/_revoke", s.revoke)
	r.Post("/_life", s.setLife)
	return s, ledger.Wrap(r)
}

// Allows tells whether an access token is good for a scope.
func (s *Server) Allows(access, scope string) (status int, why string) {
	s.mu.Lock()
	defer s.mu.Unlock()
	t := s.tokens[access]
	switch {
	case t == nil:
		return http.StatusUnauthorized, "the token is unknown or was revoked"
	case time.Now().After(t.expires):
		return http.StatusUnauthorized, "the token has expired"
	case !slices.Contains(t.scopes, scope):
		return http.StatusForbidden, "the token lacks the scope " + scope
	}
	return http.StatusOK, ""
}

func random() string {
	b := make([]byte, 24)
	if _, err := rand.Read(b); err != nil {
		panic(err) // crypto/rand never fails on a working system
	}
	return base64.RawURLEncoding.EncodeToString(b)
}

type view struct {
	Title, Words string
	Ask          bool
	Query        template.URL // encoded already
	Scopes       []string
}

var pageOf = template.Must(template.New("").Parse(`<!doctype html><html lang="en"><head><meta charset="utf-8">
<meta name="viewport" content="width=device-width, initial-scale=1">
<title>{{.Title}}</title>
<style>body{font:16px/1.5 system-ui,sans-serif;background:#efeae4;color:#2b241c}
main{max-width:30rem;margin:3rem auto;background:#fff;border:1px solid #d8cec0;border-radius:8px;padding:1.5rem}
button,input{font:inherit;padding:.4rem .9rem}</style></head><body><main>
<h1>{{.Title}}</h1><p>{{.Words}}</p>
{{if .Ask}}<form method="post" action="/authorize?{{.Query}}"><p><label>
You are <input name="person" value="ines@larkrigg.example"></label></p>
{{range .Scopes}}<p><label><input type="checkbox" name="scope" value="{{.}}" checked> {{.}}</label></p>{{end}}
<button name="answer" value="yes">Allow</button>
<button name="answer" value="no">Do not allow</button></form>{{end}}</main></body></html>`))

func show(w http.ResponseWriter, status int, v view) {
	w.Header().Set("Content-Type", "text/html; charset=utf-8")
	w.WriteHeader(status)
	_ = pageOf.Execute(w, v)
}

// request checks an authorization request. What is wrong with the client or
// its redirect address is shown here: nobody may be sent to an address that
// is not written down (RFC 6749, 4.1.2.1).
func (s *Server) request(w http.ResponseWriter, r *http.Request) (*Client, url.Values, bool) {
	q := r.URL.Query()
	s.mu.Lock()
	defer s.mu.Unlock()
	c := s.clients[q.Get("client_id")]
	switch {
	case c == nil:
		show(w, http.StatusBadRequest, view{Title: "Unknown client", Words: "No program is called " +
			q.Get("client_id") + " here."})
		return nil, nil, false
	case !slices.Contains(c.Redirects, q.Get("redirect_uri")):
		show(w, http.StatusBadRequest, view{Title: "Redirect address mismatch",
			Words: fmt.Sprintf("%s is not among the redirect addresses of %s: %s", q.Get("redirect_uri"), c.ID,
				strings.Join(c.Redirects, ", "))})
		return nil, nil, false
	}
	return c, q, true
}

func back(w http.ResponseWriter, r *http.Request, q url.Values, more url.Values) {
	more.Set("state", q.Get("state"))
	http.Redirect(w, r, q.Get("redirect_uri")+"?"+more.Encode(), http.StatusFound)
}

func (s *Server) ask(w http.ResponseWriter, r *http.Request) {
	c, q, ok := s.request(w, r)
	if !ok {
		return
	}
	wanted := strings.Fields(q.Get("scope"))
	for _, scope := range wanted {
		if !slices.Contains(c.Scopes, scope) {
			back(w, r, q, url.Values{"error": {"invalid_scope"}, "error_description": {"there is no scope " + scope}})
			return
		}
	}
	if q.Get("response_type") != "code" || q.Get("code_challenge_method") != "S256" || q.Get("code_challenge") == "" {
		back(w, r, q, url.Values{"error": {"invalid_request"},
			"error_description": {"ask for a code, with PKCE by S256"}})
		return
	}
	show(w, http.StatusOK, view{Title: "Allow " + c.ID + "?", Words: "It asks to act for you here.", Ask: true,
		Query: template.URL(r.URL.RawQuery), Scopes: wanted})
}

func (s *Server) said(w http.ResponseWriter, r *http.Request) {
	c, q, ok := s.request(w, r)
	if !ok {
		return
	}
	if err := r.ParseForm(); err != nil || r.PostForm.Get("answer") != "yes" {
		back(w, r, q, url.Values{"error": {"access_denied"}})
		return
	}
	fresh := random()
	s.mu.Lock()
	s.codes[fresh] = code{c.ID, q.Get("redirect_uri"), q.Get("code_challenge"), r.PostForm.Get("person"),
		r.PostForm["scope"], time.Now().Add(time.Minute)}
	s.mu.Unlock()
	back(w, r, q, url.Values{"code": {fresh}})
}

func refuse(w http.ResponseWriter, status int, code, why string) {
	w.Header().Set("Content-Type", "application/json")
	w.WriteHeader(status)
	_ = json.NewEncoder(w).Encode(map[string]string{"error": code, "error_description": why})
}

func (s *Server) token(w http.ResponseWriter, r *http.Request) {
	if err := r.ParseForm(); err != nil {
		refuse(w, http.StatusBadRequest, "invalid_request", err.Error())
		return
	}
	id, secret, basic := r.BasicAuth()
	if !basic {
		id, secret = r.PostForm.Get("client_id"), r.PostForm.Get("client_secret")
	}
	s.mu.Lock()
	defer s.mu.Unlock()
	c := s.clients[id]
	if c == nil || c.Secret != secret {
		refuse(w, http.StatusUnauthorized, "invalid_client", "the client or its secret is wrong")
		return
	}
	grant := r.PostForm.Get("grant_type")
	if !slices.Contains(c.Grants, grant) {
		refuse(w, http.StatusBadRequest, "unauthorized_client", id+" may not use "+grant)
		return
	}
	switch grant {
	case "client_credentials":
		scopes := strings.Fields(r.PostForm.Get("scope"))
		for _, scope := range scopes {
			if !slices.Contains(c.Scopes, scope) {
				refuse(w, http.StatusBadRequest, "invalid_scope", "there is no scope "+scope)
				return
			}
		}
		s.give(w, &token{client: id, scopes: scopes}, false)
	case "authorization_code":
		k, ok := s.codes[r.PostForm.Get("code")]
		delete(s.codes, r.PostForm.Get("code"))
		sum := sha256.Sum256([]byte(r.PostForm.Get("code_verifier")))
		if !ok || k.client != id || k.redirect != r.PostForm.Get("redirect_uri") || time.Now().After(k.expires) ||
			base64.RawURLEncoding.EncodeToString(sum[:]) != k.challenge {
			refuse(w, http.StatusBadRequest, "invalid_grant", "the code, its redirect address or its verifier is wrong")
			return
		}
		s.give(w, &token{client: id, person: k.person, scopes: k.scopes}, true)
	case "refresh_token":
		old := s.refreshes[r.PostForm.Get("refresh_token")]
		if old == nil || old.client != id {
			refuse(w, http.StatusBadRequest, "invalid_grant", "the refresh token is unknown or was revoked")
			return
		}
		delete(s.refreshes, old.refresh) // each is good once
		s.give(w, &token{client: id, person: old.person, scopes: old.scopes}, true)
	default:
		refuse(w, http.StatusBadRequest, "unsupported_grant_type", "there is no grant "+grant)
	}
}

// give answers with a token. s.mu is held.
func (s *Server) give(w http.ResponseWriter, t *token, renewable bool) {
	access := random()
	t.expires = time.Now().Add(s.Life)
	s.tokens[access] = t
	out := map[string]any{"access_token": access, "token_type": "Bearer", "expires_in": int(s.Life.Seconds()),
		"scope": strings.Join(t.scopes, " ")}
	if renewable {
		t.refresh = random()
		s.refreshes[t.refresh] = t
		out["refresh_token"] = t.refresh
	}
	w.Header().Set("Content-Type", "application/json")
	w.Header().Set("Cache-Control", "no-store")
	_ = json.NewEncoder(w).Encode(out)
}

// register puts a client's redirect addresses, or a whole client, in place.
func (s *Server) register(w http.ResponseWriter, r *http.Request) {
	var in Client
	if err := json.NewDecoder(r.Body).Decode(&in); err != nil {
		refuse(w, http.StatusBadRequest, "invalid_request", err.Error())
		return
	}
	s.mu.Lock()
	defer s.mu.Unlock()
	if known := s.clients[in.ID]; known != nil && in.Secret == "" {
		known.Redirects = in.Redirects
	} else {
		s.clients[in.ID] = &in
	}
	w.WriteHeader(http.StatusNoContent)
}

// revoke takes every token back.
func (s *Server) revoke(w http.ResponseWriter, _ *http.Request) {
	s.mu.Lock()
	defer s.mu.Unlock()
	clear(s.tokens)
	clear(s.refreshes)
	w.WriteHeader(http.StatusNoContent)
}

// setLife says how long tokens given from now on are good.
func (s *Server) setLife(w http.ResponseWriter, r *http.Request) {
	var in struct{ Life string }
	err := json.NewDecoder(r.Body).Decode(&in)
	if err == nil {
		s.mu.Lock()
		defer s.mu.Unlock()
		s.Life, err = time.ParseDuration(in.Life)
	}
	if err != nil {
		refuse(w, http.StatusBadRequest, "invalid_request", err.Error())
		return
	}
	w.WriteHeader(http.StatusNoContent)
}
