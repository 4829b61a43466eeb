package flow

import (
	"fmt"
	"regexp"
	"strings"

	"go.yaml.in/yaml/v3"
)

// notYAML explains a line the parser stumbled over. Its own words assume that
// one knows YAML; most stumbles are a text that needed quotes.
func (r *reader) notYAML(line int, err error) {
	at := Pos{max(line, 1), 1}
	text := ""
	if at.Line <= len(r.lines) {
		text = r.lines[at.Line-1]
	}
	p := Problem{What: "this is not YAML: " + strings.TrimPrefix(err.Error(), "yaml: "),
		Why:    "nothing below this line can be read",
		Remedy: "quote a text that holds : # { } [ ] or starts with a special character"}
	if r.tab(err) {
		return
	}
	key, value, ok := strings.Cut(strings.TrimLeft(text, " -"), ": ")
	value = strings.TrimSpace(value)
	if ok && value != "" && (strings.ContainsAny(value[:1], "\"'[{!&*%@`") || strings.Contains(value, ": ")) {
		p.Remedy = "put the whole value in quotes: " + key + ": " + quoted(value)
		column := strings.Index(text, value) + 1
		p.Fix = replace(Pos{at.Line, column}, value, quoted(value))
		at.Column = column
	}
	r.report(at, p)
}

// tab tells of a tab that YAML stumbled over, which is seldom in the line it
// names.
func (r *reader) tab(err error) bool {
	if !strings.Contains(err.Error(), "tab") && !strings.Contains(err.Error(), "cannot start any token") {
		return false
	}
	for i, line := range r.lines {
		indent := line[:len(line)-len(strings.TrimLeft(line, " \t"))]
		if !strings.Contains(indent, "\t") {
			continue
		}
		at := Pos{i + 1, 1}
		r.report(at, Problem{What: "a tab stands before this line, and YAML knows spaces alone",
			Why: "nothing below this line can be read", Remedy: "write two spaces for each tab",
			Fix: replace(at, indent, strings.ReplaceAll(indent, "\t", "  "))})
		return true
	}
	return false
}

// quoted writes a text in YAML's single quotes.
func quoted(text string) string { return "'" + strings.ReplaceAll(text, "'", "''") + "'" }

// plain refuses the parts of YAML that hide what a file says, and notes which
// texts stand in braces.
func (r *reader) plain(n *yaml.Node, inFlow bool) {
	if n.Kind == yaml.AliasNode || n.Anchor != "" {
		r.wrong(posOf(n), "write the value out", "anchors and aliases are not part of this language")
		return
	}
	if n.Style&yaml.TaggedStyle != 0 {
		rest := ""
		if n.Line <= len(r.lines) && n.Column <= len(r.lines[n.Line-1]) {
			rest = strings.TrimSpace(r.lines[n.Line-1][n.Column-1:])
		}
		p := Problem{What: "a value that starts with ! loses its text in YAML",
			Why: "YAML takes the word behind ! for a type and drops it", Remedy: "put the whole value in quotes"}
		if rest != "" {
			p.Remedy += ": " + quoted(rest)
			p.Fix = replace(posOf(n), rest, quoted(rest))
		}
		r.report(posOf(n), p)
	}
	if inFlow && n.Kind == yaml.ScalarNode {
		r.inFlow[n] = true
	}
	for _, c := range n.Content {
		r.plain(c, n.Kind == yaml.MappingNode && n.Style&yaml.FlowStyle != 0)
	}
}

// word is a value YAML cannot misread.
var word = regexp.MustCompile(`^[\pL\pN_./@()-]*$`)

// leadingZero is a number that loses its zeros when YAML reads it as one.
var leadingZero = regexp.MustCompile(`^0\d+$`)

// traps tells where YAML would read a text or an expression otherwise than
// its author wrote it.
func (r *reader) traps(n *yaml.Node) {
	if n.Style&(yaml.DoubleQuotedStyle|yaml.SingleQuotedStyle|yaml.LiteralStyle|yaml.FoldedStyle) != 0 {
		return
	}
	fix := replace(posOf(n), n.Value, quoted(n.Value))
	switch {
	case r.inFlow[n] && n.Tag == "!!str" && !word.MatchString(n.Value):
		r.report(posOf(n), Problem{What: fmt.Sprintf("%q stands unquoted in braces", n.Value),
			Why:    "in braces a comma, a brace or a colon ends a text early",
			Remedy: "put it in quotes: " + quoted(n.Value), Fix: fix})
	case n.LineComment != "" && !strings.HasPrefix(n.LineComment, "# "):
		whole := n.Value + " " + n.LineComment
		r.report(posOf(n), Problem{What: fmt.Sprintf("%s is cut: YAML reads %s as a comment", whole, n.LineComment),
			Why:    "the text ends before the #",
			Remedy: "put the whole text in quotes: " + quoted(whole), Fix: replace(posOf(n), whole, quoted(whole))})
	case leadingZero.MatchString(n.Value):
		r.report(posOf(n), Problem{What: n.Value + " loses its leading zero", Why: "YAML reads it as a number",
			Remedy: "put it in quotes: " + quoted(n.Value), Fix: fix})
	}
}
