package main

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"woolsignal/core/flow"
)

// language prints the kinds of things files can say, or the fields of one.
func language(_ context.Context, a *app, args []string) error {
	f := a.flags("language")
	asJSON := f.Bool("json", false, "print all of it for programs")
	rest, err := parse(f, args, 0, 1)
	if err != nil {
		return err
	}
	l := flow.TheLanguage()
	switch {
	case *asJSON:
		return a.printJSON(l)
	case len(rest) == 0:
		return a.table(kindRows(l))
	}
	found := false
	for _, k := range kindsOf(l) {
		if k.name != rest[0] {
			continue
		}
		if found {
			fmt.Fprintln(a.out)
		}
		found = true
		if err := a.kind(k); err != nil {
			return err
		}
	}
	if !found {
		return fmt.Errorf("%w: nothing is called %s; woolsignal language lists what there is", errMisuse, rest[0])
	}
	return nil
}

// kind prints one kind with its fields.
func (a *app) kind(k kind) error {
	fmt.Fprintf(a.out, "%s (%s)\n%s\n", k.name, k.of, k.help)
	if len(k.fields) == 0 {
		return nil
	}
	fmt.Fprintln(a.out)
	rows := [][]string{{"FIELD", "HOLDS", ""}}
	flow.EachField(k.fields, func(path string, f flow.Field) {
		rows = append(rows, []string{path, f.Meaning(), f.Help})
	})
	return a.table(rows)
}

// kind is one kind of thing files can say.
type kind struct {
	name, of, help string
	fields         []flow.Field
}

func kindsOf(l flow.Language) []kind {
	var out []kind
	for _, k := range l.Files {
		out = append(out, kind{k.Name, "file", k.Help, k.Fields})
	}
	out = append(out, kind{"connection", "file", "How an outside service is reached; beside its protocol it has these.",
		l.Connection})
	for _, k := range l.Triggers {
		out = append(out, kind{k.Name, "trigger", k.Help, k.Fields})
	}
	for _, k := range l.Steps {
		out = append(out, kind{k.Name, "step", k.Help, slices.Concat(k.Fields, l.Step)})
	}
	for _, k := range l.Protocols {
		out = append(out, kind{k.Name, "protocol", k.Help, k.Fields})
	}
	return out
}

// kindRows lists the kinds, each with the names of its own fields.
func kindRows(l flow.Language) [][]string {
	rows := [][]string{{"KIND", "OF", "FIELDS", ""}}
	common := map[string]bool{}
	for _, f := range l.Step {
		common[f.Name] = true
	}
	for _, k := range kindsOf(l) {
		var names []string
		for _, f := range k.fields {
			if k.of != "step" || !common[f.Name] {
				names = append(names, f.Name)
			}
		}
		rows = append(rows, []string{k.name, k.of, oneLine(strings.Join(names, " "), 50), k.help})
	}
	return rows
}
