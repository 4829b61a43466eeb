package expr

import (
	"strings"
	"time"

	"cel.dev/cel-go/common/ast"
	"cel.dev/cel-go/common/operators"
	"github.com/ncruces/go-strftime"
)

// exampleTime shows how a layout of formatTime looks.
var exampleTime = time.Date(2026, time.November, 23, 8, 5, 0, 0, time.UTC)

// timeCall tells functions of a time.
func (t *teller) timeCall(e ast.Expr) (phrase, bool) {
	name, args := operands(e)
	switch {
	case name == "now" && len(args) == 0:
		return say(alone, "now"), true
	case (name == "time" || name == "timestamp") && len(args) == 1:
		return t.tell(args[0]), true
	case name == "duration" && len(args) == 1:
		return t.span(e)
	case name == "formatTime" && len(args) == 2:
		if layout, ok := stringLiteral(args[1]); ok {
			return behind(t.tell(args[0]), "written like "+strftime.Format(layout, exampleTime)), true
		}
	case name == "workingDays" && len(args) == 2:
		return t.moved(args[0], args[1], "working day"), true
	case name == "addMonths" && len(args) == 2:
		return t.moved(args[0], args[1], "month"), true
	case name == "workingDaysBetween" && len(args) == 2:
		return say(noun, "working days from ", t.tell(args[0]).closed(noun), " to ", t.tell(args[1]).closed(noun)), true
	case name == "daysBetween" && len(args) == 2:
		return say(noun, "days from ", t.tell(args[0]).closed(noun), " to ", t.tell(args[1]).closed(noun)), true
	case name == "startOf" && len(args) == 2:
		if unit, ok := stringLiteral(args[1]); ok {
			return say(noun, "start of the "+unit+" of ", t.tell(args[0]).atLeast(noun)), true
		}
	}
	return phrase{}, false
}

// moved is a time so many days or months on, or back where the number is
// negative.
func (t *teller) moved(at, by ast.Expr, unit string) phrase {
	from := t.tell(at).closed(noun)
	n, literal := wholeLiteral(by)
	switch {
	case !literal:
		return say(noun, "(", t.tell(by), ") "+unit+"s after ", from)
	case n < 0:
		return say(noun, counted(-n, unit)+" before ", from)
	}
	return say(noun, counted(n, unit)+" after ", from)
}

// span tells a length of time: duration("36h") is "36 hours". It is false for
// anything else.
func (t *teller) span(e ast.Expr) (phrase, bool) {
	if e.Kind() != ast.CallKind || e.AsCall().FunctionName() != "duration" || len(e.AsCall().Args()) != 1 {
		return phrase{}, false
	}
	source, ok := stringLiteral(e.AsCall().Args()[0])
	length, err := time.ParseDuration(source)
	if !ok || err != nil {
		return t.code(e), true
	}
	return word(Word{Text: spanWords(length), How: LiteralWord}), true
}

// spanWords tells a length of time: "1 hour 30 minutes".
func spanWords(d time.Duration) string {
	var out []string
	for _, unit := range []struct {
		length time.Duration
		name   string
	}{{time.Hour, "hour"}, {time.Minute, "minute"}, {time.Second, "second"}, {time.Millisecond, "millisecond"}} {
		if n := d / unit.length; n > 0 {
			out = append(out, counted(int64(n), unit.name))
			d -= n * unit.length
		}
	}
	if len(out) == 0 {
		return "no time"
	}
	return strings.Join(out, " ")
}

// isTime tells whether an expression is certainly a time.
func isTime(e ast.Expr) bool {
	if e.Kind() != ast.CallKind {
		return false
	}
	call := e.AsCall()
	switch call.FunctionName() {
	case "now", "time", "timestamp", "workingDays", "addMonths", "startOf":
		return true
	case operators.Add, operators.Subtract:
		return isTime(call.Args()[0]) && !isTime(call.Args()[1])
	}
	return false
}
