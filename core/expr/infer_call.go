package expr

import (
	"fmt"
	"slices"
	"strings"

	"cel.dev/cel-go/common/ast"
	"cel.dev/cel-go/common/operators"

	"woolsignal/core/shape"
)

// results are what functions give, whatever they are given.
var results = map[string]shape.Shape{}

func init() {
	for s, names := range map[string]string{
		"number": "size int double uint @whole round indexOf lastIndexOf sum average @workingDaysBetween " +
			"@daysBetween math.ceil math.floor math.round math.trunc math.abs math.sign math.sqrt math.@max " +
			"math.@min math.isNaN getFullYear getMonth getDate getDayOfMonth getDayOfYear getDayOfWeek getHours " +
			"getMinutes getSeconds getMilliseconds",
		"text": "string @text @formatTime toJson toCsv charAt join lowerAscii upperAscii replace substring trim " +
			"format strings.quote base64.encode type",
		"bool": "bool startsWith endsWith contains matches hasValue sets.contains sets.equivalent sets.intersects @in",
	} {
		for _, name := range strings.Fields(names) {
			results[name] = map[string]shape.Shape{"number": shape.Number(), "text": shape.Text(),
				"bool": shape.Bool()}[s]
		}
	}
	results["split"] = shape.List(shape.Text())
	results["parseCsv"] = shape.List(shape.Shape{"type": "object"})
	results["lists.range"] = shape.List(shape.Number())
	for _, name := range []string{"timestamp", "@time", "@workingDays", "@addMonths", "@startOf"} {
		results[name] = timeShape
	}
	results["duration"] = durationShape
}

// sameList are methods that give a list of what the list holds.
var sameList = []string{"distinct", "slice", "reverse", "@sort"}

func (w *walker) call(e ast.Expr, in *bound) Type {
	call := e.AsCall()
	name := calledName(e)
	args := call.Args()
	switch call.FunctionName() {
	case operators.OptSelect:
		target := w.walk(args[0], in)
		field, _ := stringLiteral(args[1])
		inner := w.field(e, target, written(args[0]), field, true)
		inner.Optional = true
		return inner
	case operators.OptIndex:
		inner := w.index(e, args, in, true)
		inner.Optional = true
		return inner
	case operators.Index:
		return w.index(e, args, in, false)
	case "orValue":
		target, otherwise := w.walk(call.Target(), in), w.walk(args[0], in)
		if !target.Optional && target.Shape != nil && call.Target().Kind() != ast.CallKind {
			w.find(e, Finding{What: written(call.Target()) + " is always there",
				Why: "what stands instead is never taken", Remark: true})
		}
		return known(shape.Union(target.Shape, otherwise.Shape))
	case "@otherwise":
		target, instead := w.walk(args[0], in), w.walk(args[1], in)
		if target.Shape == nil {
			return known(nil)
		}
		return known(shape.Union(target.Shape.WithoutNull(), instead.Shape))
	case "or", "optMap", "optFlatMap":
		w.children(call, in)
		return Type{Optional: true}
	case "value":
		target := w.walk(call.Target(), in)
		return known(target.Shape)
	case "hasValue":
		w.walk(call.Target(), in)
		return known(shape.Bool())
	case operators.Conditional:
		w.condition(args[0], in)
		yes, no := w.knowing(nulls(args[0], operators.NotEquals), args[1],
			in), w.knowing(nulls(args[0], operators.Equals), args[2], in)
		return Type{Shape: shape.Union(leaving(yes.Shape), leaving(no.Shape)), Optional: yes.Optional || no.Optional}
	case operators.LogicalAnd, operators.LogicalOr:
		w.condition(args[0], in)
		test := map[string]string{operators.LogicalAnd: operators.NotEquals,
			operators.LogicalOr: operators.Equals}[call.FunctionName()]
		before := w.there
		w.there = append(slices.Clone(before), nulls(args[0], test)...)
		w.condition(args[1], in)
		w.there = before
		return known(shape.Bool())
	case operators.LogicalNot:
		w.condition(args[0], in)
		return known(shape.Bool())
	case operators.Add, operators.Subtract, operators.Multiply, operators.Divide, operators.Modulo:
		return w.arithmetic(e, call.FunctionName(), args, in)
	case operators.Negate:
		t := w.must(args[0], w.walk(args[0], in), "")
		return t
	case operators.Less, operators.LessEquals, operators.Greater, operators.GreaterEquals,
		operators.Equals, operators.NotEquals:
		return w.compare(e, call.FunctionName(), args, in)
	case "first", "last":
		target := w.walk(call.Target(), in)
		return Type{Shape: target.Shape.Items(), Optional: true}
	case "@group":
		pairs := w.walk(args[0], in)
		key, _ := pairs.Shape.Items().Field("key")
		row, _ := pairs.Shape.Items().Field("item")
		return known(shape.List(shape.Map(map[string]shape.Shape{"key": key, "items": shape.List(row)})))
	case "flatten":
		w.walk(call.Target(), in)
		return known(shape.List(nil))
	}
	first := w.children(call, in)
	if slices.Contains(sameList, call.FunctionName()) {
		return known(first.Shape)
	}
	if s, ok := results[name]; ok {
		return known(s)
	}
	return known(results[call.FunctionName()])
}

