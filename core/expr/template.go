package expr

import (
	"fmt"
	"strings"
)

// Template is a text with ${expression} inside, compiled.
type Template struct {
	Source string
	parts  []part
}

// part is literal text, or an expression where program is set.
type part struct {
	literal string
	offset  int // of the expression within the text, in bytes
	program *Program
}

// CompileText compiles a text. An error is of type *[Error], its offset
// counted from the start of the text.
func CompileText(source string) (*Template, error) {
	t := &Template{Source: source}
	rest, base := source, 0
	var literal strings.Builder
	filled := 0
	for {
		i := strings.Index(rest, "${")
		if i < 0 {
			literal.WriteString(rest)
			break
		}
		if i > 0 && rest[i-1] == '$' {
			literal.WriteString(rest[:i-1] + "${")
			rest, base = rest[i+2:], base+i+2
			continue
		}
		literal.WriteString(rest[:i])
		end := expressionEnd(rest[i+2:])
		if end < 0 {
			return nil, &Error{Source: source, Offset: base + i,
				Message: "a ${ without its closing }; write $${ for a literal ${"}
		}
		inner := rest[i+2 : i+2+end]
		if filled++; filled > mostFilled {
			return nil, &Error{Source: inner, Offset: base + i, Message: fmt.Sprintf("a text has at most %d values "+
				"filled in; put it together from several", mostFilled)}
		}
		program, err := Compile(inner)
		if err != nil {
			if e, ok := err.(*Error); ok {
				return nil, &Error{Source: inner, Offset: base + i + 2 + e.Offset, Message: e.Message}
			}
			return nil, err
		}
		if literal.Len() > 0 {
			t.parts = append(t.parts, part{literal: literal.String()})
			literal.Reset()
		}
		t.parts = append(t.parts, part{offset: base + i + 2, program: program})
		rest, base = rest[i+2+end+1:], base+i+2+end+1
	}
	if literal.Len() > 0 || len(t.parts) == 0 {
		t.parts = append(t.parts, part{literal: literal.String()})
	}
	return t, nil
}

// expressionEnd finds the } that closes an expression, minding nested braces
// and quoted strings; -1 where there is none.
func expressionEnd(s string) int {
	depth := 0
	for i := 0; i < len(s); i++ {
		switch c := s[i]; c {
		case '{':
			depth++
		case '}':
			if depth == 0 {
				return i
			}
			depth--
		case '"', '\'':
			for i++; i < len(s) && s[i] != c; i++ {
				if s[i] == '\\' {
					i++
				}
			}
		}
	}
	return -1
}

// References lists what the text reads, offsets counted from its start.
func (t *Template) References() []Reference {
	var all []Reference
	for _, p := range t.parts {
		if p.program == nil {
			continue
		}
		for _, r := range p.program.References {
			r.Offset += p.offset
			all = append(all, r)
		}
	}
	return all
}

// Eval fills the text in. One ${…} alone gives the value itself, anything
// else a string.
func (t *Template) Eval(scope Scope) (any, error) {
	if len(t.parts) == 1 {
		if t.parts[0].program == nil {
			return t.parts[0].literal, nil
		}
		return t.parts[0].program.Eval(scope)
	}
	var b strings.Builder
	for _, p := range t.parts {
		if p.program == nil {
			b.WriteString(p.literal)
			continue
		}
		v, err := p.program.Eval(scope)
		if err != nil {
			return nil, err
		}
		b.WriteString(Text(v))
	}
	return b.String(), nil
}

// Part is one piece of a text for display: literal words, or an expression.
type Part struct {
	Text    string
	Program *Program // nil for words
}

// Parts gives the pieces of the text in order.
func (t *Template) Parts() []Part {
	out := make([]Part, len(t.parts))
	for i, p := range t.parts {
		out[i] = Part{Text: p.literal, Program: p.program}
	}
	return out
}
