package flow

import (
	"errors"
	"fmt"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"time"

	"go.yaml.in/yaml/v3"

	"woolsignal/core/expr"
	"woolsignal/core/schema"
)

// Pos is a place in a file, counted from 1.
type Pos struct{ Line, Column int }

func posOf(n *yaml.Node) Pos { return Pos{n.Line, n.Column} }

// reader decodes one file and gathers its problems.
type reader struct {
	file     string
	lines    []string
	inFlow   map[*yaml.Node]bool // scalars that stand in a map in braces
	problems []Problem
	found    found
	written  map[*string]Pos // where words stand that were read
	steps    int             // that were read so far
	deep     int             // blocks around those that are being read
}

// report adds a problem of this file.
func (r *reader) report(at Pos, p Problem) {
	p.File, p.Line, p.Column = r.file, at.Line, at.Column
	if p.Severity == "" {
		p.Severity = Wrong
	}
	if p.Why == "" && p.Severity == Wrong {
		p.Why = "this version of the file cannot go live as it is"
	}
	if r.found.more(p.Severity) {
		r.problems = append(r.problems, p)
	}
}

func (r *reader) wrong(at Pos, remedy, format string, args ...any) {
	r.report(at, Problem{What: fmt.Sprintf(format, args...), Remedy: remedy})
}

var yamlLine = regexp.MustCompile(`line (\d+)`)

// document parses YAML 1.2 down to its root mapping; nil where there is none.
func (r *reader) document(text string) *yaml.Node {
	r.lines = strings.Split(text, "\n")
	r.inFlow = map[*yaml.Node]bool{}
	var doc yaml.Node
	if err := yaml.Unmarshal([]byte(text), &doc); err != nil {
		line := 1
		if m := yamlLine.FindStringSubmatch(err.Error()); m != nil {
			line, _ = strconv.Atoi(m[1])
		}
		r.notYAML(line, err)
		return nil
	}
	if len(doc.Content) == 0 || doc.Content[0].Kind != yaml.MappingNode {
		r.wrong(Pos{1, 1}, "start with keys such as title: …", "the file holds no map of keys")
		return nil
	}
	if !r.within(doc.Content[0]) {
		return nil
	}
	r.plain(doc.Content[0], false)
	return doc.Content[0]
}

// fields is a decoded map: its values by key, in file order.
type fields struct {
	at    Pos
	flow  bool // it stands in braces
	order []string
	keys  map[string]*yaml.Node
	nodes map[string]*yaml.Node
}

func (f fields) has(key string) bool { _, ok := f.nodes[key]; return ok }

func (f fields) pos(key string) Pos {
	if n, ok := f.keys[key]; ok {
		return posOf(n)
	}
	return f.at
}

// mapping reads a map and reports keys that are not among the allowed ones.
// With no allowed keys, any key is right.
func (r *reader) mapping(n *yaml.Node, what string, allowed ...string) (fields, bool) {
	f := fields{at: posOf(n), flow: n.Style&yaml.FlowStyle != 0, keys: map[string]*yaml.Node{},
		nodes: map[string]*yaml.Node{}}
	if n.Kind != yaml.MappingNode {
		r.wrong(posOf(n), "give it keys, one a line: key: value", "%s must be a map of keys", what)
		return f, false
	}
	for i := 0; i+1 < len(n.Content); i += 2 {
		key, value := n.Content[i], n.Content[i+1]
		name, known := r.key(key, value, what, allowed)
		if !known {
			continue
		}
		if f.has(name) {
			r.wrong(posOf(key), "remove one of the two", "the key %s stands twice in %s", name, what)
			continue
		}
		if value.Kind == yaml.ScalarNode && value.Tag == "!!null" {
			r.wrong(posOf(key), "give it a value, or remove the key", "the key %s has no value", name)
			continue
		}
		f.order = append(f.order, name)
		f.keys[name], f.nodes[name] = key, value
	}
	return f, true
}

