package api

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"maps"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/go-chi/chi/v5"

	"woolsignal/core/flow"
	"woolsignal/core/shape"
	"woolsignal/server/access"
	"woolsignal/server/oauth"
	"woolsignal/server/store"
	"woolsignal/server/tool"
	"woolsignal/server/vault"
	"woolsignal/server/workspace"
	"woolsignal/wire"
)

func (a *API) connections(r *request, _ none) ([]wire.Connection, error) {
	all, err := a.describeConnections(r)
	if err != nil {
		return nil, err
	}
	return all, nil
}

// describeConnections lists every connection with how it fares.
func (a *API) describeConnections(r *request) ([]wire.Connection, error) {
	s := a.Workspace.Now()
	out := []wire.Connection{}
	for _, id := range slices.Sorted(maps.Keys(s.Connections)) {
		one, err := a.describeConnection(r, s, s.Connections[id])
		if err != nil {
			return nil, err
		}
		out = append(out, one)
	}
	return out, nil
}

func (a *API) describeConnection(r *request, s *workspace.Snapshot, c *flow.Connection) (wire.Connection, error) {
	out := wire.Connection{ID: c.ID, Title: c.Title, Kind: c.Kind, Address: c.Address, Acts: c.Acts, Auth: c.Auth.Kind,
		Needs: c.NeedsSecret(), Has: a.Secrets.Has(c.ID, c.SecretFor()), Used: usedBy(s, c.ID)}
	if out.Needs {
		out.For, out.Moved = c.SecretFor(), a.moved(c)
	}
	out.Ready = out.Has || !out.Needs
	for _, op := range s.Tools {
		if op.Connection == c.ID {
			out.Tools++
		}
	}
	if err := a.health(r.Context(), &out); err != nil {
		return out, err
	}
	if err := a.looks(r.Context(), &out); err != nil {
		return out, err
	}
	if o := c.Auth.OAuth; o != nil {
		expires, known, problem, err := a.Tokens.Expires(r.Context(), c,
			oauth.Whom(c, person(r.Context()).Email))
		if err != nil {
			return out, err
		}
		out.SignIn = &wire.SignInState{Redirect: a.redirect(r, c.ID), Scopes: o.Scopes, Grant: o.Grant, Signed: known &&
			problem == "", Problem: problem}
		if !expires.IsZero() {
			out.SignIn.Expires = &expires
		}
		if o.Grant == "authorization_code" {
			out.Ready = out.SignIn.Signed
		}
	}
	return out, nil
}

// moved says that the secrets a connection has were given for other places than it leads
// to; "" where that is not so.
func (a *API) moved(c *flow.Connection) string {
	_, err := a.Secrets.Get(c.ID, c.SecretFor())
	var moved *vault.MovedError
	if !errors.As(err, &moved) {
		return ""
	}
	return fmt.Sprintf("Its secret was given for %s. It is not sent to %s: give it one for there.",
		strings.Join(moved.Others, " and for "), moved.Place)
}

// health reads how a connection's last test and last calls went.
func (a *API) health(ctx context.Context, out *wire.Connection) error {
	var tested, worked, failed *int64
	var fine *bool
	var verdict, remedy, problem string
	err := a.Store.Read().QueryRowContext(ctx,
		"SELECT tested, fine, verdict, remedy, worked, failed, problem FROM health WHERE connection = ?", out.ID).
		Scan(&tested, &fine, &verdict, &remedy, &worked, &failed, &problem)
	if errors.Is(err, sql.ErrNoRows) {
		return nil
	}
	out.Tested, out.Worked, out.Failed = optional(tested), optional(worked), optional(failed)
	if fine != nil {
		out.Verdict = &wire.Verdict{Fine: *fine, Words: verdict, Remedy: remedy}
	}
	if failed != nil && (worked == nil || *failed > *worked) {
		out.Problem = problem
	}
	return err
}

// looks reads how the looks at what triggers watch went.
func (a *API) looks(ctx context.Context, out *wire.Connection) error {
	rows, err := a.Store.Read().QueryContext(ctx,
		"SELECT what, looked, problem FROM looks WHERE connection = ? ORDER BY what", out.ID)
	if err != nil {
		return err
	}
	defer rows.Close()
	for rows.Next() {
		var what, problem string
		var looked int64
		if err := rows.Scan(&what, &looked, &problem); err != nil {
			return err
		}
		out.Watched = append(out.Watched, wire.Look{What: what, Looked: store.FromTime(looked), Problem: problem})
	}
	return rows.Err()
}

