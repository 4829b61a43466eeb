package expr

import (
	"fmt"
	"regexp"
	"slices"
	"strings"
	"sync"
	"time"
	"unicode"
	"unicode/utf8"

	"cel.dev/cel-go/cel"
	"cel.dev/cel-go/common/ast"
	"cel.dev/cel-go/common/operators"
	"cel.dev/cel-go/common/types"
	"cel.dev/cel-go/interpreter"

	"woolsignal/core/calendar"
)

// costLimit bounds the work of one evaluation, in CEL's own cost units, so
// that a comprehension over a large list inside another cannot hold a worker.
const costLimit = 4_000_000

// Scope is what an expression may see.
type Scope struct {
	Names map[string]any // step outputs, signal, inputs …
	Now   time.Time      // what now() gives, throughout one event

	calendar.Calendar // how days are counted and times print
}

// Optional is a value of [Scope.Names] that may be missing, such as the
// output of a step that may be skipped. Expressions read it with .? or
// orValue.
type Optional struct {
	Value any
	There bool
}

// ResolveName implements the lookup CEL asks for.
func (s Scope) ResolveName(name string) (any, bool) {
	if name == nowName {
		return s.Now, true
	}
	if name == calendarName {
		return calendarVal{calendar.Calendar{Zone: s.zone(), Holidays: s.Holidays}}, true
	}
	v, ok := s.Names[name]
	if o, maybe := v.(Optional); maybe {
		if !o.There {
			return types.OptionalNone, true
		}
		return types.OptionalOf(types.DefaultTypeAdapter.NativeToValue(o.Value)), true
	}
	return v, ok
}

// Parent implements [interpreter.Activation]; a scope stands alone.
func (s Scope) Parent() interpreter.Activation { return nil }

// Reference is one value an expression reads: a name and the fields taken of it.
type Reference struct {
	Path   []string // the root name first; ends where an index is computed
	Offset int      // bytes from the start of the expression
	Tested bool     // only asked for with has() or .?, so it may be missing
}

// Program is one compiled expression. It is safe for concurrent use.
type Program struct {
	Source     string
	References []Reference
	program    cel.Program
	parsed     *cel.Ast
	plain      func() *ast.AST // as it was written; see [plainly]
}

// Error says what is wrong with an expression, and where in its source.
type Error struct {
	Source  string
	Offset  int // bytes from the start of Source, 0 where unknown
	Message string
	// A name that is none of the functions there are, where that is wrong.
	Got   string
	Among []string
}

func (e *Error) Error() string { return fmt.Sprintf("%s: %s", e.Source, e.Message) }

// Compile parses and types an expression. Every root name it mentions is
// taken as declared; the caller checks [Program.References] against what is
// in scope, since only it can say what would be right. A text that was compiled
// before gives the same program.
func Compile(source string) (*Program, error) {
	if known, is := kept.Get(source); is {
		return known, nil
	}
	p, err := compile(source)
	if err == nil && len(source) <= longestKept {
		kept.Add(strings.Clone(source), p)
	}
	return p, err
}

func compile(source string) (*Program, error) {
	if strings.TrimSpace(source) == "" {
		return nil, &Error{Source: source, Message: "the expression is empty"}
	}
	if n := utf8.RuneCountInString(source); n > longest {
		return nil, &Error{Source: strings.ToValidUTF8(source[:80], "") + "…",
			Message: fmt.Sprintf("an expression has at most %d characters, and this has %d; work parts of it out "+
				"in a step before", longest, n)}
	}
	root, err := base()
	if err != nil {
		return nil, err
	}
	parsed, issues := root.Parse(source)
	if issues.Err() != nil {
		return nil, issueError(source, issues)
	}
	if parts := partsOf(parsed); parts > mostParts {
		return nil, &Error{Source: source, Message: fmt.Sprintf("an expression has at most %d parts, and this has %d; "+
			"work some of them out in a step before", mostParts, parts)}
	}
	rewrite(parsed.NativeRep())
	references := findReferences(parsed)
	var names []string
	for _, r := range references {
		if !strings.HasPrefix(r.Path[0], "@") && !slices.Contains(names, r.Path[0]) {
			names = append(names, r.Path[0])
		}
	}
	env, err := environment(names)
	if err != nil {
		return nil, err
	}
	checked, issues := env.Check(parsed)
	if issues.Err() != nil {
		return nil, issueError(source, issues)
	}
	options := []cel.ProgramOption{cel.EvalOptions(cel.OptOptimize)}
	if canLoop(parsed) {
		options = append(options, cel.CostLimit(costLimit)) // counting costs time; what cannot loop needs none
	}
	program, err := env.Program(checked, options...)
	if err != nil {
		return nil, &Error{Source: source, Message: err.Error()}
	}
	references = slices.DeleteFunc(references, func(r Reference) bool { return strings.HasPrefix(r.Path[0], "@") })
	return &Program{Source: source, References: references, program: program, parsed: parsed,
		plain: plainly(source)}, nil
}

