package expr

import (
	"fmt"
	"maps"
	"slices"
	"strings"

	"cel.dev/cel-go/common/ast"
	"cel.dev/cel-go/common/operators"
	"cel.dev/cel-go/common/types"

	"woolsignal/core/shape"
)

// KindAt names the kind of what a path leads to, its root name first; "" where
// it is not known.
func (n Names) KindAt(path []string) string { return n.ShapeAt(path).Kind() }

// ShapeAt is the shape of what a path leads to; nil where it is not known.
func (n Names) ShapeAt(path []string) shape.Shape {
	t, _ := n.Type(path[0])
	s := t.Shape
	for _, name := range path[1:] {
		s, _ = s.Field(name)
	}
	return s
}

// Finding is something an expression gets wrong about the values it reads.
type Finding struct {
	Offset int // bytes from the start of the source
	What   string
	Why    string
	Remedy string
	Got    string   // the word that is wrong, where it is a slip of the pen
	Among  []string // the words it could have been
	Remark bool     // it may be right
	// What could stand in place of what stands at Offset, where that is sure to
	// put it right.
	Was, Instead string
}

// Kinds only expressions have; they leave as texts.
var (
	timeShape     = shape.Shape{"type": "time"}
	durationShape = shape.Shape{"type": "duration"}
)

// Infer types the expression and tells what does not fit.
func (p *Program) Infer(names Names) (Type, []Finding) {
	w := &walker{names: names, at: func(e ast.Expr) int {
		if r, ok := p.parsed.NativeRep().SourceInfo().GetOffsetRange(e.ID()); ok {
			return int(r.Start)
		}
		return 0
	}}
	t := w.walk(p.parsed.NativeRep().Expr(), nil)
	switch t.Shape.Kind() {
	case "":
		switch t.Shape["type"] {
		case "time":
			t.Shape = shape.Time()
		case "duration":
			t.Shape = shape.Text()
		}
	}
	return t, w.findings
}

// Infer types a text and tells what does not fit in it.
func (t *Template) Infer(names Names) (Type, []Finding) {
	out := Type{Shape: shape.Text()}
	var all []Finding
	for _, p := range t.parts {
		if p.program == nil {
			continue
		}
		one, findings := p.program.Infer(names)
		for _, f := range findings {
			f.Offset += p.offset
			all = append(all, f)
		}
		if len(t.parts) == 1 {
			out = one
		}
	}
	return out, all
}

// bound are the names comprehensions bind, innermost last.
type bound struct {
	name  string
	typ   Type
	outer *bound
}

type walker struct {
	names    Names
	at       func(ast.Expr) int
	there    []string // chains of names that were tested not to be null
	findings []Finding
}

func (w *walker) find(e ast.Expr, f Finding) {
	f.Offset = w.at(start(e))
	if f.Why == "" && !f.Remark {
		f.Why = "the step would fail here when it runs"
	}
	w.findings = append(w.findings, f)
}

// start is where a chain of names begins; the tree notes its last dot.
func start(e ast.Expr) ast.Expr {
	switch e.Kind() {
	case ast.SelectKind:
		return start(e.AsSelect().Operand())
	case ast.CallKind:
		call := e.AsCall()
		if call.IsMemberFunction() {
			return start(call.Target())
		}
		if f := call.FunctionName(); f == operators.Index || f == operators.OptIndex || f == operators.OptSelect {
			return start(call.Args()[0])
		}
	}
	return e
}

func known(s shape.Shape) Type { return Type{Shape: s} }

// kind names a type's kind, times and durations included.
func kind(t Type) string {
	if k := t.Shape.Kind(); k != "" {
		return k
	}
	k, _ := t.Shape["type"].(string)
	if k == "time" || k == "duration" {
		return k
	}
	return ""
}

func (w *walker) walk(e ast.Expr, in *bound) Type {
	switch e.Kind() {
	case ast.LiteralKind:
		return literal(e)
	case ast.IdentKind:
		return w.name(e, in)
	case ast.SelectKind:
		s := e.AsSelect()
		operand := w.walk(s.Operand(), in)
		if s.IsTestOnly() {
			w.field(e, operand, written(s.Operand()), s.FieldName(), true)
			return known(shape.Bool())
		}
		operand = w.must(s.Operand(), operand, ".?"+s.FieldName())
		return w.field(e, operand, written(s.Operand()), s.FieldName(), false)
	case ast.ListKind:
		items := make([]shape.Shape, 0, e.AsList().Size())
		for _, item := range e.AsList().Elements() {
			items = append(items, w.walk(item, in).Shape)
		}
		if len(items) == 0 {
			return known(shape.List(shape.Never))
		}
		return known(shape.List(leaving(shape.Union(items...))))
	case ast.MapKind:
		fields, literalKeys := map[string]shape.Shape{}, true
		for _, entry := range e.AsMap().Entries() {
			m := entry.AsMapEntry()
			v := w.walk(m.Value(), in)
			key, ok := stringLiteral(m.Key())
			if !ok {
				literalKeys = false
				w.walk(m.Key(), in)
				continue
			}
			fields[key] = leaving(v.Shape)
		}
		if !literalKeys || len(fields) == 0 {
			return known(shape.Shape{"type": "object"})
		}
		return known(shape.Map(fields))
	case ast.CallKind:
		return w.call(e, in)
	case ast.ComprehensionKind:
		return w.comprehension(e, in)
	}
	return Type{}
}