// redirect is where the other side of a connection sends people back to.
func (a *API) redirect(r *request, connection string) string {
	return a.origin(r.Request) + returnPath + connection
}

// returnPath is where a sign-in elsewhere comes back, before the connection's
// id: each has an address of its own.
const returnPath = "/oauth/return/"

func (a *API) origin(r *http.Request) string {
	if a.Public != "" {
		return a.Public
	}
	scheme := "http"
	if r.TLS != nil {
		scheme = "https"
	}
	return scheme + "://" + r.Host
}

// usedBy lists who needs a connection or a table.
func usedBy(s *workspace.Snapshot, id string) []string {
	used := map[string]bool{}
	of := func(name string) bool { return strings.HasPrefix(name, id+"/") }
	model := func(name string) bool { c, _, ok := s.FindModel(name); return ok && c.ID == id }
	uses := func(name string, w *flow.Workflow) {
		for _, t := range w.Triggers {
			used[name] = used[name] || t.Connection() == id || slices.Contains(t.Uses(flow.HoldsTable), id)
		}
		flow.Walk(w.Steps, func(step *flow.Step) {
			t := step.Hears()
			used[name] = used[name] || slices.ContainsFunc(step.Uses(flow.HoldsTool), of) || t != nil &&
				t.Connection() == id || slices.ContainsFunc(step.Uses(flow.HoldsModel), model)
		})
	}
	for name, w := range s.Workflows {
		uses(name, w)
	}
	for name, live := range s.Live { // which may need what the draft no longer does
		uses(name, live.Workflow)
	}
	for name, agent := range s.Agents {
		used[name] = used[name] || model(agent.Model) ||
			slices.ContainsFunc(agent.Tools, func(t flow.AgentTool) bool { return of(t.Tool) })
	}
	for name, c := range s.Connections {
		used[name] = used[name] || slices.Contains(c.Uses(flow.HoldsConnection), id)
	}
	maps.DeleteFunc(used, func(_ string, yes bool) bool { return !yes })
	return append([]string{}, slices.Sorted(maps.Keys(used))...) // never null
}

// connectionOf finds the connection an address names.
func (a *API) connectionOf(r *request) (*workspace.Snapshot, *flow.Connection, error) {
	s, id := a.Workspace.Now(), r.Param("connection")
	c := s.Connections[id]
	if c == nil {
		return s, nil, refuse(http.StatusNotFound, "Not here", "There is no connection "+id+".")
	}
	return s, c, nil
}

func (a *API) connection(r *request, _ none) (wire.ConnectionDetail, error) {
	s, c, err := a.connectionOf(r)
	if err != nil {
		return wire.ConnectionDetail{}, err
	}
	one, err := a.describeConnection(r, s, c)
	if err != nil {
		return wire.ConnectionDetail{}, err
	}
	file := "connections/" + c.ID + ".yaml"
	out := wire.ConnectionDetail{Connection: one, Operations: []wire.ToolInfo{}, File: file, Text: s.Files[file]}
	for _, op := range s.Tools.Search("", c.ID, mostTools) {
		info := toolInfo(op)
		info.Takes = shape.Shape(op.Input).Contents()
		if op.Output != nil {
			info.Gives = shape.Shape(op.Output).Contents()
		}
		out.Operations = append(out.Operations, info)
	}
	return out, nil
}

func toolInfo(op *tool.Operation) wire.ToolInfo {
	return wire.ToolInfo{Tool: op.Tool, Listed: slices.Sorted(maps.Keys(op.Choices))}
}

func (a *API) testConnection(r *request, _ none) (wire.Verdict, error) {
	s, c, err := a.connectionOf(r)
	if err != nil {
		return wire.Verdict{}, err
	}
	v, err := a.Kit.Test(r.Context(), s.Workspace, s.Tools, c)
	if err != nil {
		return wire.Verdict{}, err
	}
	return wire.Verdict{Fine: v.Fine, Words: v.Words, Remedy: v.Remedy}, nil
}

