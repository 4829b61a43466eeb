package api

import (
	"net/http"

	"woolsignal/server/access"
	"woolsignal/wire"
)

// Route is one address of the API.
type Route struct {
	Method  string
	Path    string      // below /api/v1, in chi's form
	Role    access.Role // least role; "" for everybody
	Summary string
	Query   []Parameter
	In, Out any // types of the bodies, nil where there is none
	handle  func(http.ResponseWriter, *http.Request) error
}

// Parameter is one value in the query.
type Parameter struct{ Name, Description string }

// Routes lists every address of the API.
func (a *API) Routes() []Route {
	const get, post, put, del = http.MethodGet, http.MethodPost, http.MethodPut, http.MethodDelete
	return []Route{
		{get, "/openapi.json", "", "This description", nil, nil, nil, a.openAPI},
		{post, "/session", "", "Sign in; the answer sets a cookie", nil, wire.SignIn{}, wire.Session{}, a.signIn},
		{post, "/tokens", "", "Get a token for programs, with e-mail and password", nil, wire.SignIn{}, wire.Token{}, a.newToken},
		{post, "/join", "", "Make an account with a one-time link, and sign in", nil, wire.Join{}, wire.Session{}, a.join},
		{get, "/session", access.Reader, "Who is signed in", nil, nil, wire.Session{}, a.session},
		{del, "/session", access.Reader, "Sign out", nil, nil, nil, a.signOut},
		{get, "/today", access.Reader, "What needs a person now", nil, nil, wire.Today{}, a.today},
		{get, "/live", access.Reader, "What changes, as server-sent events", nil, nil, nil, a.live},
		{get, "/workflows", access.Reader, "Every workflow", nil, nil, []wire.Workflow{}, a.workflows},
		{get, "/workflows/{workflow}", access.Reader, "A workflow as sentences and as its file", nil, nil, wire.Script{}, a.workflow},
		{post, "/workflows/{workflow}/chat", access.Reviewer, "Say something to a workflow", nil, wire.Said{}, wire.Heard{}, a.chat},
		{get, "/workflows/{workflow}/chat/{thread}", access.Reader, "A conversation of yours", nil, nil, wire.Thread{}, a.thread},
		{get, "/runs", access.Reader, "Runs, newest first", []Parameter{{"workflow", "Only this workflow's"}, {"status", "Only with this status"}, {"text", "Only where these words stand"},
			{"before", "Only older than this run"}, {"limit", "How many, at most 200"}}, nil, wire.Runs{}, a.runs},
		{get, "/runs/{run}", access.Reader, "A run in full", nil, nil, wire.Detail{}, a.run},
		{get, "/runs/{run}/journal", access.Reader, "A run's journal as it was written", nil, nil, nil, a.journal},
		{post, "/runs/{run}/cancel", access.Builder, "Stop a run before it is done", nil, wire.Stop{}, wire.Detail{}, a.cancel},
		{get, "/reviews", access.Reader, "What waits for a person", []Parameter{{"decided", "true lists the last 100 that were decided instead"}}, nil, wire.Reviews{}, a.reviews},
		{get, "/reviews/{review}", access.Reader, "One review", nil, nil, wire.Review{}, a.review},
		{post, "/reviews/{review}", access.Reviewer, "Decide a review", nil, wire.Decision{}, wire.Review{}, a.decide},
		{get, "/connections", access.Builder, "Every connection, without its secret", nil, nil, []wire.Connection{}, a.connections},
		{put, "/connections/{connection}/secret", access.Builder, "Replace a connection's secret", nil, wire.Secret{}, nil, a.putSecret},
		{get, "/files", access.Builder, "The workspace's files", nil, nil, wire.Files{}, a.files},
		{put, "/files", access.Builder, "Replace the workspace's files, when the checker finds nothing wrong", nil, wire.Files{}, wire.Checked{}, a.putFiles},
		{post, "/check", access.Builder, "Check files without keeping them", nil, wire.Files{}, wire.Checked{}, a.check},
		{get, "/people", access.Owner, "Everybody with an account", nil, nil, []wire.Person{}, a.people},
	}
}
