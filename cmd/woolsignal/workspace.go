package main

import (
	"bufio"
	"context"
	"errors"
	"flag"
	"fmt"
	"io/fs"
	"strings"

	"woolsignal/client"
	"woolsignal/core/flow"
	"woolsignal/server/workspace"
	"woolsignal/wire"
)

// folder reads the flags and the workspace folder they come with.
func folder(f *flag.FlagSet, args []string) (path string, files map[string]string, err error) {
	rest, err := parse(f, args, 1, 1)
	if err != nil {
		return "", nil, err
	}
	files, err = client.ReadFolder(rest[0])
	if errors.Is(err, fs.ErrNotExist) {
		err = fmt.Errorf("there is no folder %s", rest[0])
	}
	return rest[0], files, err
}

// confirm asks yes or no; anything but a yes is an error that was told.
func (a *app) confirm(question string) error {
	fmt.Fprint(a.out, question+" (yes or no) ")
	said, err := bufio.NewReader(a.in).ReadString('\n')
	if answer := strings.ToLower(strings.TrimSpace(said)); answer == "yes" || answer == "y" {
		return nil
	}
	fmt.Fprintln(a.out, "Nothing was changed.")
	if err != nil {
		return errors.New("there was nobody to ask; give -yes to go on without")
	}
	return errReported
}

func (a *app) printProblems(folder string, problems []flow.Problem) {
	for _, p := range problems {
		mark := "remark: "
		if p.Severity == flow.Wrong {
			mark = ""
		}
		fmt.Fprintf(a.out, "%s/%s:%d:%d: %s%s\n", strings.TrimSuffix(folder, "/"), p.File, p.Line, p.Column, mark,
			p.What)
		if p.Why != "" {
			indent(a.out, "    why: ", p.Why)
		}
		if p.Remedy != "" {
			indent(a.out, "    do:  ", p.Remedy)
		}
	}
}

func check(_ context.Context, a *app, args []string) error {
	f := a.flags("check")
	asJSON := f.Bool("json", false, "print JSON")
	at, files, err := folder(f, args)
	if err != nil {
		return err
	}
	problems := workspace.Check(files)
	if problems == nil {
		problems = []flow.Problem{}
	}
	wrong := flow.Wrongs(problems)
	if *asJSON {
		if err := a.printJSON(problems); err != nil {
			return err
		}
	} else {
		a.printProblems(at, problems)
		fmt.Fprintf(a.out, "%d files, %d problems, %d remarks.\n", len(files), wrong, len(problems)-wrong)
	}
	if wrong > 0 {
		return errReported
	}
	return nil
}

func apply(ctx context.Context, a *app, args []string) error {
	f := a.flags("apply")
	yes := f.Bool("yes", false, "do not ask before changing anything")
	live := f.Bool("publish", false, "make the workflows that differ live as well")
	note := f.String("note", "", "what changed, for whoever reads the versions; with -publish")
	draft := f.Bool("draft", false, "keep workflows and agents that do not check; they cannot be published")
	at, files, err := folder(f, args)
	if err != nil {
		return err
	}
	c := a.client()
	now, err := c.Files(ctx)
	if err != nil {
		return err
	}
	changes := differences(now, files)
	if len(changes) > 0 {
		for _, line := range changes {
			fmt.Fprintln(a.out, line)
		}
		if !*yes {
			if err := a.confirm("Go on?"); err != nil {
				return err
			}
		}
		base, err := baseOf(at, now)
		if err != nil {
			return err
		}
		problems, err := c.Apply(ctx, wire.Files{Files: files, Base: base, Draft: *draft})
		if err := a.refused(at, err, now); err != nil {
			return err
		}
		a.printProblems(at, problems)
		fmt.Fprintln(a.out, "Applied.")
	} else {
		fmt.Fprintln(a.out, "The service already has exactly these files.")
	}
	if err := noteBase(at, files); err != nil {
		return err
	}
	if *live {
		return a.publish(ctx, at, wire.Publish{Note: *note})
	}
	return a.drafts(ctx)
}

