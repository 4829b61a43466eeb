// Command woolsignal is the service and its command line.
package main

import (
	"bufio"
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
	"woolsignal/server/confined"
	"woolsignal/standin/sensors"
)

// app is what a command works with.
type app struct {
	out, errs io.Writer
	in        io.Reader
	lines     *bufio.Reader // of in, once something was asked
	getenv    func(string) string
	read      *flag.FlagSet // the flags of the command that is run, once it has some
}

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
	if args[0] == confined.Worker { // a process of the service's own; nobody calls it
		if err := confined.Serve(a.in, a.out); err != nil {
			fmt.Fprintln(a.errs, "woolsignal "+confined.Worker+": "+err.Error())
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
			a.help(c)
			return 0
		case errors.Is(err, errMisuse):
			fmt.Fprintf(a.errs, "%v\nusage: woolsignal %s\nwoolsignal %s -h tells more\n", err, c.shape(), c.name)
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

// flags starts the flags of a command.
func (a *app) flags(name string) *flag.FlagSet {
	f := flag.NewFlagSet(name, flag.ContinueOnError)
	f.SetOutput(io.Discard) // what is wrong is told once, by whoever runs the command
	a.read = f
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
