package api

import (
	"net/http"

	"woolsignal/server/access"
)

// Routes lists every address of the API.
func (a *API) Routes() []Route {
	const get, post, put, del = http.MethodGet, http.MethodPost, http.MethodPut, http.MethodDelete
	return []Route{
		raw(get, "/openapi.json", "", "This description", "application/json", a.openAPI),
		on(post, "/session", "", "Sign in; the answer sets a cookie", a.signIn),
		on(post, "/tokens", "", "Get a token for programs, with e-mail and password", a.newToken),
		on(post, "/join", "", "Make an account with a one-time link, and sign in", a.join),
		on(get, "/session", access.Reader, "Who is signed in", a.session),
		on(del, "/session", access.Reader, "Sign out", a.signOut),
		on(get, "/today", access.Reader, "What needs a person now", a.today),
		raw(get, "/live", access.Reader, "What changes, as server-sent events", "text/event-stream", a.live),
		on(get, "/workflows", access.Reader, "Every workflow", a.workflows),
		on(get, "/workflows/{workflow}", access.Reader, "A workflow as sentences and as its file", a.workflow),
		on(post, "/workflows/{workflow}/chat", access.Reviewer, "Say something to a workflow", a.chat),
		on(get, "/workflows/{workflow}/chat/{thread}", access.Reader, "A conversation of yours", a.thread),
		on(post, "/workflows/{workflow}/runs", access.Builder, "Start a run on inputs, a sample or a signal", a.start),
		on(post, "/workflows/{workflow}/try", access.Builder, "Run one step of the draft alone", a.try),
		on(get, "/workflows/{workflow}/samples", access.Builder, "Kept signals", a.samples),
		on(put, "/workflows/{workflow}/samples/{name}", access.Builder, "Keep a signal as a sample: a run's, one made up, or the next that comes", a.keepSample).later("The next signal that comes is kept"),
		on(get, "/workflows/{workflow}/versions", access.Reader, "Everything that was published, newest first", a.versions),
		on(get, "/workflows/{workflow}/diff", access.Builder, "What differs between two versions", a.diff, Parameter{"from", "A version's number; what is live where it is missing", ""}, Parameter{"to", "A version's number, or draft", ""}),
		on(post, "/workflows/{workflow}/revert", access.Builder, "Make an earlier version live again", a.revert),
		on(put, "/workflows/{workflow}/on", access.Builder, "Switch a workflow on or off", a.switchWorkflow),
		on(post, "/workflows/{workflow}/rename", access.Builder, "Give a workflow another id, everywhere", a.rename),
		on(del, "/workflows/{workflow}", access.Builder, "Move a workflow to the bin", a.deleteWorkflow),
		on(post, "/publish", access.Builder, "Make drafts live", a.publish),
		on(get, "/bin", access.Builder, "What was deleted, newest first", a.bin),
		on(post, "/bin/{number}/restore", access.Builder, "Take something back from the bin", a.takeBack),
		on(get, "/on", access.Reader, "Whether the service carries anything out", a.paused),
		on(put, "/on", access.Builder, "Pause everything, or let it go on", a.pause),
		raw(get, "/backup", access.Owner, "The database as it is now", "application/vnd.sqlite3", a.backup),
		on(get, "/language", access.Reader, "What files can say, and the fields of each kind", a.language),
		raw(get, "/schemas/{kind}", "", "The JSON Schema of a kind of file", "application/schema+json", a.fileSchema),
		on(get, "/runs", access.Reader, "Runs, newest first", a.runs, Parameter{"workflow", "Only this workflow's", ""}, Parameter{"status", "Only with this status", ""}, Parameter{"text", "Only where these words stand", ""}, Parameter{"label", "Only with this label", ""}, Parameter{"kind", "Only started this way: chat, webhook, schedule, called, failure", ""}, Parameter{"since", "Only accepted at or after this time, RFC 3339", "date-time"}, Parameter{"until", "Only accepted before this time, RFC 3339", "date-time"}, Parameter{"cost", "Only those that cost at least this much, in the workspace's currency", "number"}, Parameter{"before", "Only older than this run", ""}, Parameter{"limit", "How many, at most 200", "integer"}),
		on(get, "/runs/{run}", access.Reader, "A run in full", a.run),
		raw(get, "/runs/{run}/journal", access.Reader, "A run's journal as it was written", "application/json", a.journal),
		on(post, "/runs/{run}/cancel", access.Builder, "Stop a run before it is done", a.cancel),
		on(post, "/runs/{run}/rerun", access.Builder, "Go through a run again, from any step", a.rerun),
		on(post, "/rerun", access.Builder, "Go through many runs again", a.rerunMany),
		on(get, "/reviews", access.Reader, "What waits for a person", a.reviews, Parameter{"decided", "true lists the last 100 that were decided instead", "boolean"}),
		on(get, "/reviews/{review}", access.Reader, "One review", a.review),
		on(post, "/reviews/{review}", access.Reader, "Decide a review", a.decide),
		on(get, "/connections", access.Builder, "Every connection and how it fares, without its secret", a.connections),
		on(get, "/connections/{connection}", access.Builder, "A connection with its tools and file", a.connection),
		on(put, "/connections/{connection}/secret", access.Builder, "Replace a connection's secret, everywhere it is used; the answer is the verdict of a test", a.putSecret),
		on(post, "/connections/{connection}/test", access.Builder, "Try a connection without changing anything", a.testConnection),
		on(post, "/connections/{connection}/sign-in", access.Reviewer, "Begin signing in at another service; the answer says where to go", a.signInElsewhere),
		on(post, "/key", access.Owner, "Make a new key and seal every secret with it", a.rotateKey),
		on(get, "/tools", access.Builder, "The catalogue of tools", a.tools, Parameter{"text", "Only with all of these words", ""}, Parameter{"connection", "Only of this connection or table", ""}, Parameter{"limit", "How many, at most 500", "integer"}),
		on(get, "/tools/{connection}/{operation}/choices/{argument}", access.Builder, "The values an argument can be fixed to, asked of the service now", a.choices),
		on(get, "/tables", access.Reader, "Every table of the workspace", a.tables),
		on(get, "/tables/{table}/rows", access.Reader, "Rows, newest first", a.rows, Parameter{"text", "Only where these words stand", ""}, Parameter{"before", "Only added before this row", "integer"}, Parameter{"limit", "How many, at most 1000", "integer"}),
		on(post, "/tables/{table}/rows", access.Reviewer, "Add a row", a.addRow),
		on(put, "/tables/{table}/rows/{row}", access.Reviewer, "Change values of a row", a.changeRow),
		on(del, "/tables/{table}/rows/{row}", access.Builder, "Remove a row for good", a.removeRow),
		on(get, "/tables/{table}/csv", access.Reader, "Every row as CSV", a.exportRows),
		on(post, "/tables/{table}/csv", access.Builder, "Add the rows of a CSV text; nothing where any line is wrong", a.importRows),
		raw(get, "/blobs/{hash}", access.Reader, "A file that came with a signal or that a tool gave", "application/octet-stream", a.blob, Parameter{"name", "What to call it", ""}),
		on(get, "/files", access.Builder, "The workspace's files", a.files),
		on(put, "/files", access.Builder, "Replace the workspace's files, the draft, when the checker finds nothing wrong", a.putFiles),
		on(post, "/check", access.Builder, "Check files without keeping them", a.check),
		on(get, "/people", access.Owner, "Everybody with an account", a.people),
	}
}
