package flow

import (
	"slices"
	"strings"
)

// Table is a table of the workspace's own: rows of typed columns.
type Table struct {
	ID, Title, Purpose string
	Columns            []Column
	Key                string // the column no two rows share a value of; "" is none
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
}

// columnTypes are what a column can hold.
var columnTypes = []string{"text", "number", "date", "choice", "yes_no"}

// reservedColumns have a meaning of their own in every table.
var reservedColumns = []string{"row", "changed", "added"}

// DecodeTable reads one table file.
func DecodeTable(file, text string) (*Table, []Problem) {
	r := &reader{file: file}
	t := &Table{file: file}
	root := r.document(text)
	if root == nil {
		return t, r.problems
	}
	f, _ := r.mapping(root, "a table", "table", "title", "purpose", "columns", "key")
	t.At = f.at
	t.ID = r.fileID(f, "table", file)
	t.Title = r.required(f, "title", "the name people see")
	t.Purpose, t.Key = r.text(f, "purpose"), r.text(f, "key")
	for _, n := range r.list(f, "columns") {
		g, ok := r.mapping(n, "a column", "name", "title", "type", "required", "choices", "most")
		if !ok {
			continue
		}
		c := Column{Name: r.required(g, "name", "kilograms"), Title: r.text(g, "title"), Type: r.choice(g, "type", "text", columnTypes...),
			Required: r.flag(g, "required", false), Choices: r.texts(g, "choices"), Most: r.whole(g, "most", 2000)}
		switch {
		case c.Name != "" && !snake.MatchString(c.Name):
			r.wrong(g.pos("name"), "use small letters, digits and _", "%q cannot be a column's name", c.Name)
		case slices.Contains(reservedColumns, c.Name):
			r.wrong(g.pos("name"), "choose another name", "every table has a column %s already", c.Name)
		case t.Column(c.Name) != nil:
			r.wrong(g.pos("name"), "choose another name", "there are two columns called %s", c.Name)
		case (c.Type == "choice") != (len(c.Choices) > 0):
			r.wrong(g.at, "write type: choice with choices: [a, b]", "choices belong to a column of type choice, and it needs some")
		}
		t.Columns = append(t.Columns, c)
	}
	if len(t.Columns) == 0 {
		r.wrong(f.at, "add columns: with at least one name:", "the table has no columns")
	}
	if t.Key != "" && t.Column(t.Key) == nil {
		r.wrong(f.pos("key"), "name one of the columns: "+strings.Join(t.names(), ", "), "there is no column %s", t.Key)
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
		if c.Required || c.Name == t.Key {
			required = append(required, c.Name)
		}
	}
	return map[string]any{"type": "object", "properties": properties, "required": required, "additionalProperties": false}
}
