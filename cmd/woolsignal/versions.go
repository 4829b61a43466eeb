package main

import (
	"context"
	"fmt"
	"strconv"
	"strings"
	"time"

	"woolsignal/client"
	"woolsignal/core/flow"
	"woolsignal/wire"
)

func publish(ctx context.Context, a *app, args []string) error {
	f := a.flags("publish")
	note := f.String("note", "", "what changed, for whoever reads the versions")
	asJSON := f.Bool("json", false, "print JSON")
	rest, err := parse(f, args, 0, 100)
	if err != nil {
		return err
	}
	if *asJSON {
		versions, err := a.client().Publish(ctx, wire.Publish{Workflows: rest, Note: *note})
		if err != nil {
			return err
		}
		return a.printJSON(versions)
	}
	return a.publish(ctx, "", wire.Publish{Workflows: rest, Note: *note})
}

// publish makes drafts live and says so. folder is where their files are, for
// naming them.
func (a *app) publish(ctx context.Context, folder string, p wire.Publish) error {
	versions, err := a.client().Publish(ctx, p)
	if err := a.refused(folder, err, nil); err != nil {
		return err
	}
	if len(versions) == 0 {
		fmt.Fprintln(a.out, "Everything that is written is live already.")
	}
	for _, v := range versions {
		fmt.Fprintf(a.out, "%s is live as version %d. Runs that are open finish on the version they began with.\n",
			v.Workflow, v.N)
	}
	return nil
}

func versions(ctx context.Context, a *app, args []string) error {
	f := a.flags("versions")
	diff := f.String("diff", "", "tell two versions apart: 1,2 or 3,draft")
	asJSON := f.Bool("json", false, "print JSON")
	rest, err := parse(f, args, 1, 1)
	if err != nil {
		return err
	}
	c := a.client()
	if *diff != "" {
		from, to, ok := strings.Cut(*diff, ",")
		if !ok {
			return fmt.Errorf("%w: -diff takes two versions, as in 1,2 or 3,draft", errMisuse)
		}
		d, err := c.Diff(ctx, rest[0], strings.TrimSpace(from), strings.TrimSpace(to))
		if err != nil {
			return err
		}
		if *asJSON {
			return a.printJSON(d)
		}
		a.printDifference(d)
		return nil
	}
	all, err := c.Versions(ctx, rest[0])
	if err != nil {
		return err
	}
	if *asJSON {
		return a.printJSON(all)
	}
	if len(all) == 0 {
		fmt.Fprintf(a.out, "%s was never live. Make it so with: woolsignal publish %s\n", rest[0], rest[0])
		return nil
	}
	zone, _, err := place(ctx, c)
	if err != nil {
		return err
	}
	rows := [][]string{{"VERSION", "", "WHEN", "WHO", "NOTE"}}
	for _, v := range all {
		live := ""
		if v.Live {
			live = "live"
		}
		rows = append(rows, []string{fmt.Sprint(v.N), live, moment(v.At, zone), v.By, v.Note})
	}
	return a.table(rows)
}

// printDifference writes what changed: the sentences first, then the files.
func (a *app) printDifference(d wire.Difference) {
	if len(d.Files) == 0 {
		fmt.Fprintf(a.out, "%s: %s and %s are the same.\n", d.Workflow, d.From, d.To)
		return
	}
	fmt.Fprintf(a.out, "%s, from %s to %s\n\n", d.Workflow, d.From, d.To)
	for _, l := range d.Lines {
		fmt.Fprintln(a.out, map[string]string{"same": "  ", "added": "+ ", "removed": "- "}[l.How]+l.Line)
	}
	for _, file := range d.Files {
		fmt.Fprintf(a.out, "\n%s", file.Diff)
	}
}

func revert(ctx context.Context, a *app, args []string) error {
	f := a.flags("revert")
	asJSON := f.Bool("json", false, "print JSON")
	rest, err := parse(f, args, 2, 2)
	if err != nil {
		return err
	}
	n, err := strconv.Atoi(rest[1])
	if err != nil {
		return fmt.Errorf("%w: %q is not the number of a version", errMisuse, rest[1])
	}
	v, err := a.client().Revert(ctx, rest[0], n)
	if err != nil {
		return err
	}
	if *asJSON {
		return a.printJSON(v)
	}
	fmt.Fprintf(a.out, "%s is live as version %d (%s). The draft is as it was.\n", rest[0], v.N,
		orElse(v.Note, "it already was"))
	return nil
}

