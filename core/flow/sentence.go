package flow

import (
	"strings"

	"woolsignal/core/expr"
)

// Part is a piece of a sentence. How is "" for plain words, "word" for
// something a builder chose, "value" for an expression, "prose" for words a
// model reads.
type Part struct {
	Text string `json:"text"`
	How  string `json:"how,omitempty"`
}

// Sentence builds the parts of a sentence; each method gives it back for
// chaining.
type Sentence struct {
	Parts     []Part
	Workspace *Workspace
	Tools     Catalogue
}

func (s *Sentence) add(text, how string) *Sentence {
	s.Parts = append(s.Parts, Part{text, how})
	return s
}

// Say adds plain words.
func (s *Sentence) Say(text string) *Sentence { return s.add(text, "") }

// Word adds something a builder chose.
func (s *Sentence) Word(text string) *Sentence { return s.add(text, "word") }

// Words adds several such things as one.
func (s *Sentence) Words(words []string, between string) *Sentence {
	return s.Word(strings.Join(words, between))
}

// Value adds the source of an expression.
func (s *Sentence) Value(source string) *Sentence { return s.add(source, "value") }

// Expression adds an expression; nothing where it could not be read.
func (s *Sentence) Expression(e *Expression) *Sentence {
	if e == nil {
		return s
	}
	return s.Value(e.Source)
}

// How much of a text stands in a sentence, in characters.
const (
	longestText  = 120
	longestProse = 160
)

// Text adds a value: literal words in quotes, expressions bare.
func (s *Sentence) Text(v Value) *Sentence {
	switch {
	case v.Text != nil:
		parts := v.Text.Parts()
		if len(parts) == 1 && parts[0].Expression {
			return s.Value(parts[0].Text)
		}
		s.Say("“")
		for _, p := range parts {
			if p.Expression {
				s.Value(p.Text)
			} else {
				s.Say(Clip(p.Text, longestText))
			}
		}
		return s.Say("”")
	case v.isMap:
		return s.Entries(v.Map)
	case v.isList:
		for i, item := range v.List {
			if i > 0 {
				s.Say(", ")
			}
			s.Text(item)
		}
		return s
	}
	return s.Word(expr.Text(v.Literal))
}

// Entries adds named values.
func (s *Sentence) Entries(entries []Entry) *Sentence {
	for i, e := range entries {
		if i > 0 {
			s.Say(", ")
		}
		s.Say(Plain(e.Key) + " ").Text(e.Value)
	}
	return s
}

// Given adds named values behind "with", where there are any.
func (s *Sentence) Given(entries []Entry) *Sentence {
	if len(entries) == 0 {
		return s
	}
	return s.Say(" with ").Entries(entries)
}

// Prose adds words a model reads.
func (s *Sentence) Prose(v Value) *Sentence {
	if v.Text == nil {
		return s.Text(v)
	}
	for _, part := range v.Text.Parts() {
		if part.Expression {
			s.Value(part.Text)
		} else {
			s.add(Clip(strings.TrimSuffix(part.Text, "."), longestProse), "prose")
		}
	}
	return s
}

// Tool adds the name of a tool, as "Clip Register: add delivery".
func (s *Sentence) Tool(name string) *Sentence {
	if t, ok := s.Tools(name); ok {
		return s.Word(t.Title)
	}
	connection, operation := toolName(name)
	return s.Word(s.Title(connection) + ": " + Plain(operation))
}

// Connection adds the name of a connection.
func (s *Sentence) Connection(id string) *Sentence { return s.Word(s.Title(id)) }

// Title is the name of a connection.
func (s *Sentence) Title(connection string) string {
	if c, ok := s.Workspace.Connections[connection]; ok {
		return c.Title
	}
	return connection
}

// Clip shortens a text to at most n runes.
func Clip(s string, n int) string {
	runes := []rune(s)
	if len(runes) <= n {
		return s
	}
	return string(runes[:n-1]) + "…"
}
