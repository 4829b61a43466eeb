package main

import (
	"context"
	"fmt"

	"woolsignal/client"
	"woolsignal/wire"
)

func facts(ctx context.Context, a *app, args []string) error {
	f := a.flags("facts")
	asJSON := f.Bool("json", false, "print JSON")
	about := f.String("about", "", "only about this: workspace, an e-mail, a conversation, a name")
	contains := f.String("contains", "", "only with these words")
	after := f.String("after", "", "only behind the fact of this id")
	correct := f.String("correct", "", "have the fact of this id say what follows")
	remove := f.String("remove", "", "remove the fact of this id")
	rest, err := parse(f, args, 0, 1)
	if err != nil {
		return err
	}
	c := a.client()
	switch {
	case *correct != "" && *remove != "":
		return fmt.Errorf("a fact is corrected or removed: write -correct or -remove, not both")
	case *correct != "" && len(rest) == 1:
		if err := c.CorrectFact(ctx, *correct, "", rest[0]); err != nil {
			return err
		}
		fmt.Fprintf(a.out, "Known from now on: %s\n", rest[0])
		return nil
	case *correct != "":
		return fmt.Errorf("nothing says what is so: write it behind -correct %s, in quotation marks", *correct)
	case len(rest) > 0:
		return fmt.Errorf("%q stands there for nothing: facts takes a text only with -correct", rest[0])
	case *remove != "":
		if err := c.RemoveFact(ctx, *remove, ""); err != nil {
			return err
		}
		fmt.Fprintf(a.out, "The fact %s is not known any more.\n", *remove)
		return nil
	}
	page, err := c.Facts(ctx, *about, *contains, *after)
	if err != nil {
		return err
	}
	if *asJSON {
		return a.printJSON(page)
	}
	return a.listFacts(ctx, c, page)
}

func (a *app) listFacts(ctx context.Context, c *client.Client, page wire.Facts) error {
	if len(page.Facts) == 0 {
		fmt.Fprintln(a.out, "No fact is kept.")
		return nil
	}
	zone, _, err := place(ctx, c)
	if err != nil {
		return err
	}
	rows := [][]string{{"ABOUT", "FACT", "SINCE", "WORKFLOW", "ID"}}
	for _, one := range page.Facts {
		rows = append(rows, []string{one.About, one.Fact, moment(one.At, zone), one.Title, one.ID})
	}
	if err := a.table(rows); err != nil {
		return err
	}
	if page.Next != "" {
		fmt.Fprintf(a.out, "There are more: woolsignal facts -after %s\n", page.Next)
	}
	return nil
}
