package flow

import (
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"

	"go.yaml.in/yaml/v3"
)

// Reading is a map of a file whose fields were read, for what must hold among
// them.
type Reading struct {
	r    *reader
	f    fields
	what string
}

// Has tells whether a field is written.
func (m Reading) Has(key string) bool { return m.f.has(key) }

// At is where a field stands; where the map does, if it is not written.
func (m Reading) At(key string) Pos { return m.f.pos(key) }

// ValueAt is where the text of a field begins.
func (m Reading) ValueAt(key string) Pos {
	if n, ok := m.f.nodes[key]; ok {
		return scalarStart(n)
	}
	return m.f.at
}

// Wrong says what keeps a field, or with "" the whole map, from being used.
func (m Reading) Wrong(key, remedy, format string, args ...any) {
	m.r.wrong(m.f.pos(key), remedy, format, args...)
}

// Report adds a problem of a field.
func (m Reading) Report(key string, p Problem) { m.r.report(m.f.pos(key), p) }

// WrongAt says what is wrong at a place inside.
func (m Reading) WrongAt(at Pos, remedy, format string, args ...any) {
	m.r.wrong(at, remedy, format, args...)
}

// Writing is the fix that has a field be one word, whether or not it is written.
func (m Reading) Writing(key, word string) *Fix {
	switch n := m.f.nodes[key]; {
	case n != nil:
		return replace(posOf(n), n.Value, word)
	case m.f.flow:
		return &Fix{Line: m.f.at.Line, Column: m.f.at.Column + 1, End: m.f.at.Column + 1, Text: key + ": " + word +
			", "}
	}
	indent := strings.Repeat(" ", m.f.at.Column-1)
	return &Fix{Line: m.f.at.Line, Column: m.f.at.Column, End: m.f.at.Column,
		Text: key + ": " + word + "\n" + indent}
}

// OneOf insists that exactly one of some fields is written, and gives it.
func (m Reading) OneOf(keys ...string) string { return m.r.kind(m.f, "this "+m.what, keys) }

// Only insists that fields stand only where something else was written.
func (m Reading) Only(written bool, remedy, because string, keys ...string) {
	for _, key := range keys {
		if !written && m.Has(key) {
			m.Wrong(key, remedy, because, key)
		}
	}
}

// part reads a map of fields into a part of a file.
func (r *reader) part(n *yaml.Node, what string, into Fielded) (Reading, bool) {
	if p, ok := into.(Placed); ok {
		p.PlacedAt(posOf(n))
	}
	if short, ok := into.(Shorthand); ok && n.Kind == yaml.ScalarNode {
		r.shorthand(n, what, short)
		return Reading{}, false
	}
	if self, ok := into.(interface{ readFrom(*reader, *yaml.Node) }); ok {
		self.readFrom(r, n)
		return Reading{}, false
	}
	table := Described(into.Fields())
	if len(table) == 0 {
		r.empty(n, what)
		return Reading{}, false
	}
	f, ok := r.mapping(n, what, names(table)...)
	m := Reading{r, f, what}
	if !ok {
		return m, false
	}
	r.table(m, table)
	if a, is := into.(Agreeing); is {
		a.Agree(m)
	}
	return m, true
}

// shorthand reads a part of a file that is written as one word.
func (r *reader) shorthand(n *yaml.Node, what string, short Shorthand) {
	if words := short.Words(); words != nil && !slices.Contains(words, n.Value) {
		r.report(posOf(n), Problem{What: what + " cannot be " + n.Value, Remedy: "write " + words[0] +
			", or a map of keys", Fix: nearestFix(posOf(n), n.Value, words)})
	}
	short.Word(n.Value)
}

// names lists the names of a table.
func names(table []Field) []string {
	out := make([]string, len(table))
	for i, f := range table {
		out[i] = f.Name
	}
	return out
}

// table reads the fields of a table.
func (r *reader) table(m Reading, table []Field) {
	for _, f := range table {
		if m.Has(f.Name) {
			r.field(m, f)
			continue
		}
		if f.Required {
			missing := f.Missing
			if missing == "" {
				missing = "the key " + f.Name + " is missing"
			}
			r.wrong(m.f.at, "add "+f.Name+": "+f.Example, "%s", missing)
		}
		r.unwritten(f)
	}
}

