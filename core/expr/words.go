package expr

import (
	"slices"
	"strings"
	"sync"

	"cel.dev/cel-go/common"
	"cel.dev/cel-go/common/ast"
	"cel.dev/cel-go/common/operators"
	"cel.dev/cel-go/common/types"
	"cel.dev/cel-go/parser"
)

// Word is a piece of an expression told in words.
type Word struct {
	Text string `json:"text"`
	// "" for words that join others, "value" for a value that is read,
	// "literal" for one that stands in the expression, "code" for what has no
	// words.
	How  string   `json:"how,omitempty"`
	Path []string `json:"path,omitempty"` // of a value, the root name first; none for one item of a list
}

// The ways a word is meant, as [Word.How] has them.
const (
	ValueWord   = "value"
	LiteralWord = "literal"
	CodeWord    = "code"
)

// Naming says how values are called in a sentence, by their paths, the root
// name first.
type Naming struct {
	Name func(path []string) string
	Kind func(path []string) string // number, text …; nil where no kind is known
}

// PlainName names a value by its last name, and by its root where the two
// differ: net.kg is "kg of net".
func PlainName(path []string) string {
	last := words(path[len(path)-1])
	if len(path) == 1 {
		return last
	}
	return last + " of " + words(path[0])
}

// words turns a name of a file into words: farm_kg is "farm kg".
func words(name string) string { return strings.ReplaceAll(name, "_", " ") }

// PlainWords joins words as a line of text.
func PlainWords(all []Word) string {
	var b strings.Builder
	for _, w := range all {
		b.WriteString(w.Text)
	}
	return b.String()
}

// Words tells the expression in words, each value under the name that naming
// gives it. What has no words is a piece of code.
func (p *Program) Words(naming Naming) []Word {
	return p.told(naming, (*teller).tell)
}

// ConditionWords is [Program.Words] for what holds or does not.
func (p *Program) ConditionWords(naming Naming) []Word {
	return p.told(naming, func(t *teller, e ast.Expr) phrase { return t.asserted(e, true) })
}

func (p *Program) told(naming Naming, tell func(*teller, ast.Expr) phrase) []Word {
	parsed := p.plain()
	if parsed == nil {
		return []Word{{Text: p.Source, How: CodeWord}}
	}
	t := &teller{naming: naming, info: parsed.SourceInfo()}
	return joined(tell(t, parsed.Expr()).words)
}

// plainParser reads calls as their author wrote them: no macro is expanded.
var plainParser = sync.OnceValue(func() *parser.Parser {
	p, err := parser.NewParser(parser.EnableOptionalSyntax(true))
	if err != nil {
		panic(err) // its options are the constants above
	}
	return p
})

// plainly reads an expression as its author wrote it, once it is asked for; nil
// where that cannot be read.
func plainly(source string) func() *ast.AST {
	return sync.OnceValue(func() *ast.AST {
		parsed, errors := plainParser().Parse(common.NewTextSource(source))
		if len(errors.GetErrors()) > 0 {
			return nil
		}
		return parsed
	})
}

// joined makes one word of joining words that stand side by side.
func joined(all []Word) []Word {
	var out []Word
	for _, w := range all {
		if n := len(out); n > 0 && w.How == "" && out[n-1].How == "" {
			out[n-1].Text += w.Text
			continue
		}
		out = append(out, w)
	}
	return out
}

// How tightly a phrase holds together, from what needs brackets nearly
// everywhere to what needs none.
const (
	aside  = iota // "a, or b"; "b if a, else c"
	either        // "a or b"
	both          // "a and b"
	claim         // "a is b"
	added         // "a + b"
	times         // "a × b"
	noun          // "sum of a"
	alone         // a name, a number
)

// phrase is an expression, or a part of it, in words.
type phrase struct {
	words []Word
	holds int  // how tightly, of the constants above
	open  bool // it ends in a condition, so that what follows would seem to belong to that
}

