package api

import (
	"net/http"

	"woolsignal/core/flow"
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
		{post, "/workflows/{workflow}/runs", access.Builder, "Start a run on inputs, a sample or a signal", nil, wire.Start{}, wire.Started{}, a.start},
		{post, "/workflows/{workflow}/try", access.Builder, "Run one step of the draft alone", nil, wire.Try{}, wire.Started{}, a.try},
		{get, "/workflows/{workflow}/samples", access.Builder, "Kept signals", nil, nil, []wire.Sample{}, a.samples},
		{put, "/workflows/{workflow}/samples/{name}", access.Builder, "Keep a signal as a sample: a run's, one made up, or the next that comes", nil, wire.KeepSample{}, wire.Sample{}, a.keepSample},
		{get, "/workflows/{workflow}/versions", access.Reader, "Everything that was published, newest first", nil, nil, []wire.Version{}, a.versions},
		{get, "/workflows/{workflow}/diff", access.Builder, "What differs between two versions", []Parameter{{"from", "A version's number; what is live where it is missing"}, {"to", "A version's number, or draft"}}, nil, wire.Difference{}, a.diff},
		{post, "/workflows/{workflow}/revert", access.Builder, "Make an earlier version live again", nil, wire.Revert{}, wire.Version{}, a.revert},
		{put, "/workflows/{workflow}/on", access.Builder, "Switch a workflow on or off", nil, wire.Switch{}, wire.Switch{}, a.switchWorkflow},
		{post, "/workflows/{workflow}/rename", access.Builder, "Give a workflow another id, everywhere", nil, wire.Rename{}, wire.Checked{}, a.rename},
		{del, "/workflows/{workflow}", access.Builder, "Move a workflow to the bin", nil, nil, nil, a.deleteWorkflow},
		{post, "/publish", access.Builder, "Make drafts live", nil, wire.Publish{}, wire.Published{}, a.publish},
		{get, "/bin", access.Builder, "What was deleted, newest first", nil, nil, []wire.Binned{}, a.bin},
		{post, "/bin/{number}/restore", access.Builder, "Take something back from the bin", nil, nil, nil, a.takeBack},
		{get, "/on", access.Reader, "Whether the service carries anything out", nil, nil, wire.Switch{}, a.paused},
		{put, "/on", access.Builder, "Pause everything, or let it go on", nil, wire.Switch{}, wire.Switch{}, a.pause},
		{get, "/backup", access.Owner, "The database as it is now", nil, nil, nil, a.backup},
		{get, "/language", access.Reader, "What files can say, and the fields of each kind", nil, nil, flow.Language{}, a.language},
		{get, "/schemas/{kind}", "", "The JSON Schema of a kind of file", nil, nil, nil, a.fileSchema},
		{get, "/runs", access.Reader, "Runs, newest first", []Parameter{{"workflow", "Only this workflow's"}, {"status", "Only with this status"}, {"text", "Only where these words stand"},
			{"label", "Only with this label"}, {"kind", "Only started this way: chat, webhook, schedule, called, failure"}, {"since", "Only accepted at or after this time, RFC 3339"}, {"until", "Only accepted before this time, RFC 3339"},
			{"cost", "Only those that cost at least this much, in the workspace's currency"},
			{"before", "Only older than this run"}, {"limit", "How many, at most 200"}}, nil, wire.Runs{}, a.runs},
		{get, "/runs/{run}", access.Reader, "A run in full", nil, nil, wire.Detail{}, a.run},
		{get, "/runs/{run}/journal", access.Reader, "A run's journal as it was written", nil, nil, nil, a.journal},
		{post, "/runs/{run}/cancel", access.Builder, "Stop a run before it is done", nil, wire.Stop{}, wire.Detail{}, a.cancel},
		{post, "/runs/{run}/rerun", access.Builder, "Go through a run again, from any step", nil, wire.Rerun{}, wire.Started{}, a.rerun},
		{post, "/rerun", access.Builder, "Go through many runs again", nil, wire.RerunMany{}, wire.Rerunning{}, a.rerunMany},
		{get, "/reviews", access.Reader, "What waits for a person", []Parameter{{"decided", "true lists the last 100 that were decided instead"}}, nil, wire.Reviews{}, a.reviews},
		{get, "/reviews/{review}", access.Reader, "One review", nil, nil, wire.Review{}, a.review},
		{post, "/reviews/{review}", access.Reader, "Decide a review", nil, wire.Decision{}, wire.Review{}, a.decide},
		{get, "/connections", access.Builder, "Every connection and how it fares, without its secret", nil, nil, []wire.Connection{}, a.connections},
		{get, "/connections/{connection}", access.Builder, "A connection with its tools and file", nil, nil, wire.ConnectionDetail{}, a.connection},
		{put, "/connections/{connection}/secret", access.Builder, "Replace a connection's secret, everywhere it is used; the answer is the verdict of a test", nil, wire.Secret{}, wire.Verdict{}, a.putSecret},
		{post, "/connections/{connection}/test", access.Builder, "Try a connection without changing anything", nil, nil, wire.Verdict{}, a.testConnection},
		{post, "/connections/{connection}/sign-in", access.Reviewer, "Begin signing in at another service; the answer says where to go", nil, nil, wire.Address{}, a.signInElsewhere},
		{post, "/key", access.Owner, "Make a new key and seal every secret with it", nil, nil, wire.Rotated{}, a.rotateKey},
		{get, "/tools", access.Builder, "The catalogue of tools", []Parameter{{"text", "Only with all of these words"}, {"connection", "Only of this connection or table"}, {"limit", "How many, at most 500"}}, nil, wire.Tools{}, a.tools},
		{get, "/tools/{connection}/{operation}/choices/{argument}", access.Builder, "The values an argument can be fixed to, asked of the service now", nil, nil, []wire.Choice{}, a.choices},
		{get, "/tables", access.Reader, "Every table of the workspace", nil, nil, []wire.Table{}, a.tables},
		{get, "/tables/{table}/rows", access.Reader, "Rows, newest first", []Parameter{{"text", "Only where these words stand"}, {"before", "Only added before this row"}, {"limit", "How many, at most 1000"}}, nil, wire.Rows{}, a.rows},
		{post, "/tables/{table}/rows", access.Reviewer, "Add a row", nil, wire.RowValues{}, wire.Row{}, a.addRow},
		{put, "/tables/{table}/rows/{row}", access.Reviewer, "Change values of a row", nil, wire.RowValues{}, wire.Row{}, a.changeRow},
		{del, "/tables/{table}/rows/{row}", access.Builder, "Remove a row for good", nil, nil, nil, a.removeRow},
		{get, "/tables/{table}/csv", access.Reader, "Every row as CSV", nil, nil, wire.CSV{}, a.exportRows},
		{post, "/tables/{table}/csv", access.Builder, "Add the rows of a CSV text; nothing where any line is wrong", nil, wire.CSV{}, wire.Imported{}, a.importRows},
		{get, "/blobs/{hash}", access.Reader, "A file that came with a signal or that a tool gave", []Parameter{{"name", "What to call it"}}, nil, nil, a.blob},
		{get, "/files", access.Builder, "The workspace's files", nil, nil, wire.Files{}, a.files},
		{put, "/files", access.Builder, "Replace the workspace's files, the draft, when the checker finds nothing wrong", nil, wire.Files{}, wire.Checked{}, a.putFiles},
		{post, "/check", access.Builder, "Check files without keeping them", nil, wire.Files{}, wire.Checked{}, a.check},
		{get, "/people", access.Owner, "Everybody with an account", nil, nil, []wire.Person{}, a.people},
	}
}