// Eval computes the value. Errors are of type *[Error].
func (p *Program) Eval(scope Scope) (any, error) {
	out, _, err := p.program.Eval(scope)
	if err != nil {
		return nil, &Error{Source: p.Source, Message: plainMessage(err.Error())}
	}
	if types.IsUnknownOrError(out) {
		return nil, &Error{Source: p.Source, Message: plainMessage(fmt.Sprint(out))}
	}
	return fromCEL(out, scope.zone())
}

// Holds evaluates a condition, which must give true or false.
func (p *Program) Holds(scope Scope) (bool, error) {
	v, err := p.Eval(scope)
	if err != nil {
		return false, err
	}
	b, ok := v.(bool)
	if !ok {
		return false, &Error{Source: p.Source,
			Message: fmt.Sprintf("a condition must be true or false, this is %s", Kind(v))}
	}
	return b, nil
}

func (s Scope) zone() *time.Location {
	if s.Zone == nil {
		return time.UTC
	}
	return s.Zone
}

// partsOf counts the names, numbers and operations of an expression.
func partsOf(parsed *cel.Ast) (n int) {
	ast.PreOrderVisit(parsed.NativeRep().Expr(), ast.NewExprVisitor(func(ast.Expr) { n++ }))
	return n
}

func issueError(source string, issues *cel.Issues) error {
	first := issues.Errors()[0]
	offset := 0
	lines := strings.SplitAfter(source, "\n")
	for i := 0; i < first.Location.Line()-1 && i < len(lines); i++ {
		offset += len(lines[i])
	}
	out := &Error{Source: source, Offset: offset + max(first.Location.Column(), 0),
		Message: plainMessage(first.Message)}
	if m := undeclared.FindStringSubmatch(first.Message); m != nil {
		out.Message, out.Got, out.Among = "there is no function "+m[1], m[1], functionNames()
		out.Offset = max(strings.Index(source, m[1]+"("), 0)
	}
	return out
}

// undeclared is how CEL says that it knows no such function; names of values
// are all declared.
var undeclared = regexp.MustCompile(`undeclared reference to '(\w+)'`)

// functionNames lists the functions and macros an author can write.
var functionNames = sync.OnceValue(func() []string {
	env, err := base()
	if err != nil {
		return nil
	}
	found := map[string]bool{}
	for name := range env.Functions() {
		found[name[strings.LastIndexByte(name, '.')+1:]] = true
	}
	for _, m := range env.Macros() {
		found[m.Function()] = true
	}
	var out []string
	for name := range found {
		if name != "" && unicode.IsLetter(rune(name[0])) {
			out = append(out, name)
		}
	}
	slices.Sort(out)
	return out
})

// plainMessage rewords what CEL says where its words assume a programmer.
func plainMessage(m string) string {
	m = strings.TrimPrefix(m, "ERROR: ")
	switch {
	case strings.Contains(m, "division by zero"), strings.Contains(m, "divide by zero"), strings.Contains(m,
		"modulus by zero"):
		return "division by zero"
	case strings.Contains(m, "actual cost limit exceeded"):
		return "this takes too much work: the limit on one expression is reached"
	case strings.HasPrefix(m, "no such key: "):
		return "there is no " + strings.TrimPrefix(m, "no such key: ") + " in this value"
	case strings.HasPrefix(m, "Syntax error:") && strings.Contains(m, "'<EOF>'"):
		return "it breaks off before its end"
	case strings.HasPrefix(m, "Syntax error:"):
		m, _, _ = strings.Cut(strings.TrimPrefix(m, "Syntax error: "), " expecting ")
		return "it is not written as an expression: " + m
	case strings.HasPrefix(m, "no such overload"):
		return "these values cannot be combined this way (" + m + ")"
	}
	return m
}

