package flow

import (
	"strconv"
	"strings"

	"woolsignal/core/shape"
)

// Line is one sentence of a script.
type Line struct {
	Path   string `json:"path"` // the step's or block's, as runs name it; trigger/ID for triggers
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

// Explain tells a workflow as sentences, one a line: triggers, then steps.
func (w *Workspace) Explain(flow *Workflow, tool Catalogue) []Line {
	e := &explainer{w: w, tool: tool}
	for _, t := range flow.Triggers {
		e.lines = append(e.lines, Line{Path: "trigger/" + t.ID, Kind: "trigger", ID: t.ID, Parts: e.trigger(t),
			Line: t.At.Line})
	}
	if flow.Callable() {
		s := e.sentence().Say("When it is called")
		if names := Names(flow.Inputs.Document()); len(names) > 0 {
			s.Say(" with ").Words(names, ", ")
		}
		e.lines = append(e.lines, Line{Path: "trigger/called", Kind: "trigger", ID: "called", Parts: s.Parts,
			Line: flow.Inputs.At.Line})
	}
	e.block(flow.Steps, "", "", 0)
	if len(flow.Gives) > 0 {
		s := e.sentence().Say("It gives ").Entries(flow.Gives)
		e.lines = append(e.lines, Line{Path: "gives", Kind: "gives", Parts: s.Parts, Line: flow.Gives[0].Value.At.Line})
	}
	return e.lines
}

type explainer struct {
	w     *Workspace
	tool  Catalogue
	lines []Line
}

// sentence begins a sentence.
func (e *explainer) sentence() *Sentence { return &Sentence{Workspace: e.w, Tools: e.tool} }

func (e *explainer) block(steps []*Step, prefix, number string, depth int) {
	for i, s := range steps {
		path := StepPath(prefix, i)
		n := number + strconv.Itoa(i+1)
		e.lines = append(e.lines, Line{Path: path, Number: n, Depth: depth, Kind: s.Kind, ID: s.ID, Parts: e.step(s),
			Line: s.At.Line})
		for j, b := range s.Blocks() {
			at := BlockPath(path, b.Name)
			e.lines = append(e.lines, Line{Path: at, Depth: depth + 1, Kind: "case", Parts: e.opening(s, b),
				Line: b.At.Line})
			e.block(b.Do, at, n+"."+string(rune('a'+j)), depth+2)
		}
	}
}

// trigger says what starts a run.
func (e *explainer) trigger(t Trigger) []Part {
	p := e.sentence()
	t.Is.Tell(p, &t)
	return p.Parts
}

// opening is the line above a block: when it is entered, and what leaves it.
func (e *explainer) opening(s *Step, b NamedBlock) []Part {
	p := e.sentence()
	if b.Name == Instead {
		p.Say("if that fails")
	} else if h, holds := s.Does.(Holding); holds {
		h.Opening(p, b.Name)
	}
	if len(b.Gives) > 0 {
		p.Say(", giving ").Entries(b.Gives)
	}
	if len(b.Do) > 0 {
		p.Say(":")
	}
	return p.Parts
}

// step is a step's sentence, with what holds for it before and behind.
func (e *explainer) step(s *Step) []Part {
	p := e.sentence()
	switch {
	case s.Off:
		p.Say("(off) ")
	case s.When != nil:
		p.Say("If ").Expression(s.When).Say(": ")
	}
	s.Does.Tell(p, s)
	if s.Within > 0 {
		p.Say(", within ").Word(countedWords(s.Within))
	}
	if s.Retry != nil {
		if s.Retry.Tries == 2 {
			p.Say(", trying again ").Word("once")
		} else {
			p.Say(", trying again up to ").Word(strconv.Itoa(s.Retry.Tries - 1)).Say(" times")
		}
	}
	if s.IfFails != nil && s.IfFails.CarryOn {
		p.Say("; if it fails, carry on")
	}
	return p.Parts
}

// Names lists the fields a JSON Schema names.
func Names(schema map[string]any) []string { return shape.Shape(schema).Names() }

// Audience says whom a review is put to as a sentence would: "the grading
// lead" for a team or role, an e-mail as it is.
func Audience(of string) string {
	if strings.Contains(of, "@") {
		return of
	}
	return "the " + strings.ReplaceAll(of, "-", " ")
}

// Label turns a name into words that begin with a capital.
func Label(name string) string {
	first := min(1, len(name))
	return strings.ToUpper(name[:first]) + Plain(name[first:])
}

// Plain turns a name into words.
func Plain(name string) string { return strings.ReplaceAll(name, "_", " ") }
