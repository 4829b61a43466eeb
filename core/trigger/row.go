package trigger

import (
	"time"

	"woolsignal/core/expr"
	"woolsignal/core/flow"
	"woolsignal/core/shape"
)

// Row starts a run with each row that is added or changed: of a table of the
// workspace, or of a list that a tool gives.
type Row struct {
	Table   string
	Tool    string // looked at every so often, where Table is ""
	Args    []flow.Entry
	List    *flow.Expression // over result: the list of rows
	Unique  string           // the field that tells rows apart
	Happens string           // added, changed or either
	Columns []string         // only these travel on; none is all
	Every   time.Duration
}

// Fields are what it may say.
func (r *Row) Fields() []flow.Field {
	return []flow.Field{
		{Name: "table", Into: &r.Table, Holds: flow.HoldsTable, Help: "A table of the workspace.", Example: "lots"},
		{Name: "tool", Into: &r.Tool, Holds: flow.HoldsTool, Help: "Or a tool that gives a list.",
			Example: "clip-register/list_deliveries"},
		{Name: "args", Into: &r.Args, Help: "The tool's arguments.", Example: "{open: true}"},
		{Name: "list", Into: &r.List, Help: "The list in what the tool gives; it sees result.",
			Example: "result.deliveries"},
		{Name: "unique", Into: &r.Unique, Help: "The field no two of its rows share a value of.", Example: "id"},
		{Name: "happens", Into: &r.Happens, Choices: []string{"added", "changed", "either"}, Default: "added",
			Help: "What happens to a row.", Example: "either"},
		{Name: "columns", Into: &r.Columns, Help: "Only these travel on.", Example: "[grower, kg]"},
		everyField(&r.Every),
	}
}

// Agree insists on one place where the rows are.
func (r *Row) Agree(m flow.Reading) {
	notTooOften(m, &r.Every)
	if m.Has("table") == m.Has("tool") {
		m.Wrong("", "add table: its id, or tool: connection/tool",
			"rows are of a table, or of a list a tool gives: say which")
	}
	m.Only(!m.Has("table"), "remove it", "%s belongs to rows that a tool gives", "args", "list", "unique", "every")
	if !m.Has("tool") {
		return
	}
	for _, needed := range []flow.Field{{Name: "list", Example: "result.deliveries"},
		{Name: "unique", Example: "id"}} {
		if !m.Has(needed.Name) {
			m.Wrong("", "add "+needed.Name+": "+needed.Example, "the key %s is missing", needed.Name)
		}
	}
}

// Starts tells whether a row that was added or changed is one of these.
func (r *Row) Starts(table, did string) bool {
	return r.Table != "" && r.Table == table && (r.Happens == "either" || r.Happens == did)
}

// Check checks which rows are watched, and which of their columns travel on.
func (r *Row) Check(c *flow.Checker, t *flow.Trigger) {
	if r.Tool != "" {
		r.checkTool(c, t)
	}
	all := r.rows(c.Workspace, c.Tool)
	if all == nil {
		return
	}
	if _, presence := all.Field(r.Unique); r.Tool != "" && presence == shape.Absent {
		c.Wrong(t.At, all.Has("a row"), "the rows have no %s to tell them apart by", r.Unique)
	}
	for _, column := range r.Columns {
		if _, presence := all.Field(column); presence == shape.Absent {
			c.Wrong(t.At, all.Has("a row"), "the rows have no %s", column)
		}
	}
}

// checkTool checks the tool that gives the list.
func (r *Row) checkTool(c *flow.Checker, t *flow.Trigger) {
	spec, ok := c.Tool(r.Tool)
	if !ok {
		return
	}
	if !spec.ReadOnly {
		c.Report(t.At, flow.Problem{What: r.Tool + " changes something, and would be called again and again",
			Remedy: "use a tool that reads"})
	}
	c.Arguments(r.Tool, r.Args, c.Entries(r.Args, expr.Names{}), spec.Input, t.At, true)
	if r.List != nil {
		c.Insist(r.List, "list", "give it a list", "rows are a list", resultOf(spec))
	}
}

// rows is the shape of a row as it stands; nil where it is not known.
func (r *Row) rows(w *flow.Workspace, tool flow.Catalogue) shape.Shape {
	if t := w.Tables[r.Table]; t != nil {
		return t.RowShape()
	}
	if spec, ok := tool(r.Tool); ok && r.List != nil {
		found, _ := r.List.Infer(resultOf(spec))
		return found.Shape.Items()
	}
	return nil
}

// Tell says which rows are meant.
func (r *Row) Tell(p *flow.Sentence, _ *flow.Trigger) {
	did := r.Happens
	if did == "either" {
		did = "added or changed"
	}
	p.Say("When a row is ").Field("happens").Word(did).Say(" in ")
	if r.Table != "" {
		name := r.Table
		if t := p.Workspace.Tables[r.Table]; t != nil {
			name = t.Title
		}
		p.Field("table").Word(name)
	} else {
		p.Say("what ").Field("tool").Tool(r.Tool).Say(" gives")
	}
	if len(r.Columns) > 0 {
		p.Say(", taking ").Field("columns").Words(r.Columns, ", ")
	}
}

// Shape is that of its signals.
func (r *Row) Shape(w *flow.Workspace, tool flow.Catalogue) shape.Shape {
	return flow.SignalShape(shape.Map(nil), r.travelling(r.rows(w, tool)))
}

// travelling leaves of a row what travels on.
func (r *Row) travelling(all shape.Shape) shape.Shape {
	if all == nil || len(r.Columns) == 0 {
		return all
	}
	fields := map[string]shape.Shape{}
	var optional []string
	for _, c := range r.Columns {
		field, presence := all.Field(c)
		fields[c] = field
		if presence != shape.Certain {
			optional = append(optional, c)
		}
	}
	return shape.Map(fields, optional...)
}

// Source is the table, or the tool.
func (r *Row) Source() string {
	if r.Table != "" {
		return "/tables/" + r.Table
	}
	return "/rows/" + r.Tool
}

// HeardBy is the subject.
func (*Row) HeardBy() flow.HeardBy { return flow.BySubject }

// resultOf is what an expression sees that reads what a tool gives.
func resultOf(spec flow.Tool) expr.Names {
	return expr.NamesOf(map[string]expr.Type{"result": {Shape: spec.Output}})
}
