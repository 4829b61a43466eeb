package main

import (
	"context"
	"errors"
	"fmt"

	"woolsignal/wire"
)

func tokens(ctx context.Context, a *app, args []string) error {
	f := a.flags("tokens")
	asJSON := f.Bool("json", false, "print JSON")
	revoked := f.String("revoke", "", "id of a token to revoke, at once")
	if _, err := parse(f, args, 0, 0); err != nil {
		return err
	}
	c := a.client()
	if *revoked != "" {
		if err := c.Revoke(ctx, *revoked); err != nil {
			return err
		}
		fmt.Fprintf(a.out, "The token %s opens nothing any more.\n", *revoked)
		return nil
	}
	all, err := c.Tokens(ctx)
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
	rows := [][]string{{"TOKEN", "NAME", "OF", "MADE", "USED"}}
	for _, t := range all {
		rows = append(rows, []string{t.ID, t.Name, t.Owner, moment(t.Made, zone), moment(t.Seen, zone)})
	}
	return a.table(rows)
}

// changePassword asks for both passwords: neither stands on the command line,
// where others of the machine could read it.
func changePassword(ctx context.Context, a *app, args []string) error {
	f := a.flags("password")
	if _, err := parse(f, args, 0, 0); err != nil {
		return err
	}
	asked := []string{"The password you have", "The next", "The next once more"}
	given := make([]string, len(asked))
	for i, what := range asked {
		var err error
		if given[i], err = a.readSecret(what); err != nil {
			return err
		}
	}
	if given[1] != given[2] {
		return errors.New("the two are not the same; nothing was changed")
	}
	err := a.client().ChangePassword(ctx, wire.NewPassword{Password: given[0], Next: given[1]})
	if err == nil {
		fmt.Fprintln(a.out, "Changed. Browsers that were signed in are signed out; tokens stay as they are.")
	}
	return err
}
