package expr

import (
	"cel.dev/cel-go/cel"
	"cel.dev/cel-go/common/ast"
	"cel.dev/cel-go/common/operators"
	"cel.dev/cel-go/common/types"
	"cel.dev/cel-go/common/types/ref"
	"cel.dev/cel-go/parser"
)

// expandOtherwise turns otherwise(a.b.c, v) into a reading of a.b.c in which
// any part may be missing, so that nobody need know CEL's a.?b.?c.orValue(v).
func expandOtherwise(eh parser.ExprHelper, _ ast.Expr, args []ast.Expr) (ast.Expr, *cel.Error) {
	return eh.NewCall("@otherwise", maybe(eh, args[0]), args[1]), nil
}

// maybe makes every part of a chain of names optional.
func maybe(eh parser.ExprHelper, e ast.Expr) ast.Expr {
	switch e.Kind() {
	case ast.SelectKind:
		s := e.AsSelect()
		if s.IsTestOnly() {
			return e
		}
		return eh.NewCall(operators.OptSelect, maybe(eh, s.Operand()), eh.NewLiteral(types.String(s.FieldName())))
	case ast.CallKind:
		call := e.AsCall()
		switch name := call.FunctionName(); name {
		case operators.Index, operators.OptIndex:
			return eh.NewCall(operators.OptIndex, maybe(eh, call.Args()[0]), call.Args()[1])
		case operators.OptSelect:
			return eh.NewCall(name, maybe(eh, call.Args()[0]), call.Args()[1])
		}
	}
	return e
}

// otherwise is the first value where it is there, and else the second. Null
// counts as missing: what a form or a table leaves empty is often null.
func otherwise(args ...ref.Val) ref.Val {
	v := args[0]
	if o, optional := v.(*types.Optional); optional {
		if !o.HasValue() {
			return args[1]
		}
		v = o.GetValue()
	}
	if v == types.NullValue {
		return args[1]
	}
	return v
}
