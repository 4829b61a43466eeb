package main

import (
	"fmt"
	"strings"
)

// arguments say what stands where a command names an argument.
var arguments = map[string]string{
	"E-MAIL":     "whose token it is",
	"FOLDER":     "a folder with the files of a workspace",
	"WORKFLOW":   "a workflow's id, as workflows lists it",
	"N":          "a version's number, as versions lists it",
	"ID":         "the id it gets",
	"NUMBER":     "its number, as bin lists it",
	"KIND":       "a kind, as the list without it has them",
	"CONNECTION": "a connection's id, as connections lists it",
	"AGENT":      "an agent's id, as agents lists it",
	"WORDS":      "words to search for, or a tool's name",
	"TABLE":      "a table's id, as tables lists it",
	"TEXT":       "what is said, in quotes",
	"STEP":       "a step's id, or its path as runs shows it",
	"NAME":       "the name the sample gets",
	"RUN":        "a run's id, as runs lists it",
	"REVIEW":     "a review's id, as reviews lists it",
	"FILE":       "the file of the backup",
}

// usage lists the commands.
func (a *app) usage() {
	fmt.Fprintln(a.errs, "woolsignal COMMAND [flags] [arguments]")
	fmt.Fprintln(a.errs)
	for _, c := range commands() {
		fmt.Fprintf(a.errs, "  %-12s %-15s %s\n", c.name, c.args, c.summary)
	}
	fmt.Fprintln(a.errs, "\nEach command tells its arguments, its flags and an example with -h. WOOLSIGNAL_URL and\n"+
		"WOOLSIGNAL_TOKEN say which service to talk to, and as whom.")
}

// help tells what one command does, its arguments, its flags and an example.
func (a *app) help(c command) {
	fmt.Fprintf(a.out, "%s.\n\n  woolsignal %s\n", c.summary, c.shape())
	for _, name := range c.arguments() {
		fmt.Fprintf(a.out, "\n  %s\n    \t%s", name, arguments[name])
	}
	fmt.Fprintln(a.out)
	if a.read != nil {
		a.read.SetOutput(a.out)
		a.read.PrintDefaults()
	}
	fmt.Fprintf(a.out, "\nFor example, in the demo\n\n  woolsignal %s\n", c.example)
}

// shape is the command with its arguments.
func (c command) shape() string {
	return strings.TrimSpace(c.name + " [flags] " + c.args)
}

// arguments are the names of its arguments.
func (c command) arguments() []string {
	return strings.FieldsFunc(c.args, func(r rune) bool { return strings.ContainsRune(" [].", r) })
}