// switcher makes the commands on and off.
func switcher(on bool) func(context.Context, *app, []string) error {
	return func(ctx context.Context, a *app, args []string) error {
		name := map[bool]string{true: "on", false: "off"}[on]
		f := a.flags(name)
		all := f.Bool("all", false, "everything: no run begins or goes on until it is on again; signals are kept")
		rest, err := parse(f, args, 0, 1)
		if err != nil {
			return err
		}
		if *all == (len(rest) == 1) {
			return fmt.Errorf("%w: name a workflow, or give -all", errMisuse)
		}
		which := "Everything"
		id := ""
		if len(rest) == 1 {
			which, id = rest[0], rest[0]
		}
		if err := a.client().Switch(ctx, id, on); err != nil {
			return err
		}
		fmt.Fprintf(a.out, "%s is %s.\n", which, name)
		return nil
	}
}

func rename(ctx context.Context, a *app, args []string) error {
	f := a.flags("rename")
	rest, err := parse(f, args, 2, 2)
	if err != nil {
		return err
	}
	if err := a.refused("", a.client().Rename(ctx, rest[0], rest[1]), nil); err != nil {
		return err
	}
	fmt.Fprintf(a.out,
		"%s is now %s, in its file, where others name it, and in its history. Export the files to have them so in "+
			"your folder.\n", rest[0], rest[1])
	return nil
}

func deleteWorkflow(ctx context.Context, a *app, args []string) error {
	f := a.flags("delete")
	yes := f.Bool("yes", false, "do not ask")
	rest, err := parse(f, args, 1, 1)
	if err != nil {
		return err
	}
	if !*yes {
		if err := a.confirm("Nothing will start " + rest[0] +
			" any more; its open runs go on. Move it to the bin?"); err != nil {
			return err
		}
	}
	if err := a.client().Delete(ctx, rest[0]); err != nil {
		return err
	}
	fmt.Fprintln(a.out, "It is in the bin: woolsignal bin")
	return nil
}

func bin(ctx context.Context, a *app, args []string) error {
	f := a.flags("bin")
	asJSON := f.Bool("json", false, "print JSON")
	rest, err := parse(f, args, 0, 1)
	if err != nil {
		return err
	}
	c := a.client()
	if len(rest) == 1 {
		n, err := strconv.ParseInt(rest[0], 10, 64)
		if err != nil {
			return fmt.Errorf("%w: %q is not a number of the bin", errMisuse, rest[0])
		}
		path, err := c.TakeBack(ctx, n)
		if err != nil {
			return err
		}
		fmt.Fprintf(a.out, "%s is back, as a draft.\n", path)
		return nil
	}
	all, err := c.Bin(ctx)
	if err != nil {
		return err
	}
	if *asJSON {
		return a.printJSON(all)
	}
	return a.printBin(ctx, c, all)
}

func (a *app) printBin(ctx context.Context, c *client.Client, all []wire.Binned) error {
	if len(all) == 0 {
		fmt.Fprintln(a.out, "The bin is empty.")
		return nil
	}
	zone, _, err := place(ctx, c)
	if err != nil {
		zone = time.UTC
	}
	rows := [][]string{{"NUMBER", "FILE", "WHEN", "WHO"}}
	for _, b := range all {
		rows = append(rows, []string{fmt.Sprint(b.N), b.Path, moment(b.At, zone), b.By})
	}
	return a.table(rows)
}

func fileSchema(_ context.Context, a *app, args []string) error {
	f := a.flags("schema")
	rest, err := parse(f, args, 0, 1)
	if err != nil {
		return err
	}
	if len(rest) == 0 {
		fmt.Fprintln(a.out, strings.Join(flow.FileKinds(), "\n"))
		return nil
	}
	text, ok := flow.FileSchema(rest[0])
	if !ok {
		return fmt.Errorf("%w: there are schemas of %s", errMisuse, strings.Join(flow.FileKinds(), ", "))
	}
	_, err = fmt.Fprint(a.out, text)
	return err
}
