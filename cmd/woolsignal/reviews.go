package main

import (
	"context"
	"encoding/json"
	"fmt"
	"maps"
	"slices"
	"strings"

	"woolsignal/client"

	"woolsignal/core/flow"
	"woolsignal/core/run"
	"woolsignal/wire"
)

func reviews(ctx context.Context, a *app, args []string) error {
	f := a.flags("reviews")
	decided := f.Bool("decided", false, "list the last that were decided instead")
	asJSON := f.Bool("json", false, "print JSON")
	rest, err := parse(f, args, 0, 1)
	if err != nil {
		return err
	}
	c := a.client()
	if len(rest) == 1 {
		return a.showReview(ctx, c, rest[0], *asJSON)
	}
	all, err := c.Reviews(ctx, *decided)
	if err != nil {
		return err
	}
	if *asJSON {
		return a.printJSON(all)
	}
	zone, _, err := place(ctx, c)
	if err != nil {
		return err
	}
	if len(all) == 0 {
		fmt.Fprintln(a.out, "Nothing waits for a person.")
		return nil
	}
	rows := [][]string{{"REVIEW", "FOR", "YOURS", "ASKED", "WHAT", "ABOUT", "DECIDED"}}
	for _, r := range all {
		yours, done := "no", ""
		if r.Yours {
			yours = "yes"
		}
		if r.Choice != "" {
			done = r.Choice + ", " + r.By
		}
		rows = append(rows, []string{r.ID, r.Ask, yours, moment(r.Asked, zone), oneLine(r.Title, 40),
			oneLine(r.About, 40),
			done})
	}
	return a.table(rows)
}

// edits gathers -edit name=value flags. A value is JSON where it can be read
// as such, else a text.
type edits map[string]any

func (e edits) String() string { return "" }

func (e edits) Set(s string) error {
	name, text, ok := strings.Cut(s, "=")
	if !ok || name == "" {
		return fmt.Errorf("write it as name=value")
	}
	var v any
	if json.Unmarshal([]byte(text), &v) != nil {
		v = text
	}
	e[name] = v
	return nil
}

// answer decides a review.
func answer(ctx context.Context, a *app, args []string) error {
	f := a.flags("answer")
	approve := f.Bool("approve", false, "go on with it: the first choice")
	decline := f.Bool("decline", false, "do not: the choice decline")
	choose := f.String("choose", "", "take this choice")
	note := f.String("note", "", "words that go along")
	edit := edits{}
	f.Var(edit, "edit", "change a value before going on, as name=value; may be given more than once")
	asJSON := f.Bool("json", false, "print JSON")
	rest, err := parse(f, args, 1, 1)
	if err != nil {
		return err
	}
	c := a.client()
	choice := *choose
	switch {
	case *approve && *decline, *approve && choice != "", *decline && choice != "",
		!*approve && !*decline && choice == "":
		return fmt.Errorf("%w: give one of -approve, -decline and -choose", errMisuse)
	case *approve:
		r, err := c.Review(ctx, rest[0])
		if err != nil {
			return err
		}
		choice = r.Choices[0]
	case *decline:
		choice = run.Decline
	}
	r, err := c.Decide(ctx, rest[0], wire.Decision{Choice: choice, Edited: edit, Note: *note})
	if err != nil {
		return err
	}
	if *asJSON {
		return a.printJSON(r)
	}
	fmt.Fprintf(a.out, "“%s”: %s. The run goes on: woolsignal runs %s\n", r.Title, r.Choice, r.Run)
	return nil
}

func (a *app) showReview(ctx context.Context, c *client.Client, id string, asJSON bool) error {
	r, err := c.Review(ctx, id)
	if err != nil {
		return err
	}
	if asJSON {
		return a.printJSON(r)
	}
	zone, _, err := place(ctx, c)
	if err != nil {
		return err
	}
	fmt.Fprintf(a.out, "%s\n%s, asked %s, for %s\n", r.Title, r.From, moment(r.Asked, zone), flow.Audience(r.Ask))
	if r.Why != "" {
		fmt.Fprintln(a.out, r.Why)
	}
	if r.Thing != nil {
		a.printThing("  ", r.Thing)
	}
	if r.Show != nil {
		indent(a.out, "  ", value(r.Show))
	}
	for _, k := range slices.Sorted(maps.Keys(r.Edit)) {
		fmt.Fprintf(a.out, "  %s: %s\n", k, value(r.Edit[k]))
	}
	for _, k := range slices.Sorted(maps.Keys(r.Held)) {
		fmt.Fprintf(a.out, "  %s: %s (fixed)\n", k, value(r.Held[k]))
	}
	if r.Choice != "" {
		a.printDecision("", r.Review, zone)
		return nil
	}
	fmt.Fprintf(a.out, "Choices: %s\n", strings.Join(r.Choices, ", "))
	if r.Yours {
		fmt.Fprintf(a.out, "Decide it with: woolsignal answer %s -approve\n", r.ID)
	}
	return nil
}
