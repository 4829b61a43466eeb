package main

import (
	"context"
	"encoding/json"
	"fmt"
	"os"
	"strings"

	"woolsignal/wire"
)

func tables(ctx context.Context, a *app, args []string) error {
	f := a.flags("tables")
	asJSON := f.Bool("json", false, "print JSON")
	words := f.String("text", "", "only rows where these words stand")
	limit := f.Int("limit", 30, "how many rows at most")
	add := f.String("add", "", `add a row: its values as JSON, as in {"sample": "FT-9"}`)
	imported := f.String("import", "", "add the rows of a CSV file; nothing where any line is wrong")
	exported := f.String("export", "", "write every row as CSV into a file; - is standard output")
	rest, err := parse(f, args, 0, 1)
	if err != nil {
		return err
	}
	all, err := a.client().Tables(ctx)
	if err != nil {
		return err
	}
	if len(rest) == 0 {
		if *asJSON {
			return a.printJSON(all)
		}
		rows := [][]string{{"TABLE", "TITLE", "ROWS", "COLUMNS", "USED BY"}}
		for _, t := range all {
			var names []string
			for _, c := range t.Columns {
				names = append(names, c.Name)
			}
			rows = append(rows, []string{t.ID, t.Title, fmt.Sprint(t.Rows), oneLine(strings.Join(names, ", "), 60),
				strings.Join(t.Used, ", ")})
		}
		return a.table(rows)
	}
	switch id := rest[0]; {
	case *add != "":
		var values map[string]any
		if err := json.Unmarshal([]byte(*add), &values); err != nil {
			return fmt.Errorf("%w: -add is not a JSON object: %w", errMisuse, err)
		}
		row, err := a.client().AddRow(ctx, id, values)
		if err == nil {
			fmt.Fprintf(a.out, "Row %d.\n", row.Row)
		}
		return err
	case *imported != "":
		text, err := os.ReadFile(*imported)
		if err != nil {
			return err
		}
		done, err := a.client().ImportRows(ctx, id, string(text))
		if err == nil {
			fmt.Fprintf(a.out, "%d rows added, %d changed.\n", done.Added, done.Changed)
		}
		return err
	case *exported != "":
		text, err := a.client().ExportRows(ctx, id)
		if err != nil {
			return err
		}
		if *exported == "-" {
			_, err = fmt.Fprint(a.out, text)
			return err
		}
		return os.WriteFile(*exported, []byte(text), 0o644)
	}
	return a.rows(ctx, rest[0], all, wire.RowQuery{Words: *words, Limit: *limit}, *asJSON)
}

// rows prints rows of a table.
func (a *app) rows(ctx context.Context, id string, all []wire.Table, q wire.RowQuery, asJSON bool) error {
	found, err := a.client().Rows(ctx, id, q)
	if err != nil {
		return err
	}
	if asJSON {
		return a.printJSON(found)
	}
	for _, t := range all {
		if t.ID != id {
			continue
		}
		head := []string{"ROW"}
		for _, c := range t.Columns {
			head = append(head, strings.ToUpper(c.Name))
		}
		rows := [][]string{head}
		for _, r := range found.Rows {
			line := []string{fmt.Sprint(r.Row)}
			for _, c := range t.Columns {
				line = append(line, oneLine(value(r.Values[c.Name]), 40))
			}
			rows = append(rows, line)
		}
		if err := a.table(rows); err != nil {
			return err
		}
	}
	if found.More {
		fmt.Fprintf(a.out, "\nThere are more; -limit shows them.\n")
	}
	return nil
}
