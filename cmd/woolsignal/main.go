// Command woolsignal is the service and its command line.
package main

import (
	"context"
	"errors"
	"flag"
	"fmt"
	"io"
	"os"
	"os/signal"
	"syscall"
	_ "time/tzdata" // time zones on machines that have none

	"github.com/modelcontextprotocol/go-sdk/mcp"

	"woolsignal/client"
	"woolsignal/server/script"
	"woolsignal/standin/sensors"
)

// app is what a command works with.
type app struct {
	out, errs io.Writer
	in        io.Reader
	getenv    func(string) string
}

// command is one subcommand.
type command struct {
	name, args, summary string
	run                 func(ctx context.Context, a *app, args []string) error
}

func commands() []command {
	return []command{
		{"serve", "", "Start the service", serve},
		{"demo", "", "Start the service with the demo's workspace and outside world", startDemo},
		{"login", "E-MAIL", "Get a token for the command line", login},
		{"check", "FOLDER", "Check the files of a workspace", check},
		{"apply", "FOLDER", "Put the files of a workspace into the service", apply},
		{"export", "FOLDER", "Write the service's files into a folder", export},
		{"publish", "[WORKFLOW...]", "Make drafts live", publish},
		{"versions", "WORKFLOW", "List versions of a workflow, or tell two apart", versions},
		{"revert", "WORKFLOW N", "Make an earlier version live again", revert},
		{"on", "WORKFLOW", "Switch a workflow on, or everything with -all", switcher(true)},
		{"off", "WORKFLOW", "Switch a workflow off, or pause everything with -all", switcher(false)},
		{"rename", "WORKFLOW ID", "Give a workflow another id, everywhere it is named", rename},
		{"delete", "WORKFLOW", "Move a workflow to the bin", deleteWorkflow},
		{"bin", "[NUMBER]", "List what was deleted, or take one back", bin},
		{"language", "[KIND]", "List what files can say, or the fields of one kind", language},
		{"schema", "[KIND]", "Print the JSON Schema of a kind of file", fileSchema},
		{"connect", "[CONNECTION]", "Give a connection its secret or sign in to it; -rotate-key seals all anew",
			connect},
		{"connections", "[CONNECTION]", "List connections and how they fare, or read one; -test tries them",
			connections},
		{"tools", "[WORDS]", "Search the catalogue of tools, or read one", tools},
		{"tables", "[TABLE]", "List tables, read, add, import and export rows", tables},
		{"workflows", "[WORKFLOW]", "List workflows, or read one as sentences", workflows},
		{"chat", "TEXT", "Say something to a workflow", chat},
		{"start", "WORKFLOW", "Start a run on inputs, a sample or a signal", start},
		{"try", "WORKFLOW STEP", "Run one step of a draft alone", try},
		{"samples", "WORKFLOW [NAME]", "List kept signals, or keep one", samples},
		{"runs", "[RUN]", "List runs, or read one", runs},
		{"stop", "RUN", "Stop a run before it is done", stop},
		{"again", "[RUN...]", "Go through runs again, from any step", again},
		{"reviews", "[REVIEW]", "List what waits for a person, or read one", reviews},
		{"answer", "REVIEW", "Decide a review: -approve, -decline or -choose", answer},
		{"backup", "FILE", "Copy the service's database while it runs", backup},
		{"restore", "FILE", "Put a backup in place of a data folder's database", restore},
		{"rebuild", "", "Make the lists of a stopped service anew from its journals", rebuild},
	}
}

// scriptWorker is the command of the processes that run scripts.
const scriptWorker = "script-worker"

// sensorsByPipe is the command of the demo's sensors as a process that speaks
// MCP over standard input and output.
const sensorsByPipe = "barn-sensors"

// errMisuse says that the command line itself is wrong.
var errMisuse = errors.New("misuse")

func main() {
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	defer stop()
	a := &app{out: os.Stdout, errs: os.Stderr, in: os.Stdin, getenv: os.Getenv}
	os.Exit(a.main(ctx, os.Args[1:]))
}

