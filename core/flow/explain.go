package flow

import (
	"strconv"
	"strings"

	"woolsignal/core/expr"
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
	Field  string `json:"field,omitempty"` // where it stands in the file, as a JSON Pointer (RFC 6901)
	Line   int    `json:"line"`            // … and from which line on
	Reads  []Read `json:"reads,omitempty"` // the values its expressions read
	// Adds is what may be read from here on: behind a step, inside a block. It is
	// there where a text is read.
	Adds []Sight `json:"adds,omitempty"`
}

// Read is a value that a line reads.
type Read struct {
	Name string `json:"name"`           // dotted, as expressions write it
	Kind string `json:"kind,omitempty"` // number, text … where it is known
}

// Text gives the sentence as plain text; what is filled into a text stands
// between [ and ].
func (l Line) Text() string { return l.text(func(p Part) string { return p.Text }) }

// Code gives the sentence with every expression as the file writes it.
func (l Line) Code() string {
	return l.text(func(p Part) string {
		if p.Code != "" {
			return p.Code
		}
		return p.Text
	})
}

func (l Line) text(of func(Part) string) string {
	var b strings.Builder
	for _, p := range l.Parts {
		if p.Inside {
			b.WriteString("[" + of(p) + "]")
		} else {
			b.WriteString(of(p))
		}
	}
	return b.String()
}

// Explain tells a workflow as sentences, one a line: triggers, then steps.
func (w *Workspace) Explain(flow *Workflow, tool Catalogue) []Line {
	e := &explainer{w: w, flow: flow, tool: tool, naming: flow.naming(), kinds: w.kindsRead(flow, tool)}
	return e.tell()
}

func (e *explainer) tell() []Line {
	flow := e.flow
	e.naming.Kind = func(path []string) string { return e.kinds[strings.Join(path, ".")] }
	for _, t := range flow.Triggers {
		p := e.sentence(flow.placeOf(t.At))
		p.place += "/" + t.Kind
		t.Is.Tell(p, &t)
		e.line(Line{Path: "trigger/" + t.ID, Kind: "trigger", ID: t.ID, Line: t.At.Line}, p, readBy(t.Is))
	}
	if flow.Callable() {
		e.line(Line{Path: "trigger/called", Kind: "trigger", ID: "called", Line: flow.Inputs.At.Line}, e.called(), nil)
	}
	e.block(flow.Steps, "", "", 0)
	if len(flow.Gives) > 0 {
		s := e.sentence("/gives").Field("").Say("It gives ").Entries(flow.Gives)
		e.line(Line{Path: "gives", Kind: "gives", Line: flow.Gives[0].Value.At.Line}, s, entriesRead(flow.Gives))
	}
	return e.lines
}

// TellTriggers tells what starts a workflow, a sentence each.
func (w *Workspace) TellTriggers(flow *Workflow, tool Catalogue) []string {
	e := &explainer{w: w, flow: flow, tool: tool, naming: flow.naming()}
	out := []string{}
	for _, t := range flow.Triggers {
		out = append(out, w.TellTrigger(flow, t, tool))
	}
	if flow.Callable() {
		out = append(out, Line{Parts: e.called().Parts}.Text())
	}
	return out
}

// TellTrigger tells in a sentence when one of a workflow's triggers starts it.
func (w *Workspace) TellTrigger(flow *Workflow, t Trigger, tool Catalogue) string {
	e := &explainer{w: w, flow: flow, tool: tool, naming: flow.naming()}
	p := e.sentence("")
	t.Is.Tell(p, &t)
	return Line{Parts: p.Parts}.Text()
}

// called says that others may call the workflow, and what they hand over.
func (e *explainer) called() *Sentence {
	p := e.sentence("/inputs").Field("").Say("When it is called")
	var words []string
	for _, name := range Names(e.flow.Inputs.Document()) {
		words = append(words, Plain(name))
	}
	if len(words) > 0 {
		p.Say(" with ").Words(words, ", ")
	}
	return p
}

