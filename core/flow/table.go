package flow

import (
	"slices"
	"strings"
)

// Table is a table of the workspace's own: rows of typed columns.
type Table struct {
	ID, Title, Purpose string
	Columns            []Column
	Unique             string // the column no two rows share a value of; "" is none
	At                 Pos
	file               string
}

// Column is one column of a table.
type Column struct {
	Name, Title string
	Type        string // text, number, date, choice or yes_no
	Required    bool
	Choices     []string
	Most        int // characters of a text
	at          Pos
}

// columnTypes are what a column can hold.
var columnTypes = []string{"text", "number", "date", "choice", "yes_no"}

// reservedColumns have a meaning of their own in every table.
var reservedColumns = []string{"row", "changed", "added"}

// Fields are what a table file may say.
func (t *Table) Fields() []Field {
	return []Field{
		{Name: "table", Into: &t.ID, Required: true, Help: "Its id, the file's name.", Example: "lots"},
		{Name: "title", Into: &t.Title, Required: true, Help: "The name people see.", Example: "Lots"},
		{Name: "purpose", Into: &t.Purpose, Help: "What its rows are.", Example: "Fleece that was offered."},
		{Name: "columns", Into: ListOf(&t.Columns), Missing: "the table has no columns", Help: "Its columns.",
			Example: "[{name: kilograms, type: number}]"},
		{Name: "unique", Into: &t.Unique, Help: "The column no two rows share a value of.", Example: "lot"},
	}
}

// PlacedAt keeps where the table begins.
func (t *Table) PlacedAt(at Pos) { t.At = at }

// Agree insists on columns of different names.
func (t *Table) Agree(m Reading) {
	for i, c := range t.Columns {
		if slices.ContainsFunc(t.Columns[:i], func(o Column) bool { return o.Name == c.Name }) {
			m.WrongAt(c.at, "choose another name", "there are two columns called %s", c.Name)
		}
	}
	if m.Has("columns") && len(t.Columns) == 0 {
		m.Wrong("", "add columns: with at least one name:", "the table has no columns")
	}
	if t.Unique != "" && t.Column(t.Unique) == nil {
		m.Wrong("unique", "name one of the columns: "+strings.Join(t.names(), ", "), "there is no column %s", t.Unique)
	}
}

// Fields are what a column may say.
func (c *Column) Fields() []Field {
	return []Field{
		{Name: "name", Into: &c.Name, Holds: HoldsName, Required: true, Help: "Its name in expressions.",
			Example: "kilograms"},
		{Name: "title", Into: &c.Title, Help: "The words above it; its name where it is missing.",
			Example: "Kilograms"},
		{Name: "type", Into: &c.Type, Choices: columnTypes, Default: "text", Help: "What it holds.", Example: "number"},
		{Name: "required", Into: &c.Required, Help: "Whether each row must have it.", Example: "true"},
		{Name: "choices", Into: &c.Choices, Help: "What a choice is among.", Example: "[greasy, washed]"},
		{Name: "most", Into: &c.Most, Default: "2000", Help: "How many characters a text may have.", Example: "200"},
	}
}

// PlacedAt keeps where the column stands.
func (c *Column) PlacedAt(at Pos) { c.at = at }

// Agree keeps choices with a choice, and names that mean something free.
func (c *Column) Agree(m Reading) {
	if slices.Contains(reservedColumns, c.Name) {
		m.Wrong("name", "choose another name", "every table has a column %s already", c.Name)
	}
	if (c.Type == "choice") != (len(c.Choices) > 0) {
		m.Wrong("", "write type: choice with choices: [a, b]",
			"choices belong to a column of type choice, and it needs some")
	}
}

// DecodeTable reads one table file.
func DecodeTable(file, text string) (*Table, []Problem) {
	r := &reader{file: file}
	t := &Table{file: file}
	if root := r.document(text); root != nil {
		if m, ok := r.part(root, "a table", t); ok {
			r.checkID(m, "table", t.ID)
		}
	}
	return t, r.problems
}

// Column finds a column by name; nil where there is none.
func (t *Table) Column(name string) *Column {
	i := slices.IndexFunc(t.Columns, func(c Column) bool { return c.Name == name })
	if i < 0 {
		return nil
	}
	return &t.Columns[i]
}

func (t *Table) names() []string {
	out := make([]string, len(t.Columns))
	for i, c := range t.Columns {
		out[i] = c.Name
	}
	return out
}

// Schema is the JSON Schema of a row's values. What every row has by itself
// (its number and times) is not in it.
func (t *Table) Schema() map[string]any {
	properties, required := map[string]any{}, []any{}
	for _, c := range t.Columns {
		s := TypedSchema(c.Type, c.Choices)
		if c.Type == "text" {
			s["maxLength"] = float64(c.Most)
		}
		if c.Title != "" {
			s["title"] = c.Title
		}
		properties[c.Name] = s
		if c.Required || c.Name == t.Unique {
			required = append(required, c.Name)
		}
	}
	return map[string]any{"type": "object", "properties": properties, "required": required,
		"additionalProperties": false}
}
