package expr

import (
	"cel.dev/cel-go/common/ast"
	"cel.dev/cel-go/common/operators"
	"cel.dev/cel-go/common/types"
)

// Form is an expression taken apart, so that it can be worked on without code.
// [Form.Code] puts it together again.
type Form struct {
	Is    string   `json:"is"`              // one of the constants below
	Path  []string `json:"path,omitempty"`  // of a value: its names, the root first
	Value any      `json:"value,omitempty"` // of a literal
	Name  string   `json:"name,omitempty"`  // of a comparison, a sign or a link
	As    string   `json:"as,omitempty"`    // how a link names one item for what is asked of each
	Of    []Form   `json:"of,omitempty"`    // what it is made of, the value a link works on first
	Keys  []string `json:"keys,omitempty"`  // of a map, in the order of its values
	Text  string   `json:"text,omitempty"`  // of code
}

// What a [Form] can be.
const (
	FormValue   = "value"   // a value that is read
	FormLiteral = "literal" // one that stands in the expression
	FormCompare = "compare" // a row of a condition: see [Comparisons]
	FormAll     = "all"     // conditions that must all hold
	FormAny     = "any"     // … of which one must
	FormNot     = "not"     // one that must not
	FormReckon  = "reckon"  // two values and a sign: + - * / %
	FormChoose  = "choose"  // a condition, what holds if it does, and what else
	FormList    = "list"
	FormMap     = "map"
	FormLink    = "link" // a link of a chain: see [Links]
	FormCode    = "code" // what has no such form
)

// Form takes the expression apart.
func (p *Program) Form() Form {
	parsed := p.plain()
	if parsed == nil {
		return Form{Is: FormCode, Text: p.Source}
	}
	return (&former{info: parsed.SourceInfo()}).form(parsed.Expr())
}

// ReadForm takes an expression apart that may be of anything.
func ReadForm(source string) Form {
	parsed := plainly(source)()
	if parsed == nil {
		return Form{Is: FormCode, Text: source}
	}
	return (&former{info: parsed.SourceInfo()}).form(parsed.Expr())
}

type former struct{ info *ast.SourceInfo }

func (f *former) code(e ast.Expr) Form {
	words := (&teller{info: f.info}).code(e).words
	return Form{Is: FormCode, Text: words[0].Text}
}

func (f *former) form(e ast.Expr) Form {
	if path := (&teller{}).path(e); path != nil && !optional(e) {
		return Form{Is: FormValue, Path: path}
	}
	switch e.Kind() {
	case ast.LiteralKind:
		if v, err := fromCEL(e.AsLiteral(), nil); err == nil {
			return Form{Is: FormLiteral, Value: v}
		}
	case ast.ListKind:
		return Form{Is: FormList, Of: f.forms(e.AsList().Elements())}
	case ast.MapKind:
		return f.entries(e)
	case ast.CallKind:
		if out, known := f.call(e); known {
			return out
		}
	}
	return f.code(e)
}

func (f *former) forms(all []ast.Expr) []Form {
	out := make([]Form, len(all))
	for i, e := range all {
		out[i] = f.form(e)
	}
	return out
}

func (f *former) entries(e ast.Expr) Form {
	out := Form{Is: FormMap}
	for _, entry := range e.AsMap().Entries() {
		m := entry.AsMapEntry()
		key, literal := stringLiteral(m.Key())
		if !literal || m.IsOptional() {
			return f.code(e)
		}
		out.Keys, out.Of = append(out.Keys, key), append(out.Of, f.form(m.Value()))
	}
	return out
}

func (f *former) call(e ast.Expr) (Form, bool) {
	call := e.AsCall()
	args := call.Args()
	switch name := call.FunctionName(); name {
	case operators.LogicalAnd:
		return f.joined(FormAll, name, e), true
	case operators.LogicalOr:
		return f.joined(FormAny, name, e), true
	case operators.LogicalNot:
		return f.not(args[0]), true
	case operators.Conditional:
		return Form{Is: FormChoose, Of: f.forms(args)}, true
	case operators.Negate:
		return f.negative(args[0])
	default:
		if sign, reckons := signs[name]; reckons {
			return Form{Is: FormReckon, Name: sign, Of: f.forms(args)}, true
		}
	}
	if out, compares := f.compared(e); compares {
		return out, true
	}
	return f.linked(e)
}

// signs are how the operators that reckon are written.
var signs = map[string]string{operators.Add: "+", operators.Subtract: "-", operators.Multiply: "*",
	operators.Divide: "/", operators.Modulo: "%"}

// negative is a number below nothing.
func (f *former) negative(e ast.Expr) (Form, bool) {
	switch v := f.form(e); n := v.Value.(type) {
	case int64:
		return Form{Is: FormLiteral, Value: -n}, v.Is == FormLiteral
	case float64:
		return Form{Is: FormLiteral, Value: -n}, v.Is == FormLiteral
	}
	return Form{}, false
}

// joined puts conditions joined by one word side by side, however they nest.
func (f *former) joined(is, operator string, e ast.Expr) Form {
	out := Form{Is: is}
	var walk func(ast.Expr)
	walk = func(e ast.Expr) {
		if e.Kind() == ast.CallKind && e.AsCall().FunctionName() == operator {
			for _, arg := range e.AsCall().Args() {
				walk(arg)
			}
			return
		}
		out.Of = append(out.Of, f.form(e))
	}
	walk(e)
	return out
}

// not is the opposite of a condition: that of a row is a row too.
func (f *former) not(e ast.Expr) Form {
	inner := f.form(e)
	if inner.Is == FormCompare {
		for _, c := range Comparisons {
			if c.Name == inner.Name && c.Not != "" {
				inner.Name = c.Not
				return inner
			}
		}
	}
	return Form{Is: FormNot, Of: []Form{inner}}
}

// compared reads a row of a condition.
func (f *former) compared(e ast.Expr) (Form, bool) {
	name, args := operands(e)
	for _, c := range Comparisons {
		if c.operator != name || len(args) != 2 {
			continue
		}
		if c.with != nil {
			if args[1].Kind() != ast.LiteralKind || args[1].AsLiteral() != c.with {
				continue
			}
			return Form{Is: FormCompare, Name: c.Name, Of: []Form{f.form(args[0])}}, true
		}
		if c.negates {
			continue
		}
		return Form{Is: FormCompare, Name: c.Name, Of: f.forms(args)}, true
	}
	return Form{}, false
}

// linked reads a link of a chain.
func (f *former) linked(e ast.Expr) (Form, bool) {
	name, args := operands(e)
	call := e.AsCall()
	for _, l := range Links {
		if l.function != name || l.member != call.IsMemberFunction() {
			continue
		}
		if l.from != nil { // a first argument that is always the same
			if len(args) != 3 || args[1].Kind() != ast.LiteralKind || args[1].AsLiteral() != types.IntZero {
				continue
			}
			args = []ast.Expr{args[0], args[2]}
		}
		out := Form{Is: FormLink, Name: l.Name}
		if l.item {
			if len(args) != 3 || !isLambda(call) {
				continue
			}
			out.As, args = args[1].AsIdent(), []ast.Expr{args[0], args[2]}
		}
		if len(args)-1 != len(l.Takes) {
			continue
		}
		out.Of = f.forms(args)
		return out, true
	}
	return Form{}, false
}