// say is a phrase of plain words around others.
func say(holds int, pieces ...any) phrase {
	out := phrase{holds: holds}
	for _, piece := range pieces {
		switch piece := piece.(type) {
		case string:
			out.words = append(out.words, Word{Text: piece})
			out.open = false
		case phrase:
			out.words = append(out.words, piece.words...)
			out.open = piece.open
		}
	}
	return out
}

// atLeast puts a phrase in brackets that holds together less tightly.
func (p phrase) atLeast(holds int) phrase {
	if p.holds >= holds {
		return p
	}
	return say(alone, "(", p, ")")
}

// closed puts a phrase in brackets too where what follows would seem to belong
// to its end.
func (p phrase) closed(holds int) phrase {
	if p.open {
		return say(alone, "(", p, ")")
	}
	return p.atLeast(holds)
}

// teller tells one expression.
type teller struct {
	naming Naming
	info   *ast.SourceInfo
	items  []string // the names of the items of the lists gone through, innermost last
}

// code is the phrase of what has no words.
func (t *teller) code(e ast.Expr) phrase {
	source, err := parser.Unparse(e, t.info)
	if err != nil {
		source = "…"
	}
	return phrase{words: []Word{{Text: source, How: CodeWord}}, holds: alone}
}

func (t *teller) tell(e ast.Expr) phrase {
	if path := t.path(e); path != nil {
		return t.value(e, path)
	}
	switch e.Kind() {
	case ast.LiteralKind:
		return t.literal(e)
	case ast.SelectKind:
		return t.selected(e)
	case ast.ListKind:
		return t.list(e)
	case ast.MapKind:
		return t.entries(e)
	case ast.CallKind:
		return t.call(e)
	}
	return t.code(e)
}

// path reads a chain of names, whether or not each may be missing; nil for
// anything else.
func (t *teller) path(e ast.Expr) []string {
	switch e.Kind() {
	case ast.IdentKind:
		return []string{e.AsIdent()}
	case ast.SelectKind:
		if path := t.path(e.AsSelect().Operand()); path != nil && !e.AsSelect().IsTestOnly() {
			return append(path, e.AsSelect().FieldName())
		}
	case ast.CallKind:
		call := e.AsCall()
		if name := call.FunctionName(); name != operators.Index && name != operators.OptSelect &&
			name != operators.OptIndex {
			return nil
		}
		if key, ok := stringLiteral(call.Args()[1]); ok {
			if path := t.path(call.Args()[0]); path != nil {
				return append(path, key)
			}
		}
	}
	return nil
}

// value is the chip of a chain of names; "… or nothing" where it may be
// missing and nothing stands for it.
func (t *teller) value(e ast.Expr, path []string) phrase {
	out := t.chip(path)
	if optional(e) {
		return say(aside, out, ", or nothing")
	}
	return out
}

// chip names what a path leads to.
func (t *teller) chip(path []string) phrase {
	for i, item := range t.items {
		if item != path[0] {
			continue
		}
		switch {
		case i < len(t.items)-1:
			return word(Word{Text: strings.Join(path, "."), How: CodeWord}) // "it" would be another's
		case len(path) == 1:
			return word(Word{Text: "it", How: ValueWord})
		}
		return word(Word{Text: words(path[len(path)-1]), How: ValueWord})
	}
	return word(Word{Text: t.naming.Name(path), How: ValueWord, Path: path})
}

// kind is the kind of a chain of names; "" where it is not known.
func (t *teller) kind(e ast.Expr) string {
	path := t.path(e)
	if path == nil || t.naming.Kind == nil || slices.Contains(t.items, path[0]) {
		return ""
	}
	return t.naming.Kind(path)
}

func word(w Word) phrase { return phrase{words: []Word{w}, holds: alone} }