// canLoop tells whether an expression's work may grow with its values: it has
// a comprehension, or makes a list of any length.
func canLoop(parsed *cel.Ast) bool {
	loops := false
	ast.PreOrderVisit(parsed.NativeRep().Expr(), ast.NewExprVisitor(func(e ast.Expr) {
		loops = loops || e.Kind() == ast.ComprehensionKind || e.Kind() == ast.CallKind &&
			e.AsCall().FunctionName() == "lists.range"
	}))
	return loops
}

// findReferences walks the syntax tree for names and the fields taken of
// them, leaving out the names that comprehensions bind.
func findReferences(parsed *cel.Ast) []Reference {
	native := parsed.NativeRep()
	var found []Reference
	var walk func(e ast.Expr, bound []string)
	at := func(e ast.Expr) int {
		if r, ok := native.SourceInfo().GetOffsetRange(e.ID()); ok {
			return int(r.Start)
		}
		return 0
	}
	note := func(e ast.Expr, path []string, tested bool, bound []string) {
		if !slices.Contains(bound, path[0]) && !strings.HasPrefix(path[0], "@") || path[0] == nowName {
			found = append(found, Reference{Path: path, Offset: at(e), Tested: tested})
		}
	}
	walk = func(e ast.Expr, bound []string) {
		switch e.Kind() {
		case ast.IdentKind:
			note(e, []string{e.AsIdent()}, false, bound)
		case ast.SelectKind:
			if path, root := selectPath(e); path != nil {
				note(root, path, e.AsSelect().IsTestOnly(), bound)
				return
			}
			if path, root := optionalPath(e); path != nil {
				note(root, path, true, bound)
				return
			}
			walk(e.AsSelect().Operand(), bound)
		case ast.CallKind:
			if path, root := selectPath(e); path != nil {
				note(root, path, false, bound)
				return
			}
			call := e.AsCall()
			if path, root := optionalPath(e); path != nil {
				note(root, path, true, bound)
				return
			}
			if call.IsMemberFunction() {
				walk(call.Target(), bound)
			}
			for _, a := range call.Args() {
				walk(a, bound)
			}
		case ast.ListKind:
			for _, item := range e.AsList().Elements() {
				walk(item, bound)
			}
		case ast.MapKind:
			for _, entry := range e.AsMap().Entries() {
				walk(entry.AsMapEntry().Key(), bound)
				walk(entry.AsMapEntry().Value(), bound)
			}
		case ast.ComprehensionKind:
			c := e.AsComprehension()
			walk(c.IterRange(), bound)
			inner := append(slices.Clone(bound), c.IterVar(), c.AccuVar())
			if c.HasIterVar2() {
				inner = append(inner, c.IterVar2())
			}
			walk(c.AccuInit(), inner)
			walk(c.LoopCondition(), inner)
			walk(c.LoopStep(), inner)
			walk(c.Result(), inner)
		}
	}
	walk(native.Expr(), nil)
	return found
}

// optionalPath is [selectPath] for a chain of which parts may be missing.
func optionalPath(e ast.Expr) ([]string, ast.Expr) {
	if path, root := selectPath(e); path != nil {
		return path, root
	}
	of, name := e, ""
	switch e.Kind() {
	case ast.SelectKind:
		of, name = e.AsSelect().Operand(), e.AsSelect().FieldName()
	case ast.CallKind:
		switch call := e.AsCall(); call.FunctionName() {
		case operators.OptSelect, operators.OptIndex, operators.Index:
			key, ok := stringLiteral(call.Args()[1])
			if !ok {
				return nil, nil
			}
			of, name = call.Args()[0], key
		default:
			return nil, nil
		}
	default:
		return nil, nil
	}
	path, root := optionalPath(of)
	if path == nil {
		return nil, nil
	}
	return append(path, name), root
}

// selectPath reads a.b.c or a["b"].c as a path from its root name; nil where
// the chain does not start at a name.
func selectPath(e ast.Expr) ([]string, ast.Expr) {
	switch e.Kind() {
	case ast.IdentKind:
		return []string{e.AsIdent()}, e
	case ast.SelectKind:
		if path, root := selectPath(e.AsSelect().Operand()); path != nil {
			return append(path, e.AsSelect().FieldName()), root
		}
	case ast.CallKind:
		call := e.AsCall()
		if call.FunctionName() == "_[_]" && call.Args()[1].Kind() == ast.LiteralKind {
			if key, ok := call.Args()[1].AsLiteral().(types.String); ok {
				if path, root := selectPath(call.Args()[0]); path != nil {
					return append(path, string(key)), root
				}
			}
		}
	}
	return nil, nil
}
