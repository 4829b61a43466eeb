package main

import (
	"context"
	"fmt"
)

func followUps(ctx context.Context, a *app, args []string) error {
	f := a.flags("follow-ups")
	asJSON := f.Bool("json", false, "print JSON")
	run := f.String("run", "", "only those this run set")
	after := f.String("after", "", "only behind this one")
	cancel := f.String("cancel", "", "cancel the follow-up of this id")
	if _, err := parse(f, args, 0, 0); err != nil {
		return err
	}
	c := a.client()
	if *cancel != "" {
		if err := c.CancelFollowUp(ctx, *cancel); err != nil {
			return err
		}
		fmt.Fprintf(a.out, "The follow-up %s is cancelled.\n", *cancel)
		return nil
	}
	page, err := c.FollowUps(ctx, *run, *after)
	if err != nil {
		return err
	}
	if *asJSON {
		return a.printJSON(page)
	}
	if len(page.FollowUps) == 0 {
		fmt.Fprintln(a.out, "No follow-up is set.")
		return nil
	}
	zone, _, err := place(ctx, c)
	if err != nil {
		return err
	}
	rows := [][]string{{"DUE", "WHAT", "WITH", "WORKFLOW", "ID"}}
	for _, one := range page.FollowUps {
		rows = append(rows, []string{moment(one.Due, zone), one.What, one.With, one.Title, one.ID})
	}
	if err := a.table(rows); err != nil {
		return err
	}
	if page.Next != "" {
		fmt.Fprintf(a.out, "There are more: woolsignal follow-ups -after %s\n", page.Next)
	}
	return nil
}