// key reads a key of a map. One that has another word by now is read as that,
// so that no more is wrong than the word.
func (r *reader) key(n, value *yaml.Node, what string, allowed []string) (name string, known bool) {
	if len(allowed) == 0 || slices.Contains(allowed, n.Value) {
		return n.Value, true
	}
	if word := newWord(n.Value, allowed); word != "" {
		r.report(posOf(n), renamed(n, value, word))
		return word, true
	}
	if way := otherwise(n.Value, allowed); way != "" {
		r.wrong(posOf(n), "write "+way, "%s is said in another way now", n.Value)
		return "", false
	}
	r.report(posOf(n), Problem{What: fmt.Sprintf("%s has no key %s", what, n.Value),
		Remedy: DidYouMean(n.Value, allowed),
		Why:    "a key nobody reads does nothing, and its author thinks it does",
		Fix:    nearestFix(posOf(n), n.Value, allowed)})
	return "", false
}

// empty insists on a map without keys, which says that something is of a kind
// and nothing else.
func (r *reader) empty(n *yaml.Node, what string) {
	f, _ := r.mapping(n, what)
	for _, key := range f.order {
		r.wrong(f.pos(key), "write "+what+": {}", "%s has no key %s, and no other", what, key)
	}
}

// text reads a literal text; "" where the key is missing.
func (r *reader) text(f fields, key string) string {
	n, ok := f.nodes[key]
	if !ok {
		return ""
	}
	if n.Kind != yaml.ScalarNode {
		r.wrong(posOf(n), "write it on one line, or after a |", "%s must be a text", key)
		return ""
	}
	return n.Value
}

// required reads a literal text that must be there.
func (r *reader) required(f fields, key, example string) string {
	if !f.has(key) {
		r.wrong(f.at, "add "+key+": "+example, "the key %s is missing", key)
		return ""
	}
	return r.text(f, key)
}

// list reads a sequence; nil where the key is missing.
func (r *reader) list(f fields, key string) []*yaml.Node {
	n, ok := f.nodes[key]
	if !ok {
		return nil
	}
	if n.Kind != yaml.SequenceNode {
		r.wrong(posOf(n), "start each entry with a dash", "%s must be a list", key)
		return nil
	}
	return n.Content
}

// texts reads a list of literal texts.
func (r *reader) texts(f fields, key string) []string {
	var out []string
	for _, n := range r.list(f, key) {
		if n.Kind != yaml.ScalarNode {
			r.wrong(posOf(n), "", "every entry of %s must be a text", key)
			continue
		}
		out = append(out, n.Value)
	}
	return out
}

func (r *reader) duration(f fields, key string, otherwise time.Duration) time.Duration {
	if !f.has(key) {
		return otherwise
	}
	d, err := ParseDuration(r.text(f, key))
	if err != nil {
		r.wrong(f.pos(key), "write 90s, 15m, 2h or 3d", "%s: %v", key, err)
		return otherwise
	}
	return d
}

// flag reads true or false.
func (r *reader) flag(f fields, key string, otherwise bool) bool {
	if !f.has(key) {
		return otherwise
	}
	switch r.text(f, key) {
	case "true":
		return true
	case "false":
		return false
	}
	r.wrong(f.pos(key), key+": true", "%s must be true or false", key)
	return otherwise
}

func (r *reader) span(f fields, key string) Span {
	if !f.has(key) {
		return Span{}
	}
	s, err := ParseSpan(r.text(f, key))
	if err != nil {
		r.wrong(f.pos(key), "write 90s, 15m, 2h, 3d, or 2wd for working days", "%s: %v", key, err)
	}
	return s
}

// schema reads a JSON Schema: a map in place, or the path of a file.
func (r *reader) schema(f fields, key string) *Schema {
	n, ok := f.nodes[key]
	if !ok {
		return nil
	}
	if n.Kind == yaml.ScalarNode {
		return &Schema{At: posOf(n), Path: n.Value}
	}
	var doc any
	if err := n.Decode(&doc); err != nil {
		r.wrong(posOf(n), "", "%s is no JSON Schema: %v", key, err)
		return nil
	}
	m, ok := expr.Canonical(doc).(map[string]any)
	if !ok {
		r.wrong(posOf(n), key+":\n  type: object\n  properties: …",
			"%s must be a JSON Schema, or the path of one", key)
		return nil
	}
	if _, err := schema.Compile(m); err != nil {
		r.wrong(posOf(n), "", "%s: %v", key, err)
		return nil
	}
	return &Schema{At: posOf(n), Doc: m}
}

