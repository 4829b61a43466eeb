package expr

import (
	"strconv"
	"strings"

	"cel.dev/cel-go/common/ast"
)

// claims have the words of what is said of one value with another, and of its
// opposite.
var claims = map[string]struct{ is, not string }{
	"startsWith":      {" begins with ", " does not begin with "},
	"endsWith":        {" ends with ", " does not end with "},
	"contains":        {" contains ", " does not contain "},
	"matches":         {" matches ", " does not match "},
	"hasAny":          {" holds one of ", " holds none of "},
	"hasAll":          {" holds all of ", " does not hold all of "},
	"sets.contains":   {" holds all of ", " does not hold all of "},
	"sets.intersects": {" has something of ", " has nothing of "},
}

// ofOne have the words before the one value a function takes.
var ofOne = map[string]string{
	"size": "number of ", "sum": "sum of ", "average": "average of ", "math.abs": "absolute value of ",
	"math.least": "smallest of ", "math.greatest": "largest of ", "math.sqrt": "square root of ",
	"getFullYear": "year of ", "getHours": "hour of ", "getMinutes": "minute of ", "getSeconds": "second of ",
	"getDate": "day of the month of ", "getDayOfWeek": "day of the week (from Sunday, 0) of ",
	"getMonth": "month (from January, 0) of ", "getDayOfYear": "day of the year (from 0) of ",
}

// behindOne have the words behind the one value a function takes.
var behindOne = map[string]string{
	"parseJson": "read as JSON", "toJson": "as JSON", "parseCsv": "read as CSV", "toCsv": "as CSV",
	"string": "as text", "int": "as a whole number", "double": "as a number", "bool": "as yes or no",
	"math.ceil": "rounded up", "math.floor": "rounded down", "math.round": "rounded",
	"math.trunc": "without its fraction",
	"lowerAscii": "in small letters", "upperAscii": "in capitals", "trim": "without blanks around it",
	"distinct": "without repeats", "sort": "sorted", "reverse": "in reverse", "flatten": "as one list",
	"base64.encode": "as base64", "base64.decode": "read as base64",
}

// call tells a call.
func (t *teller) call(e ast.Expr) phrase {
	if out, ok := t.operation(e); ok {
		return out
	}
	for _, tell := range []func(ast.Expr) (phrase, bool){t.optionalCall, t.timeCall, t.listCall, t.valueCall,
		t.textCall} {
		if out, ok := tell(e); ok {
			return out
		}
	}
	return t.code(e)
}

// operands gives a call's name, with its namespace, and what it takes, the
// target first.
func operands(e ast.Expr) (string, []ast.Expr) {
	call := e.AsCall()
	name := calledName(e)
	switch {
	case name != call.FunctionName() && (strings.HasPrefix(name, "math.") || strings.HasPrefix(name, "lists.") ||
		strings.HasPrefix(name, "sets.") || strings.HasPrefix(name, "base64.")):
		return name, call.Args()
	case call.IsMemberFunction():
		return call.FunctionName(), append([]ast.Expr{call.Target()}, call.Args()...)
	}
	return call.FunctionName(), call.Args()
}

// behind puts words behind a value: at once behind one that stands alone,
// after a comma behind a longer one.
func behind(p phrase, words string) phrase {
	if p.holds == alone {
		return say(noun, p, " "+words)
	}
	return say(aside, p, ", "+words)
}

// optionalCall tells what stands where a value may be missing.
func (t *teller) optionalCall(e ast.Expr) (phrase, bool) {
	name, args := operands(e)
	switch {
	case (name == "orValue" || name == "otherwise") && len(args) == 2:
		value := t.untested(args[0])
		if !chained(args[0]) {
			value = value.closed(claim)
		}
		if isNull(args[1]) || isEmpty(args[1]) {
			return say(aside, value, ", or nothing"), true
		}
		return say(aside, value, ", or ", t.tell(args[1]).atLeast(claim)), true
	case name == "or" && len(args) == 2:
		return say(aside, t.untested(e), ", or nothing"), true
	case (name == "hasValue" || name == "has") && len(args) == 1:
		return say(claim, t.untested(args[0]).closed(added), " is not missing"), true
	case name == "optional.of" && len(args) == 1:
		return t.tell(args[0]), true
	}
	return phrase{}, false
}

