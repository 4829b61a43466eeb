package table

import (
	"context"
	"fmt"

	"woolsignal/core/expr"
	"woolsignal/core/flow"
)

// Choices gives the values of a column, each once, in the order the rows were added.
// The error is an *[InvalidError] where there is none, or more than anybody can
// choose among.
func (t *Table) Choices(ctx context.Context, from flow.ChosenFrom) ([]flow.Choice, error) {
	for _, column := range []string{from.Column, from.Describe} {
		if column != "" && t.Of.Column(column) == nil {
			return nil, &InvalidError{fmt.Sprintf("%s has no column %s to choose from", t.Of.Title, column)}
		}
	}
	rows, err := t.Find(ctx, Query{OrderBy: "added"})
	if err != nil {
		return nil, err
	}
	var out []flow.Choice
	seen := map[any]bool{}
	for _, r := range rows.Rows {
		value := expr.Canonical(r.Values[from.Column])
		if value == nil || seen[value] {
			continue
		}
		seen[value] = true
		c := flow.Choice{Value: value}
		if from.Describe != "" {
			c.Meaning = expr.Text(r.Values[from.Describe])
		}
		out = append(out, c)
	}
	switch {
	case len(out) == 0:
		return nil, &InvalidError{fmt.Sprintf("%s has nothing to choose from: no row has %s", t.Of.Title, from.Column)}
	case len(out) > flow.MostChoices:
		return nil, &InvalidError{fmt.Sprintf("%s has %d values of %s, and a model chooses among %d at most",
			t.Of.Title,
			len(out), from.Column, flow.MostChoices)}
	}
	return out, nil
}