// leaving is the shape of a value once it is part of another.
func leaving(s shape.Shape) shape.Shape {
	switch s["type"] {
	case "time":
		return shape.Time()
	case "duration":
		return shape.Text()
	}
	return s
}

func literal(e ast.Expr) Type {
	switch e.AsLiteral().(type) {
	case types.String:
		return known(shape.Text())
	case types.Int, types.Uint, types.Double:
		return known(shape.Number())
	case types.Bool:
		return known(shape.Bool())
	case types.Null:
		return known(shape.Null())
	}
	return Type{}
}

func stringLiteral(e ast.Expr) (string, bool) {
	if e.Kind() != ast.LiteralKind {
		return "", false
	}
	s, ok := e.AsLiteral().(types.String)
	return string(s), ok
}

func (w *walker) name(e ast.Expr, in *bound) Type {
	name := e.AsIdent()
	for b := in; b != nil; b = b.outer {
		if b.name == name {
			return b.typ
		}
	}
	switch name {
	case nowName:
		return known(timeShape)
	case calendarName:
		return Type{}
	}
	t, ok := w.names.Type(name)
	if !ok {
		if strings.HasPrefix(name, "@") {
			return Type{}
		}
		among := slices.Sorted(maps.Keys(w.names.All()))
		w.find(e, Finding{What: "there is no " + name + " here", Got: name, Among: among,
			Why: "an expression sees the signal and the steps above it, and a step inside a block only from inside"})
	}
	return t
}

// must insists that a value is there before something is taken of it.
func (w *walker) must(e ast.Expr, t Type, instead string) Type {
	if t.Optional {
		name := written(e)
		w.find(e, Finding{What: name + " may be missing",
			Why:    "its step may be skipped or fail, or not every way sets it; then this expression fails the step",
			Remedy: otherwiseFor(name, instead), Was: name, Instead: otherwiseCall(name, t.Shape)})
	}
	t.Optional = false
	return t
}

// otherwiseFor says how to read what may be missing.
func otherwiseFor(name, field string) string {
	if strings.HasPrefix(name, "this") {
		return "put otherwise(…, …) around it, with what stands instead"
	}
	return "read it as otherwise(" + name + strings.Replace(field, ".?", ".", 1) + ", …)"
}

// otherwiseCall is a reading of what may be missing that never fails: with
// nothing of its kind in its place.
func otherwiseCall(name string, s shape.Shape) string {
	instead := map[string]string{"text": `""`, "number": "0", "bool": "false", "list": "[]",
		"map": "{}"}[s.WithoutNull().Kind()]
	if instead == "" {
		instead = "null"
	}
	return "otherwise(" + name + ", " + instead + ")"
}

// present insists that a value something is done with is not null.
func (w *walker) present(e ast.Expr, t Type) Type {
	name := written(e)
	if t.Shape.Nullable() && !slices.Contains(w.there, name) && !strings.Contains(name, "this") {
		w.find(e, Finding{What: name + " may be null", Remark: true,
			Why:    "what is not filled in is null; then this expression fails the step",
			Remedy: otherwiseFor(name, "") + ", or ask first whether it is missing", Was: name,
			Instead: otherwiseCall(name, t.Shape)})
	}
	t.Shape = t.Shape.WithoutNull()
	return t
}

// field takes one field of a value.
func (w *walker) field(e ast.Expr, of Type, name, field string, tested bool) Type {
	if slices.Contains(w.there, name) {
		of.Shape = of.Shape.WithoutNull()
	}
	inner, presence := of.Shape.Field(field)
	whole := strings.TrimPrefix(name+"."+field, ".")
	switch {
	case of.Shape["type"] == "time" || of.Shape["type"] == "duration":
		presence = shape.Absent
	case presence == shape.Maybe && !tested && of.Shape.Ours():
		w.find(e, Finding{What: whole + " may be missing",
			Why:    "not every way through the steps sets it; then this expression fails the step",
			Remedy: otherwiseFor(name, "."+field), Was: whole, Instead: otherwiseCall(whole, inner)})
	case presence == shape.Maybe && !tested:
		w.find(e, Finding{What: whole + " may be missing",
			Why: "its schema does not require it; without it this expression fails the step", Remark: true,
			Remedy: otherwiseFor(name, "."+field) + ", or require it in the schema", Was: whole,
			Instead: otherwiseCall(whole, inner)})
	}
	if presence == shape.Absent {
		w.find(e, Finding{What: whole + ": there is no " + field, Remedy: of.Shape.Has(name), Got: field,
			Among: of.Shape.Names()})
		return Type{}
	}
	return Type{Shape: inner}
}

// written gives back a simple chain of names as its author wrote it.
func written(e ast.Expr) string {
	switch e.Kind() {
	case ast.IdentKind:
		return e.AsIdent()
	case ast.SelectKind:
		return written(e.AsSelect().Operand()) + "." + e.AsSelect().FieldName()
	case ast.CallKind:
		call := e.AsCall()
		if call.FunctionName() == operators.Index {
			if key, ok := stringLiteral(call.Args()[1]); ok {
				return fmt.Sprintf("%s[%q]", written(call.Args()[0]), key)
			}
			return written(call.Args()[0]) + "[…]"
		}
		if call.FunctionName() == operators.OptSelect {
			if key, ok := stringLiteral(call.Args()[1]); ok {
				return written(call.Args()[0]) + ".?" + key
			}
		}
	}
	return "this"
}