// chained tells whether an expression is several values one after the other of
// which the first that is there is taken.
func chained(e ast.Expr) bool { return e.Kind() == ast.CallKind && e.AsCall().FunctionName() == "or" }

// valueCall tells functions of a value.
func (t *teller) valueCall(e ast.Expr) (phrase, bool) {
	name, args := operands(e)
	if verb, ok := claims[name]; ok && len(args) == 2 {
		return say(claim, t.tell(args[0]).closed(added), verb.is, t.tell(args[1]).atLeast(added)), true
	}
	if name == "size" && len(args) == 1 && t.kind(args[0]) == "text" {
		return say(noun, "length of ", t.tell(args[0])), true
	}
	if before, ok := ofOne[name]; ok && len(args) == 1 {
		return say(noun, before, t.tell(args[0]).atLeast(noun)), true
	}
	if after, ok := behindOne[name]; ok && len(args) == 1 {
		return behind(t.tell(args[0]), after), true
	}
	switch {
	case (name == "math.least" || name == "math.greatest") && len(args) > 1:
		return say(noun, ofOne[name], t.enumerated(args, " and ")), true
	case name == "round" && len(args) > 0:
		return behind(t.tell(args[0]), t.places(args[1:])), true
	case name == "dyn" && len(args) == 1:
		return t.tell(args[0]), true
	}
	return phrase{}, false
}

// places tells to how many places a number is rounded.
func (t *teller) places(args []ast.Expr) string {
	if len(args) == 0 {
		return "rounded"
	}
	n, literal := wholeLiteral(args[0])
	switch {
	case !literal:
		return "rounded to as many places as " + PlainWords(t.tell(args[0]).atLeast(noun).words)
	case n == 0:
		return "rounded"
	}
	return "rounded to " + counted(n, "place")
}

// counted is a number of things: "1 place", "2 places".
func counted(n int64, one string) string {
	if n == 1 {
		return "1 " + one
	}
	return strconv.FormatInt(n, 10) + " " + one + "s"
}

// textCall tells functions of a text.
func (t *teller) textCall(e ast.Expr) (phrase, bool) {
	name, args := operands(e)
	if len(args) == 0 {
		return phrase{}, false
	}
	switch target := t.tell(args[0]); {
	case name == "text" && len(args) == 1:
		return behind(target, "as text"), true
	case (name == "text" || name == "join") && len(args) == 2:
		return t.joinedBy(target, args[1]), true
	case name == "split" && len(args) == 2:
		return say(noun, target.closed(noun), " split at ", t.tell(args[1]).atLeast(noun)), true
	case name == "replace" && len(args) == 3:
		return say(noun, target.closed(noun), " with ", t.tell(args[1]).atLeast(noun), " replaced by ",
			t.tell(args[2]).atLeast(noun)), true
	case name == "substring" && len(args) == 2:
		if n, ok := wholeLiteral(args[1]); ok {
			return say(noun, target.closed(noun), " without its first "+counted(n, "letter")), true
		}
	case name == "substring" && len(args) == 3:
		if n, ok := wholeLiteral(args[1]); ok && n == 0 {
			if most, ok := wholeLiteral(args[2]); ok {
				return say(noun, "first "+counted(most, "letter")+" of ", target.atLeast(noun)), true
			}
			return say(noun, "first ", t.tell(args[2]).atLeast(noun), " letters of ", target.atLeast(noun)), true
		}
	}
	return phrase{}, false
}

// joinedBy tells how the items of a list become one text.
func (t *teller) joinedBy(list phrase, separator ast.Expr) phrase {
	if text, ok := stringLiteral(separator); ok && text == "\n" {
		return say(aside, list, ", each on a line of its own")
	}
	how := behind(list, "joined with")
	return say(how.holds, how, " ", t.tell(separator).atLeast(noun))
}