// unwritten puts into a variable what holds where its field is not written.
func (r *reader) unwritten(f Field) {
	if n, ok := f.Into.(nested); ok { // what holds inside a map that is not written
		n.each(func(part Fielded) {
			for _, inner := range part.Fields() {
				r.unwritten(inner)
			}
		})
	}
	if f.Default == "" {
		return
	}
	switch into := f.Into.(type) {
	case *string:
		*into = f.Default
	case *int:
		*into, _ = strconv.Atoi(f.Default)
	case *float64:
		*into, _ = strconv.ParseFloat(f.Default, 64)
	case *bool:
		*into = f.Default == "true"
	case *time.Duration:
		*into, _ = ParseDuration(f.Default)
	case *Span:
		*into, _ = ParseSpan(f.Default)
	}
}

// field reads one field into its variable.
func (r *reader) field(m Reading, f Field) {
	key, n := f.Name, m.f.nodes[f.Name]
	switch into := f.Into.(type) {
	case *string:
		r.word(m, f, into)
	case *bool:
		*into = r.flag(m.f, key, f.Default == "true")
	case **bool:
		yes := r.flag(m.f, key, false)
		*into = &yes
	case *int:
		r.int(m, f, into)
	case *float64:
		r.float(m, f, into)
	case *time.Duration:
		otherwise, _ := ParseDuration(f.Default)
		*into = r.duration(m.f, key, otherwise)
	case *Span:
		*into = r.span(m.f, key)
	case *[]string:
		*into = r.words(m, f)
	case *map[string][]string:
		g, _ := r.mapping(n, key)
		*into = map[string][]string{}
		for _, name := range g.order {
			(*into)[name] = r.texts(g, name)
		}
	case *[]WordOf:
		g, _ := r.mapping(n, key)
		for _, name := range g.order {
			*into = append(*into, WordOf{name, r.text(g, name)})
		}
	case **Expression:
		*into = r.expression(m.f, key)
	case *[]NamedExpression:
		*into = r.namedExpressions(n, key)
	case *Value:
		*into = r.value(n)
	case **Value:
		*into = r.valueAt(m.f, key)
	case *[]Value:
		for _, item := range r.list(m.f, key) {
			*into = append(*into, r.value(item))
		}
	case *[]Entry:
		*into = r.entriesAt(m.f, key)
	case **Schema:
		*into = r.schema(m.f, key)
	case *[]*Step:
		*into = r.block(r.list(m.f, key))
	case *[]Trigger:
		for _, n := range r.list(m.f, key) {
			if t, ok := r.trigger(n); ok {
				*into = append(*into, t)
			}
		}
	case nested:
		r.nested(m, f, into)
	}
}

// nested reads a field that is a map of fields, or many of them.
func (r *reader) nested(m Reading, f Field, into nested) {
	n := m.f.nodes[f.Name]
	switch into.many() {
	case List:
		for _, item := range r.list(m.f, f.Name) {
			r.part(item, one(f.Name), into.add(""))
		}
	case Map:
		g, _ := r.mapping(n, f.Name)
		for _, key := range g.order {
			r.part(g.nodes[key], key, into.add(key))
		}
	default:
		r.part(n, f.Name, into.add(""))
	}
}

// one names one of what a field lists.
func one(list string) string {
	word := list
	switch {
	case len(word) > 4 && word[len(word)-4:] == "ches":
		word = word[:len(word)-2]
	case len(word) > 1 && word[len(word)-1] == 's':
		word = word[:len(word)-1]
	}
	if word[0] == 'a' || word[0] == 'e' || word[0] == 'i' || word[0] == 'o' || word[0] == 'u' {
		return "an " + word
	}
	return "a " + word
}

// word reads a literal text, by what the field holds.
func (r *reader) word(m Reading, f Field, into *string) {
	*into = r.text(m.f, f.Name)
	if *into == "" {
		if n := m.f.nodes[f.Name]; f.Required && n.Kind == yaml.ScalarNode {
			r.wrong(m.f.pos(f.Name), f.Name+": "+f.Example, "%s is empty", f.Name)
		}
		return
	}
	if r.written == nil {
		r.written = map[*string]Pos{}
	}
	r.written[into] = scalarStart(m.f.nodes[f.Name])
	if why, remedy := unfit(f, *into); why != "" {
		p := Problem{What: why, Remedy: remedy}
		if f.Choices != nil {
			p.Fix = nearestFix(posOf(m.f.nodes[f.Name]), *into, f.Choices)
			*into = f.Default
		}
		r.report(posOf(m.f.nodes[f.Name]), p)
	}
}