// nulls lists the chains of names a test compares with null by an operator,
// joined by && where it asks that they are there and by || where it asks that
// they are not.
func nulls(test ast.Expr, operator string) []string {
	if test.Kind() != ast.CallKind {
		return nil
	}
	call := test.AsCall()
	joint := map[string]string{operators.NotEquals: operators.LogicalAnd,
		operators.Equals: operators.LogicalOr}[operator]
	switch call.FunctionName() {
	case joint:
		return append(nulls(call.Args()[0], operator), nulls(call.Args()[1], operator)...)
	case operator:
		for i, a := range call.Args() {
			if a.Kind() == ast.LiteralKind && literal(a).Shape.Kind() == "null" {
				return []string{written(call.Args()[1-i])}
			}
		}
	}
	return nil
}

// knowing walks an expression that is only reached where some values are not
// null.
func (w *walker) knowing(there []string, e ast.Expr, in *bound) Type {
	before := w.there
	w.there = append(slices.Clone(before), there...)
	t := w.walk(e, in)
	w.there = before
	return t
}

// children walks a call's target and arguments, which must all be there, and
// gives the type of the first.
func (w *walker) children(call ast.CallExpr, in *bound) Type {
	var all []ast.Expr
	if call.IsMemberFunction() && !namespace(call.Target()) {
		all = append(all, call.Target())
	}
	var first Type
	for i, e := range append(all, call.Args()...) {
		t := w.must(e, w.walk(e, in), "")
		if i == 0 {
			first = t
		}
	}
	return first
}

// namespace tells math in math.ceil(x) from a value.
func namespace(e ast.Expr) bool {
	return e.Kind() == ast.IdentKind && slices.Contains([]string{"math", "strings", "sets", "base64", "lists",
		"optional", "cel"}, e.AsIdent())
}

// condition insists on a yes or no.
func (w *walker) condition(e ast.Expr, in *bound) {
	t := w.must(e, w.walk(e, in), "")
	if k := kind(t); k != "" && k != "bool" {
		w.find(e, Finding{What: fmt.Sprintf("%s is %s, and a yes or no is needed here", written(e), shape.Words(k)),
			Remedy: "compare it with something, as in x > 0 or x == \"wet\""})
	}
}

func (w *walker) index(e ast.Expr, args []ast.Expr, in *bound, tested bool) Type {
	target := w.walk(args[0], in)
	w.walk(args[1], in)
	if !tested {
		target = w.must(args[0], target, "")
	}
	if key, ok := stringLiteral(args[1]); ok {
		return w.field(e, target, written(args[0]), key, tested)
	}
	if kind(target) == "list" {
		return known(target.Shape.Items())
	}
	return Type{}
}

var verbs = map[string]string{operators.Add: "added", operators.Subtract: "subtracted",
	operators.Multiply: "multiplied", operators.Divide: "divided", operators.Modulo: "divided"}