// optional tells whether a chain of names may lead nowhere without failing.
func optional(e ast.Expr) bool {
	switch e.Kind() {
	case ast.SelectKind:
		return optional(e.AsSelect().Operand())
	case ast.CallKind:
		call := e.AsCall()
		switch call.FunctionName() {
		case operators.OptSelect, operators.OptIndex:
			return true
		case operators.Index:
			return optional(call.Args()[0])
		}
	}
	return false
}

// selected is a field of something that is no chain of names.
func (t *teller) selected(e ast.Expr) phrase {
	field := word(Word{Text: words(e.AsSelect().FieldName()), How: ValueWord})
	return say(noun, field, " of ", t.tell(e.AsSelect().Operand()).atLeast(noun))
}

// literal is a value that stands in the expression.
func (t *teller) literal(e ast.Expr) phrase {
	if e.AsLiteral() == types.NullValue {
		return say(alone, "nothing")
	}
	v, err := fromCEL(e.AsLiteral(), nil)
	if err != nil {
		return t.code(e)
	}
	switch v := v.(type) {
	case string:
		return quoted(v)
	case bool:
		if v {
			return word(Word{Text: "yes", How: LiteralWord})
		}
		return word(Word{Text: "no", How: LiteralWord})
	}
	return word(Word{Text: strings.Replace(Text(v), "-", "−", 1), How: LiteralWord})
}

// quoted is a text as it stands in a sentence.
func quoted(s string) phrase {
	if s == "" {
		return say(alone, "nothing")
	}
	return word(Word{Text: "“" + visible(s) + "”", How: LiteralWord})
}

// visible is a text on one line.
func visible(s string) string { return strings.NewReplacer("\n", "↵", "\t", "⇥").Replace(s) }

// list is a list as "a, b and c".
func (t *teller) list(e ast.Expr) phrase {
	items := e.AsList().Elements()
	if len(items) == 0 {
		return say(alone, "an empty list")
	}
	return t.enumerated(items, " and ")
}

// enumerated puts several together, the last behind a word of its own.
func (t *teller) enumerated(items []ast.Expr, last string) phrase {
	all := make([]phrase, len(items))
	for i, item := range items {
		all[i] = t.tell(item)
	}
	return enumerate(all, last)
}

func enumerate(all []phrase, last string) phrase {
	out := all[0].closed(added)
	for i, one := range all[1:] {
		between := ", "
		if i == len(all)-2 {
			between = last
		}
		out = say(aside, out, between, one.closed(added))
	}
	return out
}

// entries is a map as "with grower …, kg …". A value whose name says what the
// key says stands alone.
func (t *teller) entries(e ast.Expr) phrase {
	entries := e.AsMap().Entries()
	if len(entries) == 0 {
		return say(alone, "nothing in it")
	}
	all := make([]phrase, len(entries))
	for i, entry := range entries {
		m := entry.AsMapEntry()
		value := t.tell(m.Value())
		key, literal := stringLiteral(m.Key())
		switch {
		case !literal:
			all[i] = say(claim, t.tell(m.Key()).closed(added), ": ", value.closed(added))
		case value.Names(key):
			all[i] = value
		default:
			all[i] = say(claim, words(key)+" ", value.closed(added))
		}
	}
	return say(aside, "with ", between(all, ", "))
}

// Names tells whether a phrase is a value alone whose name says the key.
func (p phrase) Names(key string) bool { return NamedBy(p.words, key) }

// NamedBy tells whether words are a value alone that begins with what a key
// says, so that the key need not be said beside it.
func NamedBy(all []Word, key string) bool {
	if len(all) != 1 || all[0].How != ValueWord {
		return false
	}
	return all[0].Text == words(key) || strings.HasPrefix(all[0].Text, words(key)+" of ")
}

// between puts phrases side by side as they are.
func between(all []phrase, separator string) phrase {
	out := all[0]
	for _, one := range all[1:] {
		out = say(aside, out, separator, one)
	}
	return out
}
