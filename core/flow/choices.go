package flow

import (
	"maps"
	"slices"
	"strings"

	"woolsignal/core/expr"
)

// ChoicesWord is the word under which a property of a schema names the table its
// values are chosen from: choices: {table: categories, column: name, describe:
// meaning}. It is no word of JSON Schema, which lets others stand.
const ChoicesWord = "choices"

// ChosenFrom is where the values of a property come from.
type ChosenFrom struct {
	Table    string
	Column   string // what is chosen
	Describe string // the column that says what each means; "" is none
}

// Choice is one value that can be chosen.
type Choice struct {
	Value   any    `json:"value"`
	Meaning string `json:"meaning,omitempty"`
}

// MostChoices is how many values can be chosen from.
const MostChoices = 500

// ChosenFrom lists where the properties of the schema come from, in one order.
func (s *Schema) ChosenFrom() []ChosenFrom {
	var out []ChosenFrom
	eachChosen(s.Document(), func(_ map[string]any, from ChosenFrom) { out = append(out, from) })
	return out
}

// With is the schema's document with what there is to choose from filled in:
// choices has a list for each of [Schema.ChosenFrom].
func (s *Schema) With(choices [][]Choice) map[string]any {
	doc := s.Document()
	if len(choices) == 0 {
		return doc
	}
	doc = cloned(doc).(map[string]any)
	n := 0
	eachChosen(doc, func(property map[string]any, _ ChosenFrom) {
		if n < len(choices) {
			choose(property, choices[n])
		}
		n++
	})
	return doc
}

// chosen insists that what a schema's values are chosen from is there, and that the
// schema is an answer's: nobody reads the table for any other.
func (c *Checker) chosen(s *Schema, field string) {
	for _, from := range s.ChosenFrom() {
		table := c.Workspace.Tables[from.Table]
		switch {
		case field != "answer":
			c.Wrong(s.At, "name the values under enum:, or check them with an expression",
				"choices: stands only in an answer, where a model chooses")
		case table == nil:
			c.Wrong(s.At, DidYouMean(from.Table, slices.Sorted(maps.Keys(c.Workspace.Tables))),
				"there is no table %s to choose from", from.Table)
		default:
			c.chosenColumns(s, table, from)
		}
	}
}

func (c *Checker) chosenColumns(s *Schema, table *Table, from ChosenFrom) {
	names := make([]string, len(table.Columns))
	for i, column := range table.Columns {
		names[i] = column.Name
	}
	for _, column := range []string{from.Column, from.Describe} {
		if table.Column(column) == nil && (column != "" || from.Column == "") {
			c.Wrong(s.At, DidYouMean(column, names), "the table %s has no column %q to choose from", from.Table, column)
			return
		}
	}
}

// choose has a property be one of some values, and say what each means.
func choose(property map[string]any, choices []Choice) {
	delete(property, ChoicesWord)
	values := []any{}
	var meanings strings.Builder
	for _, c := range choices {
		values = append(values, c.Value)
		if c.Meaning != "" {
			meanings.WriteString("\n- " + expr.Text(c.Value) + ": " + c.Meaning)
		}
	}
	property["enum"] = values
	if meanings.Len() > 0 {
		said, _ := property["description"].(string)
		property["description"] = strings.TrimSpace(said + meanings.String())
	}
}

// eachChosen visits the parts of a schema whose values come from a table, in the
// order of their names.
func eachChosen(doc map[string]any, visit func(map[string]any, ChosenFrom)) {
	if from, is := doc[ChoicesWord].(map[string]any); is {
		text := func(key string) string { s, _ := from[key].(string); return s }
		if text("table") != "" { // else it is a property of that name
			visit(doc, ChosenFrom{text("table"), text("column"), text("describe")})
		}
	}
	for _, key := range slices.Sorted(maps.Keys(doc)) {
		switch inner := doc[key].(type) {
		case map[string]any:
			if key != ChoicesWord {
				eachChosen(inner, visit)
			}
		case []any:
			for _, item := range inner {
				if m, is := item.(map[string]any); is {
					eachChosen(m, visit)
				}
			}
		}
	}
}

// cloned copies a value of JSON as deep as it is.
func cloned(v any) any {
	switch v := v.(type) {
	case map[string]any:
		out := make(map[string]any, len(v))
		for k, inner := range v {
			out[k] = cloned(inner)
		}
		return out
	case []any:
		out := make([]any, len(v))
		for i, inner := range v {
			out[i] = cloned(inner)
		}
		return out
	}
	return v
}
