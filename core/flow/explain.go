package flow

import (
	"fmt"
	"strconv"
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

// Line is one sentence of a script.
type Line struct {
	Path   string `json:"path"` // the step's place, as runs name it; "trigger/<id>" and "<path>/c0" for triggers and cases
	Number string `json:"number,omitempty"`
	Depth  int    `json:"depth"`
	Kind   string `json:"kind"` // a step kind, trigger, or case
	ID     string `json:"id,omitempty"`
	Parts  []Part `json:"parts"`
	Line   int    `json:"line"` // in the file
}

// Text gives the sentence as plain text.
func (l Line) Text() string {
	var b strings.Builder
	for _, p := range l.Parts {
		b.WriteString(p.Text)
	}
	return b.String()
}

// sentence builds parts; each method returns it for chaining.
type sentence []Part

func (s *sentence) say(text string) *sentence   { return s.put(text, "") }
func (s *sentence) word(text string) *sentence  { return s.put(text, "word") }
func (s *sentence) value(text string) *sentence { return s.put(text, "value") }

func (s *sentence) put(text, how string) *sentence {
	*s = append(*s, Part{text, how})
	return s
}

// val writes a value: literal words in quotes, expressions bare.
func (s *sentence) val(v Value) *sentence {
	switch {
	case v.Text != nil:
		parts := v.Text.Parts()
		if len(parts) == 1 && parts[0].Expression {
			return s.value(parts[0].Text)
		}
		s.say("“")
		for _, p := range parts {
			if p.Expression {
				s.value(p.Text)
			} else {
				s.say(clip(p.Text, 120))
			}
		}
		return s.say("”")
	case v.isMap:
		return s.entries(v.Map)
	case v.isList:
		for i, item := range v.List {
			if i > 0 {
				s.say(", ")
			}
			s.val(item)
		}
		return s
	}
	return s.word(expr.Text(v.Literal))
}

func (s *sentence) entries(entries []Entry) *sentence {
	for i, e := range entries {
		if i > 0 {
			s.say(", ")
		}
		s.say(plain(e.Key) + " ").val(e.Value)
	}
	return s
}

// Explain tells a workflow as sentences, one a line: triggers, then steps.
func (w *Workspace) Explain(flow *Workflow, tool Catalogue) []Line {
	e := &explainer{w: w, tool: tool}
	for _, t := range flow.Triggers {
		var s sentence
		switch {
		case t.Chat != nil:
			s.say("When somebody writes in the chat page ").word(t.Chat.Page)
		case t.Webhook != nil:
			s.say("When ").word(t.ID).say(" posts to ").word("/in/" + t.Webhook.Path).say(", signed with ").word(e.connection(t.Webhook.Verify))
			if t.Webhook.Accepts != "" {
				s.say(", shaped like ").word(strings.TrimSuffix(strings.TrimPrefix(t.Webhook.Accepts, "schemas/"), ".json"))
			}
		case t.Schedule != nil:
			s.say("Every ").word(DurationWords(t.Schedule.Every))
		}
		e.lines = append(e.lines, Line{Path: "trigger/" + t.ID, Kind: "trigger", ID: t.ID, Parts: s, Line: t.At.Line})
	}
	e.block(flow.Steps, "", "", 0)
	return e.lines
}

type explainer struct {
	w     *Workspace
	tool  Catalogue
	lines []Line
}

func (e *explainer) connection(id string) string {
	if c, ok := e.w.Connections[id]; ok {
		return c.Title
	}
	return id
}

func (e *explainer) block(steps []*Step, prefix, number string, depth int) {
	for i, s := range steps {
		path := prefix + strconv.Itoa(i)
		n := number + strconv.Itoa(i+1)
		e.lines = append(e.lines, Line{Path: path, Number: n, Depth: depth, Kind: s.Kind, ID: s.ID, Parts: e.step(s), Line: s.At.Line})
		if s.Decide == nil {
			continue
		}
		for j, c := range s.Decide.branches() {
			var parts sentence
			if c.When != nil {
				parts.say("if ").value(c.When.Source)
			} else {
				parts.say("otherwise")
			}
			if len(c.Gives) > 0 {
				parts.say(", ").entries(c.Gives)
			}
			if len(c.Do) > 0 {
				parts.say(":")
			}
			casePath := fmt.Sprintf("%s/c%d", path, j)
			e.lines = append(e.lines, Line{Path: casePath, Depth: depth + 1, Kind: "case", Parts: parts, Line: c.At.Line})
			e.block(c.Do, casePath+"/", n+"."+string(rune('a'+j)), depth+2)
		}
	}
}

func (e *explainer) step(s *Step) []Part {
	var p sentence
	switch s.Kind {
	case "agent":
		name := s.Agent.Agent
		if a, ok := e.w.Agents[name]; ok {
			name = a.Title
		}
		p.say("Ask the agent ").word(name).say(" about ").val(s.Agent.Task)
	case "tool":
		p.say("Use ").word(e.toolTitle(s.Tool.Tool))
		if len(s.Tool.Args) > 0 {
			p.say(" with ").entries(s.Tool.Args)
		}
	case "compute":
		p.say("Work out ")
		if s.ID != "" {
			p.word(s.ID).say(": ")
		}
		for i, v := range s.Compute.Values {
			if i > 0 {
				p.say(", ")
			}
			p.say(plain(v.Name) + " = ")
			if v.Expression != nil {
				p.value(v.Source)
			}
		}
	case "decide":
		p.say("Decide")
		if s.ID != "" {
			p.say(" ").word(s.ID)
		}
	case "say":
		p.say("Say ").val(s.Say.Text)
	case "respond":
		p.say("Answer the caller with ").word(strconv.Itoa(s.Respond.Status))
		if s.Respond.Body != nil {
			p.say(": ").val(*s.Respond.Body)
		}
	case "review":
		p.say("Ask ").word(Audience(s.Review.Of)).say(" to " + strings.Join(s.Review.Choices, " or ") + ": ").val(s.Review.Show)
	case "stop":
		outcome := "done"
		if s.Stop.Failed {
			outcome = "failed"
		}
		p.say("Stop as ").word(outcome)
		if s.Stop.Because != nil {
			p.say(": ").val(*s.Stop.Because)
		}
	}
	return p
}

// toolTitle names a tool as "Clip Register: add delivery".
func (e *explainer) toolTitle(name string) string {
	connection, operation, _ := strings.Cut(name, "/")
	if t, ok := e.tool(name); ok {
		return t.Title
	}
	return e.connection(connection) + ": " + plain(operation)
}

// Audience says whom a review is put to as a sentence would: "the grading
// lead" for a team or role, an e-mail as it is.
func Audience(of string) string {
	if strings.Contains(of, "@") {
		return of
	}
	return "the " + strings.ReplaceAll(of, "-", " ")
}

// plain turns a name into words.
func plain(name string) string { return strings.ReplaceAll(name, "_", " ") }

// clip shortens a text to at most n runes for a sentence.
func clip(s string, n int) string {
	runes := []rune(s)
	if len(runes) <= n {
		return s
	}
	return string(runes[:n-1]) + "…"
}
