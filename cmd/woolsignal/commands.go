package main

import "context"

// command is one subcommand. Its example is of the demo, without the program's
// name.
type command struct {
	name, args, summary, example string
	run                          func(ctx context.Context, a *app, args []string) error
}

// commands are those there are, in the order they are listed.
func commands() []command {
	return []command{
		{"serve", "", "Start the service", "serve -data wool -addr 127.0.0.1:7420", serve},
		{"demo", "", "Start the service with the demo's workspace and outside world", "demo -free-ports", startDemo},
		{"login", "E-MAIL", "Get a token for the command line", "login ines@larkrigg.example", login},
		{"tokens", "", "List tokens, or revoke one", "tokens", tokens},
		{"password", "", "Change your password", "password", changePassword},
		{"audit", "", "List who changed, exported or guessed what; owners may", "audit -who ines@larkrigg.example",
			audit},
		{"link", "[CONNECTION]", "Link your name at a chat server, so that what you ask there is done as you",
			"link shieling", link},
		{"check", "FOLDER", "Check the files of a workspace", "check larkrigg", check},
		{"apply", "FOLDER", "Put the files of a workspace into the service", `apply larkrigg -note "drier air"`, apply},
		{"export", "FOLDER", "Write the service's files into a folder", "export larkrigg", export},
		{"publish", "[WORKFLOW...]", "Make drafts live", `publish store-watch -note "drier air"`, publish},
		{"versions", "WORKFLOW", "List versions of a workflow, or tell two apart", "versions store-watch -diff ,draft",
			versions},
		{"revert", "WORKFLOW N", "Make an earlier version live again", "revert store-watch 1", revert},
		{"on", "WORKFLOW", "Switch a workflow on, or everything with -all", "on store-watch", switcher(true)},
		{"off", "WORKFLOW", "Switch a workflow off, or pause everything with -all", "off store-watch",
			switcher(false)},
		{"rename", "WORKFLOW ID", "Give a workflow another id, everywhere it is named",
			"rename store-watch north-store", rename},
		{"delete", "WORKFLOW", "Move a workflow to the bin", "delete store-watch", deleteWorkflow},
		{"bin", "[NUMBER]", "List what was deleted, or take one back", "bin 1", bin},
		{"language", "[KIND]", "List what files can say, or the fields of one kind", "language decide", language},
		{"schema", "[KIND]", "Print the JSON Schema of a kind of file", "schema workflow", fileSchema},
		{"connect", "[CONNECTION]", "Give a connection its secret or sign in to it; -rotate-key seals all anew",
			"connect office-mail", connect},
		{"connections", "[CONNECTION]", "List connections and how they fare, or read one; -test tries them",
			"connections loft -test", connections},
		{"tools", "[WORDS]", "Search the catalogue of tools, or read one", "tools clip-register/add_delivery", tools},
		{"tables", "[TABLE]", "List tables, read, add, import and export rows", "tables fibre-tests -limit 5", tables},
		{"workflows", "[WORKFLOW]", "List workflows, or read one as sentences", "workflows weighbridge", workflows},
		{"agents", "[AGENT]", "List agents, or read one: what it thinks with, may use and stops at",
			"agents depot-desk",
			agents},
		{"budget", "", "List what the budgets there are have spent in their day and month", "budget", budget},
		{"chat", "TEXT", "Say something to a workflow",
			`chat -workflow depot-slots "Can I bring 30 fleeces on Thursday?"`, chat},
		{"start", "WORKFLOW", "Start a run on inputs, a sample or a signal; with -agent, the argument is its task",
			`start payout-week -inputs '{"price_per_kg": 1.9}'`, start},
		{"try", "WORKFLOW [STEP]", "Run a draft, or one step of it; what changes something outside is held back",
			"try payout-week -hurry", try},
		{"samples", "WORKFLOW [NAME]", "List kept signals, or keep one", "samples weighbridge wet -run 7", samples},
		{"runs", "[RUN]", "List runs, or read one", "runs -workflow weighbridge -status failed", runs},
		{"stop", "RUN", "Stop a run before it is done", `stop 7 -note "weighed twice"`, stop},
		{"again", "[RUN...]", "Go through runs again, from any step", "again 7 -from sort", again},
		{"follow-ups", "", "List when conversations go on by themselves, or cancel one with -cancel",
			"follow-ups -run 7", followUps},
		{"facts", "[TEXT]", "List what agents and steps keep for later conversations; -correct one, or -remove it",
			"facts -about workspace", facts},
		{"reviews", "[REVIEW]", "List what waits for a person, or read one", "reviews", reviews},
		{"answer", "REVIEW", "Decide a review: -approve, -decline or -choose", `answer 7 -choose "not yet"`, answer},
		{"backup", "FILE", "Copy the service's database while it runs", "backup monday.db", backup},
		{"restore", "FILE", "Put a backup in place of a data folder's database", "restore monday.db -data wool",
			restore},
		{"rebuild", "", "Make the lists of a stopped service anew from its journals", "rebuild -data wool", rebuild},
	}
}
