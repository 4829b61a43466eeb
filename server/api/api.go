// Package api is the service's HTTP face: the console's and the programs' API,
// the public addresses of webhooks, and the console itself.
//
// Every route stands in one table with the role it needs; the router, the
// OpenAPI description and the test that walks all roles are made from it.
package api

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"io/fs"
	"log/slog"
	"net/http"
	"strings"
	"time"

	"github.com/go-chi/chi/v5"
	"github.com/go-chi/chi/v5/middleware"
	"golang.org/x/time/rate"

	"woolsignal/server/access"
	"woolsignal/server/audit"
	"woolsignal/server/callers"
	"woolsignal/server/engine"
	"woolsignal/server/fault"
	"woolsignal/server/intake"
	"woolsignal/server/oauth"
	"woolsignal/server/problem"
	"woolsignal/server/store"
	"woolsignal/server/tool"
	"woolsignal/server/vault"
	"woolsignal/server/workspace"
)

// API holds what the handlers need.
type API struct {
	Store     *store.Store
	Workspace *workspace.Holder
	Engine    *engine.Engine
	Secrets   *vault.Vault
	Tokens    *oauth.Keeper
	Kit       *tool.Kit
	Access    *access.Access
	Audit     *audit.Trail
	Log       *slog.Logger
	Console   fs.FS // the built console
	streams   streams
	texts     turns          // who has a long text looked through
	floods    *callers.Limit // how often somebody who is held up is told of
	Public    string         // the address people use, where a proxy stands between; "" is the one they ask by
}

// cookieName is the session's cookie.
const cookieName = "woolsignal_session"

// Handler gives the whole service.
func (a *API) Handler() http.Handler {
	a.floods = callers.NewLimit(rate.Every(time.Minute))
	r := chi.NewRouter()
	r.Use(a.recoverer, a.secure)
	// Public addresses: their own rules, no cookies.
	limits := intake.NewLimits()
	webhooks := &intake.Webhooks{Workspace: a.Workspace, Engine: a.Engine, Kit: a.Kit, Secrets: a.Secrets,
		Log: a.Log, Limits: limits}
	r.Handle("/in/{path}", a.signed(webhooks))
	r.Handle("/in/{path}/{draft:draft}", a.signed(webhooks))
	r.Handle("/slip/{page}", &intake.Forms{Workspace: a.Workspace, Engine: a.Engine, Kit: a.Kit, Log: a.Log,
		Limits: limits})
	r.Handle("/call/{path}", a.signed(&intake.Phones{Workspace: a.Workspace, Engine: a.Engine, Secrets: a.Secrets,
		Store: a.Store, Log: a.Log, Limits: limits}))
	r.Handle("/events/{connection}", a.signed(&intake.ChatEvents{Workspace: a.Workspace, Engine: a.Engine, Kit: a.Kit,
		Secrets: a.Secrets, Log: a.Log, Limits: limits, Access: a.Access, Audit: a.Audit}))
	hosted := &intake.Hosted{Workspace: a.Workspace, Engine: a.Engine, Log: a.Log, Limits: limits,
		Thread: a.visitorThread, File: a.visitorFile}
	r.Handle("/talk/{page}/messages", hosted)
	r.Get("/talk/{page}/files/{hash}", hosted.GiveFile)
	r.Get("/talk/{page}/words", hosted.Hear)
	r.Get(returnPath+"{connection}", a.oauthReturn)
	r.Route(prefix, func(r chi.Router) {
		r.Use(middleware.Compress(5, "application/json"), sameOrigin)
		for _, route := range a.Routes() {
			r.Method(route.Method, route.Path, a.guard(route))
		}
		r.NotFound(func(w http.ResponseWriter, r *http.Request) {
			problem.Write(w, http.StatusNotFound, "There is no such address", "The API is described at "+prefix+
				"/openapi.json.")
		})
		r.MethodNotAllowed(func(w http.ResponseWriter, r *http.Request) {
			problem.Write(w, http.StatusMethodNotAllowed, "Wrong method", r.Method+
				" is not possible here; the API is described at "+prefix+"/openapi.json.")
		})
	})
	r.Group(func(r chi.Router) {
		r.Use(middleware.Compress(5))
		r.Get("/*", a.console)
	})
	return r
}