// expression compiles a CEL expression; nil where the key is missing or wrong.
func (r *reader) expression(f fields, key string) *Expression {
	n, ok := f.nodes[key]
	if !ok {
		return nil
	}
	if n.Kind != yaml.ScalarNode {
		r.wrong(posOf(n), "put the whole expression in single quotes: "+key+": '…'",
			"%s must be an expression, written as one text", key)
		return nil
	}
	r.traps(n)
	source := n.Value
	if inner, braced := r.unbraced(n); braced {
		source = inner // what follows from the braces alone is not told as well
	}
	program, err := expr.Compile(source)
	if err != nil {
		r.expressionError(n, err)
		return nil
	}
	return &Expression{Program: program, At: scalarStart(n)}
}

func (r *reader) expressionError(n *yaml.Node, err error) {
	at, message := scalarStart(n), err.Error()
	p := Problem{}
	var e *expr.Error
	if errors.As(err, &e) {
		at, message = at.after(n.Value, e.Offset), e.Message
		if e.Got != "" {
			p.Remedy, p.Fix = DidYouMean(e.Got, e.Among), nearestFix(at, e.Got, e.Among)
		}
	}
	p.What = fmt.Sprintf("%q cannot be read: %s", n.Value, message)
	r.report(at, p)
}

// unbraced reads an expression that was written as in a text, ${…}.
func (r *reader) unbraced(n *yaml.Node) (inner string, braced bool) {
	text := strings.TrimSpace(n.Value)
	if !strings.HasPrefix(text, "${") || !strings.HasSuffix(text, "}") || strings.Count(text, "${") > 1 {
		if strings.Contains(text, "${") {
			r.report(scalarStart(n), Problem{What: "an expression stands here, and ${ } belongs to texts",
				Remedy: "write the names alone, as in net.kg > 200"})
			return "true", true
		}
		return "", false
	}
	inner = strings.TrimSuffix(strings.TrimPrefix(text, "${"), "}")
	r.report(scalarStart(n), Problem{What: "an expression stands here, and ${ } belongs to texts",
		Remedy: "write " + inner, Fix: replace(scalarStart(n), text, inner)})
	return inner, true
}

// scalarStart is where the text of a scalar begins, behind its quote or on
// the line after its block mark.
func scalarStart(n *yaml.Node) Pos {
	switch {
	case n.Style&(yaml.LiteralStyle|yaml.FoldedStyle) != 0:
		return Pos{n.Line + 1, 1}
	case n.Style&(yaml.DoubleQuotedStyle|yaml.SingleQuotedStyle) != 0:
		return Pos{n.Line, n.Column + 1}
	}
	return posOf(n)
}

// after moves a position by the text that stands before an offset.
func (p Pos) after(text string, offset int) Pos {
	before := text[:min(offset, len(text))]
	if i := strings.LastIndexByte(before, '\n'); i >= 0 {
		return Pos{p.Line + strings.Count(before, "\n"), len(before) - i}
	}
	return Pos{p.Line, p.Column + len(before)}
}

// nearest is the allowed word somebody may have meant; "" where none is near.
func nearest(got string, allowed []string) string {
	best, distance := "", 3
	for _, a := range allowed {
		if d := editDistance(got, a); d < distance {
			best, distance = a, d
		}
	}
	return best
}

// nearestFix puts the nearest word in place of one; nil where none is near.
func nearestFix(at Pos, got string, allowed []string) *Fix {
	if best := nearest(got, allowed); best != "" {
		return replace(at, got, best)
	}
	return nil
}

// DidYouMean offers the nearest allowed word, or all of them.
func DidYouMean(got string, allowed []string) string {
	if best := nearest(got, allowed); best != "" {
		return "did you mean " + best + "?"
	}
	if len(allowed) == 0 {
		return ""
	}
	var possible []string
	for _, a := range allowed { // a kind's own name may be a field of it too
		if a != "" && !slices.Contains(possible, a) {
			possible = append(possible, a)
		}
	}
	return "possible here: " + strings.Join(possible, ", ")
}

// editDistance is the Levenshtein distance of two short words.
func editDistance(a, b string) int {
	row := make([]int, len(b)+1)
	for j := range row {
		row[j] = j
	}
	for i := range len(a) {
		previous := row[0]
		row[0] = i + 1
		for j := range len(b) {
			cost := previous
			if a[i] != b[j] {
				cost = 1 + min(previous, row[j], row[j+1])
			}
			previous, row[j+1] = row[j+1], cost
		}
	}
	return row[len(b)]
}