func (w *walker) arithmetic(e ast.Expr, operator string, args []ast.Expr, in *bound) Type {
	l, r := w.must(args[0], w.walk(args[0], in), ""), w.must(args[1], w.walk(args[1], in), "")
	l, r = w.present(args[0], l), w.present(args[1], r)
	a, b := kind(l), kind(r)
	if a == "" || b == "" {
		if operator == operators.Add || operator == operators.Subtract {
			return Type{}
		}
		return known(shape.Number()) // only numbers can be multiplied and divided
	}
	switch {
	case a == "number" && b == "number":
		return known(shape.Number())
	case operator == operators.Add && a == "text" && b == "text":
		return known(shape.Text())
	case operator == operators.Add && a == "list" && b == "list":
		return known(shape.Union(l.Shape, r.Shape))
	case a == "time" && b == "duration", operator == operators.Add && a == "duration" && b == "time":
		return known(timeShape)
	case operator == operators.Subtract && a == "time" && b == "time", a == "duration" && b == "duration":
		return known(durationShape)
	}
	remedy := ""
	switch {
	case operator == operators.Add && (a == "text" || b == "text") && (a == "number" || b == "number"):
		remedy = "write string(…) around the number to join them, or double(…) around the text to count"
	case a == "text" && (b == "time" || b == "duration"), b == "text" && (a == "time" || a == "duration"):
		remedy = "write time(…) around the text"
	}
	w.find(e, Finding{What: fmt.Sprintf("%s and %s cannot be %s", shape.Words(a), shape.Words(b), verbs[operator]),
		Remedy: remedy})
	return Type{}
}

func (w *walker) compare(e ast.Expr, operator string, args []ast.Expr, in *bound) Type {
	l, r := w.must(args[0], w.walk(args[0], in), ""), w.must(args[1], w.walk(args[1], in), "")
	equality := operator == operators.Equals || operator == operators.NotEquals
	if equality {
		w.choice(args[0], l, args[1])
		w.choice(args[1], r, args[0])
	} else {
		l, r = w.present(args[0], l), w.present(args[1], r)
	}
	a, b := kind(l), kind(r)
	if a != "" && b != "" && a != b && (!equality || a != "null" && b != "null") {
		remedy := ""
		if (a == "text" || b == "text") && (a == "time" || b == "time") {
			remedy = "write time(…) around the text"
		} else if (a == "text" || b == "text") && (a == "number" || b == "number") {
			remedy = "write the number without quotes, or double(…) around the text"
		}
		what := fmt.Sprintf("%s and %s cannot be compared", shape.Words(a), shape.Words(b))
		if equality {
			what = fmt.Sprintf("%s never equals %s", shape.Words(a), shape.Words(b))
		}
		w.find(e, Finding{What: what, Remedy: remedy})
	}
	return known(shape.Bool())
}

// choice holds a text that is written against the choices of what it is
// compared with.
func (w *walker) choice(of ast.Expr, t Type, with ast.Expr) {
	text, literal := stringLiteral(with)
	choices := t.Shape.Choices()
	if !literal || text == "" || len(choices) == 0 || slices.Contains(choices, text) {
		return
	}
	w.find(of, Finding{What: fmt.Sprintf("%s is never %q", written(of), text), Got: text, Among: choices,
		Why: "it is one of: " + strings.Join(choices, ", ")})
}

// comprehension types what map, filter, all, exists and their kin became.
func (w *walker) comprehension(e ast.Expr, in *bound) Type {
	c := e.AsComprehension()
	over := w.present(c.IterRange(), w.must(c.IterRange(), w.walk(c.IterRange(), in), ""))
	switch kind(over) {
	case "", "list", "map":
	default:
		w.find(c.IterRange(), Finding{What: written(c.IterRange()) + " is " + shape.Words(kind(over)) +
			", and only a list or a map can be gone through"})
	}
	item := Type{}
	if kind(over) == "list" {
		item = known(over.Shape.Items())
	}
	start := w.walk(c.AccuInit(), in)
	scope := &bound{name: c.AccuVar(), typ: start, outer: in}
	if c.HasIterVar2() {
		index := Type{}
		if kind(over) == "list" {
			index = known(shape.Number())
		}
		scope = &bound{name: c.IterVar(), typ: index, outer: scope}
		scope = &bound{name: c.IterVar2(), typ: item, outer: scope}
	} else {
		scope = &bound{name: c.IterVar(), typ: item, outer: scope}
	}
	w.walk(c.LoopCondition(), scope)
	step := w.walk(c.LoopStep(), scope)
	if kind(start) == "list" {
		return known(step.Shape)
	}
	result := w.walk(c.Result(), &bound{name: c.AccuVar(), typ: start, outer: in})
	if kind(start) == "bool" {
		return known(shape.Bool())
	}
	if start.Shape == nil {
		return Type{}
	}
	return result
}
