package expr

import (
	"cel.dev/cel-go/common/ast"
	"cel.dev/cel-go/common/operators"
)

// comparisons have the words between two values; those of times are their own.
var comparisons = map[string]struct{ words, times string }{
	operators.Equals:        {" is ", " is "},
	operators.NotEquals:     {" is not ", " is not "},
	operators.Greater:       {" is more than ", " is later than "},
	operators.GreaterEquals: {" is at least ", " is not earlier than "},
	operators.Less:          {" is less than ", " is earlier than "},
	operators.LessEquals:    {" is at most ", " is not later than "},
}

// opposite has each comparison's own, for a "not" before it.
var opposite = map[string]string{
	operators.Equals: operators.NotEquals, operators.NotEquals: operators.Equals,
	operators.Greater: operators.LessEquals, operators.LessEquals: operators.Greater,
	operators.Less: operators.GreaterEquals, operators.GreaterEquals: operators.Less,
}

// operation tells a call of an operator; false where it is none that has words.
func (t *teller) operation(e ast.Expr) (phrase, bool) {
	call := e.AsCall()
	name, args := call.FunctionName(), call.Args()
	if _, compares := comparisons[name]; compares {
		return t.compared(name, args[0], args[1]), true
	}
	switch name {
	case operators.LogicalAnd:
		return say(both, t.asserted(args[0], true).closed(both), " and ", t.asserted(args[1], true).atLeast(both)), true
	case operators.LogicalOr:
		return say(either, t.choice(args[0]), " or ", t.choice(args[1])), true
	case operators.LogicalNot:
		return t.not(args[0]), true
	case operators.Conditional:
		return say(aside, t.tell(args[1]).closed(claim), " if ", t.asserted(args[0], true).closed(either), ", else ",
			t.tell(args[2]).atLeast(aside)), true
	case operators.In:
		return t.among(args[0], args[1], " is one of "), true
	case operators.Negate:
		return say(noun, "−", t.tell(args[0]).atLeast(noun)), true
	case operators.Index:
		return t.taken(args[0], args[1]), true
	case operators.OptIndex, operators.OptSelect:
		return say(aside, t.taken(args[0], args[1]), ", or nothing"), true
	}
	return t.reckoned(name, args)
}

// choice is one side of an "or": an "and" in it is put in brackets, as not
// everybody knows which binds closer.
func (t *teller) choice(e ast.Expr) phrase {
	out := t.asserted(e, true)
	if out.holds == both {
		return say(alone, "(", out, ")")
	}
	return out.closed(either)
}

// reckoned tells what is done with numbers, texts, lists and times.
func (t *teller) reckoned(name string, args []ast.Expr) (phrase, bool) {
	switch name {
	case operators.Add, operators.Subtract:
		return t.sum(name, args[0], args[1]), true
	case operators.Multiply:
		return say(times, t.tell(args[0]).closed(times), " × ", t.tell(args[1]).atLeast(noun)), true
	case operators.Divide:
		return say(times, t.tell(args[0]).closed(times), " ÷ ", t.tell(args[1]).atLeast(noun)), true
	case operators.Modulo:
		return say(noun, "the rest of ", say(times, t.tell(args[0]).closed(times), " ÷ ",
			t.tell(args[1]).atLeast(noun))), true
	}
	return phrase{}, false
}

// sum adds or takes away: numbers, but also a span of a time, and texts.
func (t *teller) sum(name string, left, right ast.Expr) phrase {
	span, isSpan := t.span(right)
	switch {
	case isSpan && name == operators.Add:
		return say(noun, span, " after ", t.tell(left).closed(noun))
	case isSpan:
		return say(noun, span, " before ", t.tell(left).closed(noun))
	case isTime(left) && isTime(right) && name == operators.Subtract:
		return say(noun, "time from ", t.tell(right).closed(noun), " to ", t.tell(left).closed(noun))
	case name == operators.Subtract:
		return say(added, t.tell(left).closed(added), " − ", t.tell(right).atLeast(times))
	case isText(left) || isText(right):
		return say(alone, "“", t.piece(left), t.piece(right), "”")
	}
	return say(added, t.tell(left).closed(added), " + ", t.tell(right).atLeast(times))
}

// piece is a part of a text that is put together: words as they are, and what
// is filled in between [ and ].
func (t *teller) piece(e ast.Expr) phrase {
	if text, literal := stringLiteral(e); literal {
		return word(Word{Text: visible(text), How: LiteralWord})
	}
	if e.Kind() == ast.CallKind {
		name, args := operands(e)
		switch {
		case name == operators.Add && isText(e):
			return say(alone, t.piece(args[0]), t.piece(args[1]))
		case (name == "text" || name == "string") && len(args) == 1:
			return say(alone, "[", t.tell(args[0]), "]")
		}
	}
	return say(alone, "[", t.tell(e), "]")
}

// isText tells whether an expression is certainly a text, or texts put
// together.
func isText(e ast.Expr) bool {
	if _, literal := stringLiteral(e); literal {
		return true
	}
	if e.Kind() != ast.CallKind {
		return false
	}
	switch call := e.AsCall(); call.FunctionName() {
	case operators.Add:
		return isText(call.Args()[0]) || isText(call.Args()[1])
	case "text", "string", "formatTime":
		return true
	}
	return false
}

