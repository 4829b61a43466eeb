package main

import (
	"context"
	"fmt"
)

func budget(ctx context.Context, a *app, args []string) error {
	f := a.flags("budget")
	asJSON := f.Bool("json", false, "print JSON")
	if _, err := parse(f, args, 0, 0); err != nil {
		return err
	}
	c := a.client()
	all, err := c.Spending(ctx)
	if err != nil {
		return err
	}
	if *asJSON {
		return a.printJSON(all)
	}
	if len(all) == 0 {
		fmt.Fprintln(a.out, "There is no budget. Give the workspace's file or a workflow budget: with day: or month:.")
		return nil
	}
	_, currency, err := place(ctx, c)
	if err != nil {
		return err
	}
	rows := [][]string{{"BUDGET OF", "PERIOD", "SPENT", "OF"}}
	for _, one := range all {
		rows = append(rows, []string{one.Title, one.Period, one.Spent.Format(currency), one.Most.Format(currency)})
	}
	return a.table(rows)
}