// prefix is where the API stands.
const prefix = "/api/v1"

// secure sets the headers every answer has.
func (a *API) secure(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		h := w.Header()
		if strings.HasPrefix(a.Public, "https:") { // RFC 6797
			h.Set("Strict-Transport-Security", "max-age=31536000")
		}
		h.Set("X-Content-Type-Options", "nosniff")
		h.Set("Referrer-Policy", "same-origin")
		// Styles may be inline: the interface components set positions that way.
		h.Set("Content-Security-Policy",
			"default-src 'self'; script-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data: blob:; "+
				"font-src 'self'; connect-src 'self'; frame-ancestors 'none'; base-uri 'none'; form-action 'self'; "+
				"object-src 'none'")
		next.ServeHTTP(w, r)
	})
}

// sameOrigin refuses requests that another site makes a browser send.
func sameOrigin(next http.Handler) http.Handler {
	guard := http.NewCrossOriginProtection()
	guard.SetDenyHandler(http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) {
		problem.Write(w, http.StatusForbidden, "Sent from another site",
			"Changes are only taken from the console itself or from a program with a token.")
	}))
	return guard.Handler(next)
}

func (a *API) recoverer(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		err := fault.Catch(a.Log, "the request "+r.Method+" "+r.URL.Path, func() error {
			next.ServeHTTP(w, r)
			return nil
		})
		if err != nil {
			problem.Write(w, http.StatusInternalServerError, "Something went wrong here", "It is in the service's log.")
		}
	})
}

type personKey struct{}

// person gives who asks; the guard has put them there.
func person(ctx context.Context) access.Person {
	p, _ := ctx.Value(personKey{}).(access.Person)
	return p
}

// guard lets through who may.
func (a *API) guard(route Route) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if route.Role != "" {
			p, err := a.who(r)
			switch {
			case errors.Is(err, access.ErrNotSignedIn):
				a.wrongToken(r)
				w.Header().Set("WWW-Authenticate", "Bearer")
				problem.Write(w, http.StatusUnauthorized, "Not signed in",
					"Sign in at the console, or send a token: Authorization: Bearer ….")
				return
			case err != nil:
				a.fail(w, r, err)
				return
			case !p.Role.Allows(route.Role):
				a.note(r, audit.Event{Did: audit.Request, Who: p.Email, About: r.Method + " " + route.Path + " as " +
					string(p.Role), Refused: true})
				problem.Write(w, http.StatusForbidden, "Not allowed", "This needs the role "+string(route.Role)+"; "+
					p.Name+" is "+string(p.Role)+".")
				return
			}
			r = r.WithContext(context.WithValue(r.Context(), personKey{}, p))
		}
		var touched string
		if route.Audited != "" {
			r = r.WithContext(context.WithValue(r.Context(), touchedKey{}, &touched))
		}
		r.Body = http.MaxBytesReader(w, r.Body, cmp.Or(route.Most, maxBody))
		err := route.asked(r)
		if err == nil {
			err = route.handle(w, r)
		}
		if err == nil && route.Audited != "" {
			a.did(r, route, touched)
		}
		if err != nil {
			a.fail(w, r, err)
		}
	})
}

// maxBody is how large a request to the API may be, in bytes.
const maxBody = 5 << 20

// maxFiles is how large all files of a workspace may be as they are sent, in
// bytes; a description of a large API has some 15 MB.
const maxFiles = 64 << 20

// who finds the person behind a token or a session.
func (a *API) who(r *http.Request) (access.Person, error) {
	token, cookie := shown(r)
	if token != "" {
		return a.Access.ByToken(r.Context(), token)
	}
	return a.Access.BySession(r.Context(), cookie)
}