// putSecret keeps a secret, tests the connection with it, and lets what
// waited for it go on.
func (a *API) putSecret(r *request, in wire.Secret) (wire.Verdict, error) {
	_, c, err := a.connectionOf(r)
	if err != nil {
		return wire.Verdict{}, err
	}
	if !c.NeedsSecret() {
		return wire.Verdict{}, refuse(http.StatusUnprocessableEntity, "It needs no secret", "The file of "+c.ID+
			" says nothing under auth:, so a secret would never be used.")
	}
	if err := fitSecret(in.Secret); err != nil {
		return wire.Verdict{}, err
	}
	if in.For != "" {
		return a.putAhead(r, c, in)
	}
	v, err := a.equip(r.Context(), c, in.Secret)
	if err != nil {
		return wire.Verdict{}, err
	}
	return *v, nil
}

// putAhead keeps a secret for where a connection is to lead later, so that nothing stands
// still when it does.
func (a *API) putAhead(r *request, c *flow.Connection, in wire.Secret) (wire.Verdict, error) {
	places := strings.Split(in.For, " and ")
	for i, one := range places {
		u, err := url.Parse(strings.TrimSpace(one))
		if err != nil || u.Host == "" || u.Path != "" && u.Path != "/" || u.User != nil || u.RawQuery != "" {
			return wire.Verdict{}, refuse(http.StatusUnprocessableEntity, "Where does it go?", fmt.Sprintf(
				"%q is no origin. Send for as scheme, host and port, such as https://models.example:8443; of a "+
					"mailbox as imaps://mail.example and smtps://mail.example.", one))
		}
		places[i] = flow.Origin(one)
	}
	switch place := strings.Join(places, " and "); {
	case c.Auth.OAuth != nil:
		return wire.Verdict{}, refuse(http.StatusUnprocessableEntity, "It is signed in to",
			"What OAuth gives counts where it was given. Change the file, then sign in there.")
	case c.SecretFor() == "":
		return wire.Verdict{}, refuse(http.StatusUnprocessableEntity, "It is sent nowhere",
			"The key of "+c.ID+" only verifies, wherever that is; give it without saying where for.")
	case place == c.SecretFor():
		return wire.Verdict{}, refuse(http.StatusConflict, "It leads there already",
			"Give the secret of "+c.ID+" without saying where for: it is tested then.")
	default:
		return wire.Verdict{Fine: true, Words: "kept for " + place + ", and used once the connection leads there"},
			a.Secrets.Put(r.Context(), c.ID, place, in.Secret)
	}
}

// fitSecret refuses what cannot be a secret.
func fitSecret(secret string) error {
	if strings.TrimSpace(secret) == "" {
		return refuse(http.StatusUnprocessableEntity, "The secret is empty",
			"Send the key, password or token the service gave you.")
	}
	if len(secret) < vault.Shortest {
		return refuse(http.StatusUnprocessableEntity, "The secret is too short", fmt.Sprintf(
			"Wherever it echoes it could not be hidden, and it would be guessed at once; have the other side give you "+
				"one of at least %d characters.", vault.Shortest))
	}
	return nil
}

func (a *API) rotateKey(r *request, _ none) (wire.Rotated, error) {
	n, err := a.Secrets.RotateKey(r.Context())
	if err != nil {
		return wire.Rotated{}, err
	}
	return wire.Rotated{Secrets: n}, nil
}

// signInElsewhere begins signing in at another service. What acts as the
// person who is served is everybody's own; the rest is the builders'.
func (a *API) signInElsewhere(r *request, _ none) (wire.Address, error) {
	_, c, err := a.connectionOf(r)
	if err != nil {
		return wire.Address{}, err
	}
	p := person(r.Context())
	switch {
	case c.Auth.OAuth == nil || c.Auth.OAuth.Grant != "authorization_code":
		return wire.Address{}, refuse(http.StatusUnprocessableEntity, "Nobody signs in there", c.Title+
			" is not signed in to in a browser.")
	case c.Acts != "person" && !p.Role.Allows(access.Builder):
		return wire.Address{}, refuse(http.StatusForbidden, "Not allowed", "This needs the role builder; "+p.Name+
			" is "+string(p.Role)+".")
	}
	at, err := a.Tokens.Begin(r.Context(), c, p.Email, a.redirect(r, c.ID), p.Name)
	if err != nil {
		return wire.Address{}, err
	}
	return wire.Address{Address: at}, nil
}