type explainer struct {
	w      *Workspace
	flow   *Workflow
	tool   Catalogue
	naming expr.Naming
	kinds  map[string]string // of the values that are read, by path
	scope  *scope            // what steps and blocks add; nil where nobody asks
	lines  []Line
}

// sentence begins a sentence about what stands at a place of the file.
func (e *explainer) sentence(place string) *Sentence {
	return &Sentence{Workspace: e.w, Tools: e.tool, naming: e.naming, place: place}
}

// line adds a line that was told.
func (e *explainer) line(l Line, p *Sentence, reads [][]string) {
	l.Parts, l.Field = p.Parts, p.place
	for _, name := range dotted(reads) {
		l.Reads = append(l.Reads, Read{Name: name, Kind: e.kinds[name]})
	}
	e.lines = append(e.lines, l)
}

func (e *explainer) block(steps []*Step, prefix, number string, depth int) {
	for i, s := range steps {
		path := StepPath(prefix, i)
		n := number + strconv.Itoa(i+1)
		e.line(Line{Path: path, Number: n, Depth: depth, Kind: s.Kind, ID: s.ID, Line: s.At.Line, Adds: e.behind(s)},
			e.step(s), s.reads())
		for j, b := range s.Blocks() {
			at := BlockPath(path, b.Name)
			e.line(Line{Path: at, Depth: depth + 1, Kind: "case", Line: b.At.Line, Adds: e.inside(b.Block)},
				e.opening(s, b), entriesRead(b.Gives))
			e.block(b.Do, at, n+"."+string(rune('a'+j)), depth+2)
		}
	}
}

// behind is what a step adds for those behind it.
func (e *explainer) behind(s *Step) []Sight {
	if e.scope == nil || s.ID == "" {
		return nil
	}
	added, is := e.scope.steps[s]
	if !is {
		return nil
	}
	return []Sight{added}
}

// inside is what a block adds for its steps.
func (e *explainer) inside(b *Block) []Sight {
	if e.scope == nil {
		return nil
	}
	return e.scope.blocks[b]
}

// opening is the line above a block: when it is entered, and what leaves it.
func (e *explainer) opening(s *Step, b NamedBlock) *Sentence {
	p := e.sentence(e.flow.placeOf(s.At))
	step := p.place
	if b.Name == Instead {
		p.Say("if that fails")
	} else if h, holds := s.Does.(Holding); holds {
		p.place = belowKind(step, s.Kind)
		h.Opening(p, b.Name)
	}
	p.place = e.flow.placeOf(b.At)
	if len(b.Gives) > 0 {
		p.Say(", giving ").Field("gives").Entries(b.Gives)
	}
	if len(b.Do) > 0 {
		p.Say(":")
	}
	return p
}

// belowKind is where the fields of a step of a kind stand.
func belowKind(step, kind string) string {
	if k, ok := stepKind(kind); ok && !k.Beside {
		return step + "/" + kind
	}
	return step
}

// step is a step's sentence, with what holds for it before and behind.
func (e *explainer) step(s *Step) *Sentence {
	p := e.sentence(e.flow.placeOf(s.At))
	step := p.place
	p.step = step
	switch {
	case s.Off:
		p.Field("off").Word("(off)").Say(" ")
	case s.When != nil:
		p.Say("If ").Field("when").Condition(s.When).Say(": ")
	}
	p.place = belowKind(step, s.Kind)
	s.Does.Tell(p.Field(""), s)
	p.place = step
	if s.Within > 0 {
		p.Say(", within ").Field("within").Word(countedWords(s.Within))
	}
	if s.Retry != nil {
		p.Field("retry/tries")
		if s.Retry.Tries == 2 {
			p.Say(", trying again ").Word("once")
		} else {
			p.Say(", trying again up to ").Word(strconv.Itoa(s.Retry.Tries - 1)).Say(" times")
		}
	}
	if s.IfFails != nil && s.IfFails.CarryOn {
		p.Say("; ").Field("if_fails").Word("if it fails, carry on")
	}
	return p
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