// drafts says which workflows are written otherwise than they are live.
func (a *app) drafts(ctx context.Context) error {
	all, err := a.client().Workflows(ctx)
	if err != nil {
		return err
	}
	var differ []string
	for _, w := range all {
		if w.Drafted {
			differ = append(differ, w.ID)
		}
	}
	if len(differ) > 0 {
		fmt.Fprintf(a.out, "Not live yet: %s. Make them live with: woolsignal publish\n", strings.Join(differ, ", "))
	}
	return nil
}

// refused tells what the service objected to.
func (a *app) refused(folder string, err error, now map[string]string) error {
	var p *client.Problem
	switch {
	case errors.As(err, &p) && p.Problems != nil:
		a.printProblems(folder, p.Problems)
		fmt.Fprintln(a.out, "Nothing was changed.")
		return errReported
	case errors.As(err, &p) && len(p.Files) > 0:
		fmt.Fprintln(a.out, "Somebody changed these in the service since you last exported or applied:")
		for _, path := range p.Files {
			theirs, there := now[path]
			if !there {
				fmt.Fprintf(a.out, "  %s  is gone there; apply again to bring it back, or remove yours\n", path)
				continue
			}
			name := hiddenCopy(path)
			if err := writeBelow(folder, name, theirs); err != nil {
				return err
			}
			fmt.Fprintf(a.out, "  %s  theirs is now in %s\n", path, name)
		}
		fmt.Fprintln(a.out, "Nothing was changed. Bring theirs and yours together, and apply again.")
		return errors.Join(noteTheirs(folder, p.Files, now), errReported)
	}
	return err
}

// differences says which files would be added, changed and removed.
func differences(now, next map[string]string) []string {
	var out []string
	for _, path := range flow.Differing(now, next) {
		_, was := now[path]
		_, is := next[path]
		switch {
		case !was:
			out = append(out, "new      "+path)
		case !is:
			out = append(out, "removed  "+path)
		default:
			out = append(out, "changed  "+path)
		}
	}
	return out
}

func workflows(ctx context.Context, a *app, args []string) error {
	f := a.flags("workflows")
	asJSON := f.Bool("json", false, "print JSON")
	asCode := f.Bool("code", false, "show expressions as the file writes them")
	rest, err := parse(f, args, 0, 1)
	if err != nil {
		return err
	}
	c := a.client()
	if len(rest) == 1 {
		script, err := c.Workflow(ctx, rest[0])
		if err != nil {
			return err
		}
		if *asJSON {
			return a.printJSON(script)
		}
		_, currency, err := place(ctx, c)
		if err != nil {
			return err
		}
		fmt.Fprintf(a.out, "%s\n%s\n", script.Title, script.Purpose)
		if script.Usual != nil {
			fmt.Fprintf(a.out, "A run costs %s.\n", usually(script.Usual, currency))
		}
		fmt.Fprintln(a.out)
		for _, l := range script.Lines {
			text := l.Text()
			if *asCode {
				text = l.Code()
			}
			fmt.Fprintf(a.out, "%-4s %*s%s\n", l.Number, 2*l.Depth, "", text)
		}
		return nil
	}
	all, err := c.Workflows(ctx)
	if err != nil {
		return err
	}
	if *asJSON {
		return a.printJSON(all)
	}
	if len(all) == 0 {
		fmt.Fprintln(a.out, "No workflows yet. Put some in with: woolsignal apply FOLDER")
		return nil
	}
	zone, _, err := place(ctx, c)
	if err != nil {
		return err
	}
	rows := [][]string{{"WORKFLOW", "LIVE", "TITLE", "STARTS", "LAST RUN", "RUNS THIS WEEK", "FAILED"}}
	for _, w := range all {
		last, total, failed := "", 0, 0
		if w.LastRun != nil {
			last = moment(*w.LastRun, zone)
		}
		for _, d := range w.Week {
			total, failed = total+d.Runs, failed+d.Failed
		}
		rows = append(rows, []string{w.ID, liveWords(w), w.Title, oneLine(strings.Join(w.Triggers, "; "), 60), last,
			fmt.Sprint(total), fmt.Sprint(failed)})
	}
	return a.table(rows)
}

// liveWords says how far a workflow is live.
func liveWords(w wire.Workflow) string {
	words := fmt.Sprintf("version %d", w.Version)
	switch {
	case w.Version == 0:
		return "draft"
	case !w.On:
		words += ", off"
	}
	if w.Drafted {
		words += ", draft differs"
	}
	return words
}