// shown is the token a request shows, or else its session's cookie.
func shown(r *http.Request) (token, cookie string) {
	if token, ok := strings.CutPrefix(r.Header.Get("Authorization"), "Bearer "); ok {
		return strings.TrimSpace(token), ""
	}
	if c, err := r.Cookie(cookieName); err == nil {
		return "", c.Value
	}
	return "", ""
}

// refusal is an error with its answer.
type refusal struct{ problem.Details }

func (r *refusal) Error() string { return r.Title + ": " + r.Detail }

func refuse(status int, title, detail string) error {
	return &refusal{problem.Details{Status: status, Title: title, Detail: detail}}
}

// fail answers with what an error means.
func (a *API) fail(w http.ResponseWriter, r *http.Request, err error) {
	var refused *refusal
	var large *http.MaxBytesError
	var conflict *workspace.ConflictError
	var clash *workspace.ClashError
	var place *workspace.PlaceError
	var input *engine.InputError
	switch {
	case errors.As(err, &refused):
		refused.Details.Write(w)
	case errors.As(err, &large):
		problem.Write(w, http.StatusRequestEntityTooLarge, "Too large", fmt.Sprintf("This request may have %d MiB.",
			large.Limit>>20))
	case errors.Is(err, engine.ErrNoRun), errors.Is(err, workspace.ErrNoWorkflow), errors.Is(err,
		workspace.ErrNoVersion):
		problem.Write(w, http.StatusNotFound, "Not here", err.Error()+".")
	case errors.Is(err, workspace.ErrTaken):
		problem.Write(w, http.StatusConflict, "The name is taken", err.Error()+".")
	case errors.Is(err, workspace.ErrAgentOff):
		problem.Write(w, http.StatusConflict, "Switched off", err.Error()+".")
	case errors.Is(err, workspace.ErrNotLive), errors.Is(err, workspace.ErrOff):
		problem.Write(w, http.StatusConflict, "Not live", err.Error()+".")
	case errors.Is(err, workspace.ErrProblems):
		problem.Write(w, http.StatusUnprocessableEntity, "The checker found problems", err.Error()+".")
	case errors.As(err, &conflict):
		(&problem.Details{Status: http.StatusConflict, Title: "Changed meanwhile", Detail: err.Error() +
			". Nothing was written.", More: map[string]any{"files": conflict.Files}}).Write(w)
	case errors.As(err, &clash):
		(&problem.Details{Status: http.StatusConflict, Title: "Changed meanwhile", Detail: err.Error() +
			". Nothing was written.", More: map[string]any{"by": clash.By, "text": clash.Text,
			"clashes": clash.Clashes}}).Write(w)
	case errors.As(err, &place):
		problem.Write(w, http.StatusConflict, "The place is taken", err.Error()+
			". Choose another, or switch that workflow off.")
	case errors.As(err, &input):
		problem.Write(w, http.StatusUnprocessableEntity, "This does not fit", err.Error()+".")
	case errors.Is(err, engine.ErrBusy):
		w.Header().Set("Retry-After", "5")
		problem.Write(w, http.StatusServiceUnavailable, "Busy", err.Error()+".")
	case errors.Is(err, store.ErrClosed):
		w.Header().Set("Retry-After", "5")
		problem.Write(w, http.StatusServiceUnavailable, "Stopping", err.Error()+".")
	case errors.Is(err, context.Canceled):
		// the caller is gone
	default:
		a.Log.Error("a request failed", "method", r.Method, "path", r.URL.Path, "error", err)
		problem.Write(w, http.StatusInternalServerError, "Something went wrong here", "It is in the service's log.")
	}
}

func optional(ms *int64) *time.Time {
	if ms == nil {
		return nil
	}
	t := store.FromTime(*ms)
	return &t
}