// main runs one command and gives the exit code: 0 done, 1 failed, 2 misuse.
func (a *app) main(ctx context.Context, args []string) int {
	if len(args) == 0 || args[0] == "help" || args[0] == "-h" || args[0] == "-help" || args[0] == "--help" {
		a.usage()
		if len(args) == 0 {
			return 2
		}
		return 0
	}
	if args[0] == sensorsByPipe { // a stand-in that a connection starts
		if err := sensors.NewGauges().MCP().Run(ctx, &mcp.StdioTransport{}); err != nil && ctx.Err() == nil {
			fmt.Fprintln(a.errs, "woolsignal "+sensorsByPipe+": "+err.Error())
			return 1
		}
		return 0
	}
	if args[0] == scriptWorker { // a process of the service's own; nobody calls it
		if err := script.Serve(a.in, a.out); err != nil {
			fmt.Fprintln(a.errs, "woolsignal "+scriptWorker+": "+err.Error())
			return 1
		}
		return 0
	}
	for _, c := range commands() {
		if c.name != args[0] {
			continue
		}
		err := c.run(ctx, a, args[1:])
		switch {
		case err == nil:
			return 0
		case errors.Is(err, flag.ErrHelp):
			return 0
		case errors.Is(err, errMisuse):
			fmt.Fprintf(a.errs, "%v\nusage: woolsignal %s [flags] %s\n", err, c.name, c.args)
			return 2
		case errors.Is(err, errReported):
			return 1
		}
		fmt.Fprintln(a.errs, "woolsignal "+c.name+": "+err.Error())
		var p *client.Problem
		if errors.As(err, &p) && p.Status == 401 {
			fmt.Fprintln(a.errs,
				"Set WOOLSIGNAL_TOKEN to a token of the service: woolsignal login E-MAIL gives one, and the demo "+
					"prints some when it starts.")
		}
		return 1
	}
	fmt.Fprintf(a.errs, "woolsignal has no command %s\n\n", args[0])
	a.usage()
	return 2
}

// errReported says that what went wrong was already told.
var errReported = errors.New("reported")

func (a *app) usage() {
	fmt.Fprintln(a.errs, "woolsignal COMMAND [flags] [arguments]")
	fmt.Fprintln(a.errs)
	for _, c := range commands() {
		fmt.Fprintf(a.errs, "  %-12s %-15s %s\n", c.name, c.args, c.summary)
	}
	fmt.Fprintln(a.errs,
		"\nEach command lists its flags with -h. WOOLSIGNAL_URL and WOOLSIGNAL_TOKEN say\n"+
			"which service to talk to, and as whom.")
}

// flags starts the flags of a command.
func (a *app) flags(name string) *flag.FlagSet {
	f := flag.NewFlagSet(name, flag.ContinueOnError)
	f.SetOutput(a.errs)
	return f
}

// parse reads flags before and after arguments; want is how many arguments
// there are at least and at most.
func parse(f *flag.FlagSet, args []string, least, most int) ([]string, error) {
	var rest []string
	for {
		if err := f.Parse(args); err != nil {
			if errors.Is(err, flag.ErrHelp) {
				return nil, err
			}
			return nil, fmt.Errorf("%w: %w", errMisuse, err)
		}
		if args = f.Args(); len(args) == 0 {
			break
		}
		rest = append(rest, args[0])
		args = args[1:]
	}
	if len(rest) < least || len(rest) > most {
		return nil, fmt.Errorf("%w: %d arguments are given", errMisuse, len(rest))
	}
	return rest, nil
}

// client gives the service the environment names.
func (a *app) client() *client.Client {
	url := a.getenv("WOOLSIGNAL_URL")
	if url == "" {
		url = "http://" + defaultAddress
	}
	return &client.Client{URL: url, Token: a.getenv("WOOLSIGNAL_TOKEN")}
}
