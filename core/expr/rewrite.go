package expr

import (
	"slices"

	"cel.dev/cel-go/common/ast"
	"cel.dev/cel-go/common/types"
)

// fractional are the functions that give CEL's other kind of number even
// where it is whole.
var fractional = []string{"double", "uint", "math.ceil", "math.floor", "math.round", "math.trunc", "math.abs",
	"math.sign", "math.sqrt", "math.@max", "math.@min"}

// sorting are CEL's functions that sort, with the number of their arguments.
var sorting = map[string]int{"sort": 0, "@sortByAssociatedKeys": 1}

// rewrite makes one kind of number of CEL's three before types are checked:
// 2.0 is 2, and what a function gives as a double is whole where it can be,
// so that it may stand as an index or be handed to any function.
func rewrite(parsed *ast.AST) {
	factory := ast.NewExprFactory()
	next := ast.MaxID(parsed)
	var calls []ast.Expr
	ast.PostOrderVisit(parsed.Expr(), ast.NewExprVisitor(func(e ast.Expr) {
		switch e.Kind() {
		case ast.LiteralKind:
			if f, ok := e.AsLiteral().(types.Double); ok {
				e.SetKindCase(factory.NewLiteral(e.ID(), number(float64(f))))
			}
		case ast.CallKind:
			if slices.Contains(fractional, calledName(e)) {
				calls = append(calls, e)
			}
			// CEL sorts lists of one of its kinds of number only.
			if call := e.AsCall(); call.IsMemberFunction() && isSorting(call) {
				e.SetKindCase(factory.NewCall(e.ID(), "@sort", append([]ast.Expr{call.Target()}, call.Args()...)...))
			}
		}
	}))
	for _, e := range calls {
		call, inner := e.AsCall(), ast.Expr(nil)
		if call.IsMemberFunction() {
			inner = factory.NewMemberCall(next, call.FunctionName(), call.Target(), call.Args()...)
		} else {
			inner = factory.NewCall(next, call.FunctionName(), call.Args()...)
		}
		if at, ok := parsed.SourceInfo().GetOffsetRange(e.ID()); ok {
			parsed.SourceInfo().SetOffsetRange(next, at)
		}
		next++
		e.SetKindCase(factory.NewCall(e.ID(), "@whole", inner))
	}
}

// calledName gives a call's name with its namespace: math.ceil is parsed as
// a method of math.
func calledName(e ast.Expr) string {
	call := e.AsCall()
	if call.IsMemberFunction() && call.Target().Kind() == ast.IdentKind {
		return call.Target().AsIdent() + "." + call.FunctionName()
	}
	return call.FunctionName()
}

func isSorting(call ast.CallExpr) bool {
	count, ok := sorting[call.FunctionName()]
	return ok && count == len(call.Args())
}