// compared tells a comparison. What is compared with nothing is missing, with
// an empty text or a size of 0 empty.
func (t *teller) compared(name string, left, right ast.Expr) phrase {
	equal, differs := name == operators.Equals, name == operators.NotEquals
	is := " is "
	if differs {
		is = " is not "
	}
	switch {
	case (equal || differs) && isNull(right):
		return say(claim, t.tell(left).closed(added), is+"missing")
	case (equal || differs) && isEmpty(right):
		return say(claim, t.tell(left).closed(added), is+"empty")
	case (equal || differs) && isBool(right, true):
		return t.asserted(left, equal)
	case (equal || differs) && isBool(right, false):
		return t.asserted(left, differs)
	}
	if sized := sizeOf(left); sized != nil {
		if empty, says := emptiness(name, right); says {
			is = map[bool]string{true: " is empty", false: " is not empty"}[empty]
			return say(claim, t.tell(sized).closed(added), is)
		}
	}
	between := comparisons[name].words
	if isTime(left) || isTime(right) {
		between = comparisons[name].times
	}
	out := say(claim, t.tell(left).closed(added), between, t.tell(right).atLeast(added))
	return out
}

// asserted tells something that is yes or no.
func (t *teller) asserted(e ast.Expr, holds bool) phrase {
	switch {
	case !holds:
		return t.not(e)
	case t.path(e) != nil:
		return say(claim, t.tell(e).closed(added), " is ", word(Word{Text: "yes", How: LiteralWord}))
	}
	return t.tell(e)
}

// not tells the opposite of a condition, in its own words where there are any.
func (t *teller) not(e ast.Expr) phrase {
	switch {
	case t.path(e) != nil:
		return say(claim, t.tell(e).closed(added), " is ", word(Word{Text: "no", How: LiteralWord}))
	case e.Kind() != ast.CallKind:
		return say(noun, "not ", t.tell(e).atLeast(noun))
	}
	call := e.AsCall()
	name, args := call.FunctionName(), call.Args()
	if other, ok := opposite[name]; ok {
		return t.compared(other, args[0], args[1])
	}
	switch name {
	case operators.LogicalNot:
		return t.asserted(args[0], true)
	case operators.In:
		return t.among(args[0], args[1], " is not one of ")
	case "exists":
		return t.anyOf(call, " in none of ")
	case "has":
		return say(claim, t.untested(args[0]).closed(added), " is missing")
	case "hasValue":
		return say(claim, t.untested(call.Target()).closed(added), " is missing")
	}
	if name, args := operands(e); len(args) == 2 {
		if verb, ok := claims[name]; ok {
			return say(claim, t.tell(args[0]).closed(added), verb.not, t.tell(args[1]).atLeast(added))
		}
	}
	return say(noun, "not ", t.tell(e).atLeast(noun))
}

// untested is a chain of names that is asked for, not read.
func (t *teller) untested(e ast.Expr) phrase {
	if path := t.path(e); path != nil {
		return t.chip(path)
	}
	if e.Kind() == ast.CallKind {
		name, args := e.AsCall().FunctionName(), e.AsCall().Args()
		switch {
		case name == operators.OptSelect || name == operators.OptIndex:
			return t.taken(args[0], args[1])
		case name == "or" && len(args) == 1:
			return say(aside, t.untested(e.AsCall().Target()), ", or ", t.untested(args[0]))
		}
	}
	return t.tell(e)
}

// among tells that something is one of several, or none of them.
func (t *teller) among(one, several ast.Expr, verb string) phrase {
	if several.Kind() == ast.ListKind && several.AsList().Size() > 0 {
		return say(claim, t.tell(one).closed(added), verb, t.enumerated(several.AsList().Elements(), " or "))
	}
	return say(claim, t.tell(one).closed(added), verb, t.tell(several).atLeast(aside))
}

func isNull(e ast.Expr) bool {
	return e.Kind() == ast.LiteralKind && e.AsLiteral().Type().TypeName() == "null_type"
}

func isBool(e ast.Expr, value bool) bool {
	return e.Kind() == ast.LiteralKind && e.AsLiteral().Value() == value
}

// isEmpty tells whether an expression is an empty text, list or map.
func isEmpty(e ast.Expr) bool {
	switch e.Kind() {
	case ast.LiteralKind:
		text, ok := stringLiteral(e)
		return ok && text == ""
	case ast.ListKind:
		return e.AsList().Size() == 0
	case ast.MapKind:
		return e.AsMap().Size() == 0
	}
	return false
}

// sizeOf is what an expression counts; nil where it counts nothing.
func sizeOf(e ast.Expr) ast.Expr {
	if e.Kind() != ast.CallKind || e.AsCall().FunctionName() != "size" {
		return nil
	}
	if call := e.AsCall(); call.IsMemberFunction() {
		return call.Target()
	} else if len(call.Args()) == 1 {
		return call.Args()[0]
	}
	return nil
}

// emptiness reads a comparison of a size with a number; says is false where it
// is about more than whether there is anything.
func emptiness(name string, with ast.Expr) (empty, says bool) {
	n, ok := wholeLiteral(with)
	switch {
	case !ok:
		return false, false
	case n == 0:
		return name == operators.Equals || name == operators.LessEquals,
			name != operators.Less && name != operators.GreaterEquals
	case n == 1:
		return name == operators.Less, name == operators.Less || name == operators.GreaterEquals
	}
	return false, false
}

// wholeLiteral is a whole number that stands in an expression.
func wholeLiteral(e ast.Expr) (int64, bool) {
	if e.Kind() != ast.LiteralKind {
		return 0, false
	}
	v, err := fromCEL(e.AsLiteral(), nil)
	n, ok := v.(int64)
	return n, ok && err == nil
}