// words reads a list of literal texts.
func (r *reader) words(m Reading, f Field) []string {
	var out []string
	for _, n := range r.list(m.f, f.Name) {
		if n.Kind != yaml.ScalarNode {
			r.wrong(posOf(n), "", "every entry of %s must be a text", f.Name)
			continue
		}
		if why, remedy := unfit(f, n.Value); why != "" {
			r.wrong(posOf(n), remedy, "%s", why)
		}
		out = append(out, n.Value)
	}
	if f.Required && len(out) == 0 {
		r.wrong(m.f.pos(f.Name), f.Name+": "+f.Example, "%s is empty", f.Name)
	}
	return out
}

// unfit tells why a text is not what a field holds, and what would be.
func unfit(f Field, text string) (why, remedy string) {
	switch {
	case f.Choices != nil && !slices.Contains(f.Choices, text):
		return fmt.Sprintf("%s cannot be %q", f.Name, text), DidYouMean(text, f.Choices)
	case f.Holds == HoldsName && !snake.MatchString(text):
		return fmt.Sprintf("%q cannot be used as %s", text,
			f.Name), "use small letters, digits and _, as in free_windows"
	case f.Holds == HoldsSlug && !kebab.MatchString(text):
		return fmt.Sprintf("%q cannot be part of an address", text), "use small letters, digits and hyphens"
	case f.Holds == HoldsDay:
		if _, err := time.Parse(time.DateOnly, text); err != nil {
			return fmt.Sprintf("%q is not a day", text), "write it as 2026-12-25"
		}
	case f.Holds == HoldsZone:
		if _, err := time.LoadLocation(text); err != nil || text == "Local" {
			return fmt.Sprintf("%q is not a time zone",
				text), "use a name of the IANA time zone database, such as Europe/London"
		}
	}
	return "", ""
}

func (r *reader) int(m Reading, f Field, into *int) {
	n, err := strconv.Atoi(r.text(m.f, f.Name))
	otherwise, _ := strconv.Atoi(f.Default)
	switch {
	case err != nil, n < 0 && f.Least >= 0:
		r.wrong(m.f.pos(f.Name), f.Name+": "+example(f, "12"), "%s must be a whole number", f.Name)
		n = otherwise
	case f.Most > 0 && (n < f.Least || n > f.Most):
		r.wrong(m.f.pos(f.Name), f.Name+": "+example(f, f.Default), "%s must be from %d to %d", f.Name, f.Least, f.Most)
		n = max(otherwise, f.Least)
	}
	*into = n
}

func (r *reader) float(m Reading, f Field, into *float64) {
	x, err := strconv.ParseFloat(r.text(m.f, f.Name), 64)
	otherwise, _ := strconv.ParseFloat(f.Default, 64)
	switch {
	case err != nil || x < 0:
		r.wrong(m.f.pos(f.Name), f.Name+": "+example(f, "0.20"), "%s must be a number", f.Name)
		x = otherwise
	case f.Most > 0 && (x < float64(f.Least) || x > float64(f.Most)):
		r.wrong(m.f.pos(f.Name), f.Name+": "+example(f, f.Default), "%s must be from %d to %d", f.Name, f.Least, f.Most)
		x = otherwise
	}
	*into = x
}

func example(f Field, other string) string {
	if f.Example != "" {
		return f.Example
	}
	return other
}

// namedExpressions reads a map of expressions. One that cannot be read keeps
// its name: what reads it is not wrong too.
func (r *reader) namedExpressions(n *yaml.Node, what string) []NamedExpression {
	g, _ := r.mapping(n, what)
	var out []NamedExpression
	for _, name := range g.order {
		if !snake.MatchString(name) {
			r.wrong(g.pos(name), "use small letters, digits and _", "%q cannot be a value's name", name)
		}
		if slices.Contains(reserved, name) {
			r.wrong(g.pos(name), "choose another word", "%s already means something in expressions", name)
		}
		out = append(out, NamedExpression{name, r.expression(g, name)})
	}
	return out
}
