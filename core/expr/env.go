package expr

import (
	"fmt"
	"slices"
	"strings"
	"sync"

	"cel.dev/cel-go/cel"
	"cel.dev/cel-go/common/ast"
	"cel.dev/cel-go/common/env"
	"cel.dev/cel-go/common/operators"
	"cel.dev/cel-go/common/types"
	"cel.dev/cel-go/common/types/ref"
	"cel.dev/cel-go/ext"
	"cel.dev/cel-go/parser"
)

// nowName is what now() becomes: a name no author can write.
const nowName = "@now"

// base is the environment without any variable, built once.
var base = sync.OnceValues(func() (*cel.Env, error) {
	redeclared := []string{operators.Add, operators.Subtract, operators.Multiply, operators.Divide,
		operators.Modulo, operators.Negate, operators.Equals, operators.NotEquals, operators.Conditional}
	subset := &env.LibrarySubset{}
	for _, name := range redeclared {
		subset.ExcludeFunctions = append(subset.ExcludeFunctions, &env.Function{Name: name})
	}
	binary := func(operator, id string, op func(l, r ref.Val) ref.Val) cel.EnvOption {
		return cel.Function(operator,
			cel.Overload(id, []*cel.Type{cel.DynType, cel.DynType}, cel.DynType),
			cel.SingletonBinaryBinding(op))
	}
	compare := func(operator, id string) cel.EnvOption {
		// The planner evaluates both operators itself; only the types are declared here.
		return cel.Function(operator,
			cel.Overload(id, []*cel.Type{cel.DynType, cel.DynType}, cel.BoolType),
			cel.SingletonBinaryBinding(func(l, r ref.Val) ref.Val { return l.Equal(r) }))
	}
	options := []cel.EnvOption{
		cel.StdLib(cel.StdLibSubset(subset)),
		cel.CrossTypeNumericComparisons(true),
		cel.OptionalTypes(),
		cel.DefaultUTCTimeZone(true),
		ext.Strings(), ext.Lists(), ext.Math(), ext.Sets(), ext.Encoders(), ext.Bindings(), ext.TwoVarComprehensions(),
		binary(operators.Add, "add_values", add),
		binary(operators.Subtract, "subtract_values", subtract),
		binary(operators.Multiply, "multiply_numbers", multiply),
		binary(operators.Divide, "divide_numbers", divide),
		binary(operators.Modulo, "modulo_numbers", modulo),
		cel.Function(operators.Negate,
			cel.Overload("negate_number", []*cel.Type{cel.DynType}, cel.DynType),
			cel.SingletonUnaryBinding(negate)),
		compare(operators.Equals, "equals_values"),
		compare(operators.NotEquals, "not_equals_values"),
		cel.Function("round",
			cel.Overload("round_whole", []*cel.Type{cel.DynType}, cel.DynType,
				cel.UnaryBinding(func(v ref.Val) ref.Val { return roundTo(v, types.IntZero) })),
			cel.Overload("round_places", []*cel.Type{cel.DynType, cel.DynType}, cel.DynType,
				cel.BinaryBinding(roundTo))),
		cel.Macros(cel.GlobalMacro("now", 0,
			func(eh parser.ExprHelper, _ ast.Expr, _ []ast.Expr) (ast.Expr, *cel.Error) {
				return eh.NewIdent(nowName), nil
			})),
		cel.Variable(nowName, cel.TimestampType),
		// Both ways may give another kind of value; the planner evaluates it itself.
		cel.Function(operators.Conditional,
			cel.Overload("conditional_values", []*cel.Type{cel.BoolType, cel.DynType, cel.DynType}, cel.DynType,
				cel.FunctionBinding(func(args ...ref.Val) ref.Val { return types.MaybeNoSuchOverloadErr(args[0]) }))),
	}
	return cel.NewCustomEnv(append(options, functions()...)...)
})

// environments keeps extended environments for the sets of names that were asked for last,
// because extending is dear and a workflow asks for the same few sets again and again. One
// takes some 15 KB.
var environments = newCache[*cel.Env](1024)

func environment(names []string) (*cel.Env, error) {
	slices.Sort(names)
	key := strings.Join(names, ",")
	if known, is := environments.Get(key); is {
		return known, nil
	}
	root, err := base()
	if err != nil {
		return nil, fmt.Errorf("expr: building the environment: %w", err)
	}
	options := make([]cel.EnvOption, len(names))
	for i, name := range names {
		options[i] = cel.Variable(name, cel.DynType)
	}
	extended, err := root.Extend(options...)
	if err != nil {
		return nil, fmt.Errorf("expr: declaring %s: %w", key, err)
	}
	environments.Add(key, extended)
	return extended, nil
}
