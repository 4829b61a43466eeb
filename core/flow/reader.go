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
)

// Pos is a place in a file, counted from 1.
type Pos struct{ Line, Column int }

func posOf(n *yaml.Node) Pos { return Pos{n.Line, n.Column} }

// reader decodes one file and gathers its problems.
type reader struct {
	file     string
	problems []Problem
}

func (r *reader) wrong(at Pos, remedy, format string, args ...any) {
	r.problems = append(r.problems, Problem{File: r.file, Line: at.Line, Column: at.Column,
		Severity: Wrong, What: fmt.Sprintf(format, args...), Remedy: remedy})
}

var yamlLine = regexp.MustCompile(`line (\d+)`)

// document parses YAML 1.2 down to its root mapping; nil where there is none.
func (r *reader) document(text string) *yaml.Node {
	var doc yaml.Node
	if err := yaml.Unmarshal([]byte(text), &doc); err != nil {
		line := 1
		if m := yamlLine.FindStringSubmatch(err.Error()); m != nil {
			line, _ = strconv.Atoi(m[1])
		}
		r.wrong(Pos{line, 1}, "quote a text that holds : # { } [ ] or starts with a special character",
			"this is not YAML: %s", strings.TrimPrefix(err.Error(), "yaml: "))
		return nil
	}
	if len(doc.Content) == 0 || doc.Content[0].Kind != yaml.MappingNode {
		r.wrong(Pos{1, 1}, "start with keys such as title: …", "the file holds no map of keys")
		return nil
	}
	r.plain(doc.Content[0])
	return doc.Content[0]
}

// plain refuses the parts of YAML that hide what a file says.
func (r *reader) plain(n *yaml.Node) {
	if n.Kind == yaml.AliasNode || n.Anchor != "" {
		r.wrong(posOf(n), "write the value out", "anchors and aliases are not part of this language")
		return
	}
	if n.Style&yaml.TaggedStyle != 0 {
		r.wrong(posOf(n), "put the whole value in quotes", "a value that starts with ! loses its text in YAML")
	}
	for _, c := range n.Content {
		r.plain(c)
	}
}

// fields is a decoded map: its values by key, in file order.
type fields struct {
	at    Pos
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
	f := fields{at: posOf(n), keys: map[string]*yaml.Node{}, nodes: map[string]*yaml.Node{}}
	if n.Kind != yaml.MappingNode {
		r.wrong(posOf(n), "give it keys, one a line: key: value", "%s must be a map of keys", what)
		return f, false
	}
	for i := 0; i+1 < len(n.Content); i += 2 {
		key, value := n.Content[i], n.Content[i+1]
		if f.has(key.Value) {
			r.wrong(posOf(key), "remove one of the two", "the key %s stands twice in %s", key.Value, what)
			continue
		}
		if len(allowed) > 0 && !slices.Contains(allowed, key.Value) {
			r.wrong(posOf(key), didYouMean(key.Value, allowed), "%s has no key %s", what, key.Value)
			continue
		}
		if value.Kind == yaml.ScalarNode && value.Tag == "!!null" {
			r.wrong(posOf(key), "give it a value, or remove the key", "the key %s has no value", key.Value)
			continue
		}
		f.order = append(f.order, key.Value)
		f.keys[key.Value], f.nodes[key.Value] = key, value
	}
	return f, true
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

func (r *reader) whole(f fields, key string, otherwise int) int {
	if !f.has(key) {
		return otherwise
	}
	v, err := strconv.Atoi(r.text(f, key))
	if err != nil || v < 0 {
		r.wrong(f.pos(key), key+": 12", "%s must be a whole number", key)
		return otherwise
	}
	return v
}

func (r *reader) decimal(f fields, key string) float64 {
	if !f.has(key) {
		return 0
	}
	v, err := strconv.ParseFloat(r.text(f, key), 64)
	if err != nil || v < 0 {
		r.wrong(f.pos(key), key+": 0.20", "%s must be a number", key)
	}
	return v
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

// choice reads a text that must be one of a few.
func (r *reader) choice(f fields, key, otherwise string, allowed ...string) string {
	if !f.has(key) {
		return otherwise
	}
	v := r.text(f, key)
	if !slices.Contains(allowed, v) {
		r.wrong(f.pos(key), didYouMean(v, allowed), "%s cannot be %q", key, v)
		return otherwise
	}
	return v
}

// expression compiles a CEL expression; nil where the key is missing or wrong.
func (r *reader) expression(f fields, key string) *Expression {
	n, ok := f.nodes[key]
	if !ok {
		return nil
	}
	if n.Kind != yaml.ScalarNode {
		r.wrong(posOf(n), "", "%s must be an expression, written as one text", key)
		return nil
	}
	program, err := expr.Compile(n.Value)
	if err != nil {
		r.expressionError(n, err)
		return nil
	}
	return &Expression{Program: program, At: scalarStart(n)}
}

func (r *reader) expressionError(n *yaml.Node, err error) {
	at, message := scalarStart(n), err.Error()
	var e *expr.Error
	if errors.As(err, &e) {
		at, message = at.after(n.Value, e.Offset), e.Message
	}
	r.wrong(at, "", "%q cannot be read: %s", n.Value, message)
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

// didYouMean offers the nearest allowed word, or all of them.
func didYouMean(got string, allowed []string) string {
	best, distance := "", 3
	for _, a := range allowed {
		if d := editDistance(got, a); d < distance {
			best, distance = a, d
		}
	}
	if best != "" {
		return "did you mean " + best + "?"
	}
	return "possible here: " + strings.Join(allowed, ", ")
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

var durationForm = regexp.MustCompile(`^(\d+)(ms|s|m|h|d)$`)

// ParseDuration reads a duration as files write it: 90s, 15m, 2h, 3d.
func ParseDuration(s string) (time.Duration, error) {
	m := durationForm.FindStringSubmatch(strings.TrimSpace(s))
	if m == nil {
		return 0, fmt.Errorf("%q is not a duration", s)
	}
	n, err := strconv.Atoi(m[1])
	unit := map[string]time.Duration{"ms": time.Millisecond, "s": time.Second, "m": time.Minute, "h": time.Hour, "d": 24 * time.Hour}[m[2]]
	if err != nil || n == 0 || time.Duration(n) > 10*365*24*time.Hour/unit {
		return 0, fmt.Errorf("%q is not a duration between nothing and ten years", s)
	}
	return time.Duration(n) * unit, nil
}

// DurationWords says a duration as a sentence would: "15 minutes".
func DurationWords(d time.Duration) string {
	for _, u := range []struct {
		of   time.Duration
		name string
	}{{24 * time.Hour, "day"}, {time.Hour, "hour"}, {time.Minute, "minute"}, {time.Second, "second"}, {time.Millisecond, "millisecond"}} {
		if d >= u.of && d%u.of == 0 {
			if n := d / u.of; n != 1 {
				return fmt.Sprintf("%d %ss", n, u.name)
			}
			return u.name
		}
	}
	return d.String()
}
