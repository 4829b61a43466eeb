package main

import "context"

func audit(ctx context.Context, a *app, args []string) error {
	f := a.flags("audit")
	asJSON := f.Bool("json", false, "print JSON")
	who := f.String("who", "", "only what this e-mail did, or was tried as it")
	limit := f.Int("limit", 50, "how many, at most 500")
	if _, err := parse(f, args, 0, 0); err != nil {
		return err
	}
	c := a.client()
	all, err := c.Audit(ctx, *who, *limit)
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
	rows := [][]string{{"AT", "WHO", "FROM", "DID", "ABOUT"}}
	for _, e := range all {
		did := e.Did
		if e.Refused {
			did += " (refused)"
		}
		rows = append(rows, []string{moment(e.At, zone), e.Who, e.From, did, e.About})
	}
	return a.table(rows)
}