// oauthReturn is where people are sent back to: in a browser in which who began
// is signed in.
func (a *API) oauthReturn(w http.ResponseWriter, r *http.Request) {
	q := r.URL.Query()
	p, err := a.who(r)
	if err != nil && !errors.Is(err, access.ErrNotSignedIn) {
		a.fail(w, r, err)
		return
	}
	errand, err := a.Tokens.Return(r.Context(), q.Get("state"), chi.URLParam(r, "connection"), p.Email)
	if err != nil {
		a.back(w, r, "", err.Error(), false)
		return
	}
	c := a.Workspace.Now().Connections[errand.Connection]
	switch {
	case c == nil || c.Auth.OAuth == nil:
		a.back(w, r, "", "The connection "+errand.Connection+" is gone.", false)
	case q.Get("error") != "":
		a.back(w, r, c.ID, oauth.ExplainCode(c, q.Get("error"), q.Get("error_description")), false)
	default:
		if err := a.Tokens.Finish(r.Context(), c, errand, q.Get("code")); err != nil {
			a.back(w, r, c.ID, err.Error(), false)
			return
		}
		if err := a.Engine.Connected(r.Context(), c.ID, errand.By); err != nil {
			a.Log.Error("what waited for a connection could not go on", "connection", c.ID, "error", err)
		}
		a.back(w, r, c.ID, "Signed in at "+c.Title+".", true)
	}
}

// outcomeCookie carries to the console what came of a sign-in elsewhere.
const outcomeCookie = "woolsignal_outcome"

// back sends a person to the connection's page with what came of it.
func (a *API) back(w http.ResponseWriter, r *http.Request, connection, words string, fine bool) {
	at := "/connections"
	if connection != "" {
		at += "/" + connection
	}
	// A cookie that the page reads once: in the address, anybody could put words
	// into our mouth.
	http.SetCookie(w, &http.Cookie{Name: outcomeCookie, Path: "/connections", MaxAge: 60,
		SameSite: http.SameSiteStrictMode, Secure: strings.HasPrefix(a.origin(r), "https:"),
		Value: url.Values{"said": {a.Secrets.Mask(words)}, "fine": {strconv.FormatBool(fine)}}.Encode()})
	http.Redirect(w, r, at, http.StatusSeeOther)
}

// mostTools bounds how many tools are listed at once.
const mostTools = 5000

func (a *API) tools(r *request, _ none) (wire.Tools, error) {
	q := r.URL.Query()
	limit := 50
	if n, err := strconv.Atoi(q.Get("limit")); err == nil && n > 0 {
		limit = min(n, mostTools)
	}
	s := a.Workspace.Now()
	out := wire.Tools{Tools: []wire.ToolInfo{}, All: len(s.Tools)}
	for _, op := range s.Tools.Search(q.Get("text"), q.Get("connection"), limit) {
		out.Tools = append(out.Tools, toolInfo(op))
	}
	return out, nil
}

// choices lists the values an argument of a tool can be fixed to.
func (a *API) choices(r *request, _ none) ([]wire.Choice, error) {
	name := r.Param("connection") + "/" + r.Param("operation")
	op := a.Workspace.Now().Tools[name]
	if op == nil {
		return nil, refuse(http.StatusNotFound, "Not here", "There is no tool "+name+".")
	}
	list := op.Choices[r.Param("argument")]
	if list == nil {
		return nil, refuse(http.StatusNotFound, "Nothing to list", name+" has no live list for "+r.Param("argument")+
			".")
	}
	ctx, cancel := context.WithTimeout(r.Context(), 20*time.Second)
	defer cancel()
	found, err := list(ctx)
	if err != nil {
		return nil, refuse(http.StatusBadGateway, "It could not be asked", a.Secrets.Mask(err.Error()))
	}
	out := []wire.Choice{}
	for _, c := range found {
		out = append(out, wire.Choice(c))
	}
	return out, nil
}
