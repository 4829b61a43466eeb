package flow

import (
	"regexp"
	"strconv"
	"strings"

	"woolsignal/core/expr"
)

// Part is a piece of a sentence. How is "" for words that join others, "word"
// for something a builder chose, "text" for the words of a text, "value" for
// an expression, "prose" for words a model reads.
type Part struct {
	Text  string `json:"text"`
	How   string `json:"how,omitempty"`
	Field string `json:"field,omitempty"` // which of the file it shows, as a JSON Pointer (RFC 6901)
	// Of an expression: its words, how the file writes it, and whether it is
	// filled into a text.
	Words  []expr.Word `json:"words,omitempty"`
	Code   string      `json:"code,omitempty"`
	Inside bool        `json:"inside,omitempty"`
}

// Sentence builds the parts of a sentence; each method gives it back for
// chaining.
type Sentence struct {
	Parts     []Part
	Workspace *Workspace
	Tools     Catalogue
	naming    expr.Naming
	step      string // the place of the step the sentence tells
	place     string // of what the sentence tells, in the file
	field     string // … and of the field below it that is being told
}

// Field says which field the words that follow show: its name, behind those it
// stands below, as in "retry/tries". "" is what the sentence tells as a whole.
func (s *Sentence) Field(name string) *Sentence {
	s.field = s.place
	if name != "" {
		s.field += "/" + name
	}
	return s
}

// Name adds the name of a step.
func (s *Sentence) Name(step *Step) *Sentence {
	field := s.field
	s.field = s.step + "/id"
	s.Word(Plain(step.ID))
	s.field = field
	return s
}

// below tells something that stands under a key of the field that is being
// told, or at a place of its list.
func (s *Sentence) below(key string, tell func()) *Sentence {
	outer := s.field
	s.field += "/" + pointerToken(key)
	tell()
	s.field = outer
	return s
}

func (s *Sentence) add(text, how string) *Sentence {
	s.Parts = append(s.Parts, Part{Text: text, How: how, Field: s.field})
	return s
}

// Say adds words that join others.
func (s *Sentence) Say(text string) *Sentence {
	s.Parts = append(s.Parts, Part{Text: text})
	return s
}

// Word adds something a builder chose.
func (s *Sentence) Word(text string) *Sentence { return s.add(text, "word") }

// Words adds several such things as one.
func (s *Sentence) Words(words []string, between string) *Sentence {
	return s.Word(strings.Join(words, between))
}

// Either adds several such things of which one is meant: "a, b or c".
func (s *Sentence) Either(words []string) *Sentence {
	last := len(words) - 1
	if last < 1 {
		return s.Words(words, "")
	}
	return s.Word(strings.Join(words[:last], ", ") + " or " + words[last])
}

// Expression adds an expression; nothing where it could not be read.
func (s *Sentence) Expression(e *Expression) *Sentence {
	if e == nil {
		return s
	}
	return s.program(e.Program, e.Words(s.naming), false)
}

// Condition adds an expression that holds or does not.
func (s *Sentence) Condition(e *Expression) *Sentence {
	if e == nil {
		return s
	}
	return s.program(e.Program, e.ConditionWords(s.naming), false)
}

func (s *Sentence) program(p *expr.Program, words []expr.Word, inside bool) *Sentence {
	s.Parts = append(s.Parts, Part{Text: expr.PlainWords(words), How: "value", Field: s.field, Words: words,
		Code: strings.TrimSpace(p.Source), Inside: inside})
	return s
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
		if len(parts) == 1 && parts[0].Program != nil {
			return s.program(parts[0].Program, parts[0].Program.Words(s.naming), false)
		}
		if last := &parts[len(parts)-1]; last.Program == nil {
			last.Text = strings.TrimRight(last.Text, "\n")
		}
		s.Say("“").pieces(parts, "text", longestText)
		return s.Say("”")
	case v.isMap:
		return s.Entries(v.Map)
	case v.isList:
		for i, item := range v.List {
			if i > 0 {
				s.Say(", ")
			}
			s.below(strconv.Itoa(i), func() { s.Text(item) })
		}
		return s
	}
	return s.Word(expr.Text(v.Literal))
}

// lines are where a text begins a new one: a sentence stands on one.
var lines = regexp.MustCompile(`\s*\n\s*`)

// pieces adds the words of a text and what is filled into it.
func (s *Sentence) pieces(parts []expr.Part, how string, longest int) *Sentence {
	for _, p := range parts {
		if p.Program != nil {
			s.program(p.Program, p.Program.Words(s.naming), true)
		} else {
			s.add(Clip(lines.ReplaceAllString(p.Text, " "), longest), how)
		}
	}
	return s
}

// Entries adds named values. Where a value's name says what the key says, the
// key is left out.
func (s *Sentence) Entries(entries []Entry) *Sentence {
	for i, e := range entries {
		if i > 0 {
			s.Say(", ")
		}
		if !s.namedBy(e) {
			s.Say(Plain(e.Key) + " ")
		}
		s.below(e.Key, func() { s.Text(e.Value) })
	}
	return s
}

// namedBy tells whether an entry's value bears the name of its key.
func (s *Sentence) namedBy(e Entry) bool {
	if e.Value.Text == nil {
		return false
	}
	parts := e.Value.Text.Parts()
	return len(parts) == 1 && parts[0].Program != nil && expr.NamedBy(parts[0].Program.Words(s.naming), e.Key)
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
	parts := v.Text.Parts()
	if last := &parts[len(parts)-1]; last.Program == nil {
		last.Text = strings.TrimSuffix(strings.TrimSpace(last.Text), ".")
	}
	return s.pieces(parts, "prose", longestProse)
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
