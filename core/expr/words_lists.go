package expr

import (
	"strings"

	"cel.dev/cel-go/common/ast"
	"cel.dev/cel-go/common/operators"
)

// listCall tells functions of a list.
func (t *teller) listCall(e ast.Expr) (phrase, bool) {
	name, args := operands(e)
	if len(args) < 2 || !e.AsCall().IsMemberFunction() {
		return phrase{}, false
	}
	call := e.AsCall()
	if isLambda(call) {
		return t.lambda(call)
	}
	list := args[0]
	switch {
	case name == "slice" && len(args) == 3:
		if n, ok := wholeLiteral(args[1]); ok && n == 0 {
			return say(noun, "first ", t.tell(args[2]).atLeast(noun), " of ", t.tell(list).atLeast(noun)), true
		}
		return say(noun, t.tell(list).closed(noun), " from place ", t.tell(args[1]).atLeast(noun), " up to ",
			t.tell(args[2]).atLeast(noun), ", counted from 0"), true
	}
	return phrase{}, false
}

// isLambda tells whether a call goes through a list with a name for one item.
func isLambda(call ast.CallExpr) bool {
	return len(call.Args()) >= 2 && call.Args()[0].Kind() == ast.IdentKind
}

// within tells something about one item of a list, under the name it has there.
func (t *teller) within(item ast.Expr, tell func() phrase) phrase {
	t.items = append(t.items, item.AsIdent())
	out := tell()
	t.items = t.items[:len(t.items)-1]
	return out
}

// lambda tells what is done with each item of a list.
func (t *teller) lambda(call ast.CallExpr) (phrase, bool) {
	item, args := call.Args()[0], call.Args()
	list := call.Target()
	inner := func(i int) phrase {
		return t.within(item, func() phrase { return t.tell(args[i]) })
	}
	holding := func(i int) phrase {
		return t.within(item, func() phrase { return t.asserted(args[i], true) })
	}
	switch name := call.FunctionName(); {
	case name == "filter" && len(args) == 2:
		return where(t.tell(list), holding(1)), true
	case name == "map" && len(args) == 2:
		return t.mapped(t.tell(list), args[1], item), true
	case name == "map" && len(args) == 3:
		return t.mapped(where(t.tell(list), holding(1)), args[2], item), true
	case name == "exists" && len(args) == 2:
		return t.anyOf(call, " in at least one of "), true
	case name == "all" && len(args) == 2:
		return t.anyOf(call, " in each of "), true
	case (name == "exists_one" || name == "existsOne") && len(args) == 2:
		return t.anyOf(call, " in exactly one of "), true
	case name == "groupBy" && len(args) == 2:
		return say(noun, t.tell(list).closed(noun), " grouped by ", inner(1).atLeast(noun)), true
	case name == "sortBy" && len(args) == 2:
		return t.sortedBy(t.tell(list), args[1], item), true
	}
	return phrase{}, false
}

// where is what of a list some condition holds for.
func where(list, holds phrase) phrase {
	out := say(noun, list.closed(noun), " where ", holds)
	out.open = true
	return out
}

// anyOf tells what holds of how many items.
func (t *teller) anyOf(call ast.CallExpr, of string) phrase {
	claimed := t.within(call.Args()[0], func() phrase { return t.asserted(call.Args()[1], true) })
	return say(claim, claimed.closed(claim), of, t.tell(call.Target()).atLeast(noun))
}

// mapped tells what is taken of each item: one value as "e-mail of each of
// rows", several in their order with the names they get, and what is worked out
// of it before "for each of".
func (t *teller) mapped(list phrase, of, item ast.Expr) phrase {
	if of.Kind() != ast.MapKind || of.AsMap().Size() == 0 {
		if of.Kind() == ast.IdentKind && of.AsIdent() == item.AsIdent() {
			return list
		}
		what := t.within(item, func() phrase { return t.tell(of) })
		if what.holds < noun {
			return say(noun, what.closed(added), " for each of ", list.atLeast(noun))
		}
		return say(noun, what.closed(noun), " of each of ", list.atLeast(noun))
	}
	var taken []phrase
	for _, entry := range of.AsMap().Entries() {
		m := entry.AsMapEntry()
		key, _ := stringLiteral(m.Key())
		value := t.within(item, func() phrase { return t.tell(m.Value()) })
		if !value.Names(key) {
			value = say(alone, words(key)+" (", value, ")")
		}
		taken = append(taken, value)
	}
	return say(noun, enumerate(taken, " and "), " of each of ", list.atLeast(noun))
}

// sortedBy tells by what a list is put in order; a minus turns it round.
func (t *teller) sortedBy(list phrase, by, item ast.Expr) phrase {
	order := ""
	if by.Kind() == ast.CallKind && by.AsCall().FunctionName() == operators.Negate {
		by, order = by.AsCall().Args()[0], ", largest first"
	}
	key := t.within(item, func() phrase { return t.tell(by) })
	out := say(noun, list.closed(noun), " sorted by ", key.atLeast(noun), order)
	if order != "" {
		out.holds = aside
	}
	return out
}

// taken is one item of a list, or what a map has under a name.
func (t *teller) taken(of, at ast.Expr) phrase {
	from := t.untested(of).atLeast(noun)
	if n, ok := wholeLiteral(at); ok {
		return say(noun, ordinal(n), " of ", from)
	}
	if name, ok := stringLiteral(at); ok {
		return say(noun, word(Word{Text: words(name), How: ValueWord}), " of ", from)
	}
	if isLast(of, at, t) {
		return say(noun, "last of ", from)
	}
	return say(noun, t.untested(of).closed(noun), " for ", t.tell(at).atLeast(noun))
}

// isLast reads x[size(x) - 1].
func isLast(of, at ast.Expr, t *teller) bool {
	if at.Kind() != ast.CallKind || at.AsCall().FunctionName() != operators.Subtract {
		return false
	}
	n, ok := wholeLiteral(at.AsCall().Args()[1])
	counted := sizeOf(at.AsCall().Args()[0])
	if !ok || n != 1 || counted == nil {
		return false
	}
	path := t.path(of)
	return path != nil && strings.Join(path, ".") == strings.Join(t.path(counted), ".")
}

// ordinal counts from the first, which expressions call 0.
func ordinal(n int64) string {
	first := []string{"first", "second", "third", "fourth", "fifth"}
	if n >= 0 && n < int64(len(first)) {
		return first[n]
	}
	return "number " + Text(n+1)
}
