package main

import (
	"context"
	"errors"
	"fmt"
)

func link(ctx context.Context, a *app, args []string) error {
	f := a.flags("link")
	asJSON := f.Bool("json", false, "print JSON")
	removed := f.String("remove", "", "a name of yours at CONNECTION that is to be yours no longer")
	rest, err := parse(f, args, 0, 1)
	if err != nil {
		return err
	}
	c := a.client()
	switch {
	case *removed != "" && len(rest) == 0:
		return errors.New("say where: link CONNECTION -remove NAME")
	case *removed != "":
		if err := c.Unlink(ctx, rest[0], *removed); err != nil {
			return err
		}
		fmt.Fprintf(a.out, "%s is not linked to you any more.\n", *removed)
		return nil
	case len(rest) == 1:
		code, err := c.NewChatCode(ctx, rest[0])
		if err != nil || *asJSON {
			return errors.Join(err, a.printJSON(code))
		}
		zone, _, err := place(ctx, c)
		if err != nil {
			return err
		}
		fmt.Fprintf(a.out, "Write this to the bot at %s, in private, by the name that is yours there:\n\n  %s\n\n"+
			"It is good once, till %s.\n", code.To, code.Write, moment(code.Expires, zone))
		return nil
	}
	return listLinked(ctx, a, *asJSON)
}

func listLinked(ctx context.Context, a *app, asJSON bool) error {
	c := a.client()
	all, err := c.ChatNames(ctx)
	if err != nil {
		return err
	}
	if asJSON {
		return a.printJSON(all)
	}
	zone, _, err := place(ctx, c)
	if err != nil {
		return err
	}
	rows := [][]string{{"CONNECTION", "NAME", "LINKED"}}
	for _, n := range all.Names {
		rows = append(rows, []string{n.Connection, n.Handle, moment(n.Linked, zone)})
	}
	if len(all.Names) > 0 {
		return a.table(rows)
	}
	fmt.Fprintln(a.out, "No name at a chat server is linked to you. These can be:")
	for _, s := range all.Servers {
		fmt.Fprintf(a.out, "  woolsignal link %s    %s\n", s.Connection, s.Title)
	}
	return nil
}
