package flow

import (
	"strconv"
	"strings"

	"woolsignal/core/expr"
	"woolsignal/core/shape"
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
	Path   string `json:"path"` // the step's place, as runs name it; "trigger/<id>" and "<path>/case-1" for triggers and blocks
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
		e.lines = append(e.lines, Line{Path: "trigger/" + t.ID, Kind: "trigger", ID: t.ID, Parts: e.trigger(t), Line: t.At.Line})
	}
	if flow.Callable() {
		var s sentence
		s.say("When it is called")
		if names := Names(flow.Inputs.doc()); len(names) > 0 {
			s.say(" with ").word(strings.Join(names, ", "))
		}
		e.lines = append(e.lines, Line{Path: "trigger/called", Kind: "trigger", ID: "called", Parts: s, Line: flow.Inputs.At.Line})
	}
	e.block(flow.Steps, "", "", 0)
	if len(flow.Gives) > 0 {
		var s sentence
		s.say("It gives ").entries(flow.Gives)
		e.lines = append(e.lines, Line{Path: "gives", Kind: "gives", Parts: s, Line: flow.Gives[0].Value.At.Line})
	}
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
		path := StepPath(prefix, i)
		n := number + strconv.Itoa(i+1)
		e.lines = append(e.lines, Line{Path: path, Number: n, Depth: depth, Kind: s.Kind, ID: s.ID, Parts: e.step(s), Line: s.At.Line})
		for j, b := range s.Blocks() {
			at := BlockPath(path, b.Name)
			e.lines = append(e.lines, Line{Path: at, Depth: depth + 1, Kind: "case", Parts: e.opening(s, b), Line: b.At.Line})
			e.block(b.Do, at, n+"."+string(rune('a'+j)), depth+2)
		}
	}
}

// opening is the line above a block: when it is entered, and what leaves it.
func (e *explainer) opening(s *Step, b NamedBlock) []Part {
	var p sentence
	switch b.Name.Word {
	case InsteadBlock:
		p.say("if that fails")
	case ItemBlock:
		p.say("for each item")
	case RoundBlock:
		p.say("in each round")
	case InsideBlock:
		p.say("in this block")
	case ElseBlock:
		p.say("otherwise")
	case UnsureBlock:
		p.say("when unsure, below ").word(strconv.FormatFloat(s.Decide.Floor, 'f', -1, 64))
	case WayBlock:
		p.say("the way ").word(s.Together.Branches[b.Name.Number-1].ID)
	case CaseBlock:
		c := s.Decide.Cases[b.Name.Number-1]
		if c.Judge != nil {
			p.say("if it is judged that ").prose(*c.Judge)
			if c.About != nil {
				p.say(", going by ").val(*c.About)
			}
		} else if c.When != nil {
			p.say("if ").value(c.When.Source)
		}
	}
	if len(b.Gives) > 0 {
		p.say(", giving ").entries(b.Gives)
	}
	if len(b.Do) > 0 {
		p.say(":")
	}
	return p
}

// step is a step's sentence, with what holds for it before and behind.
func (e *explainer) step(s *Step) []Part {
	var p sentence
	switch {
	case s.Off:
		p.say("(off) ")
	case s.When != nil:
		p.say("If ").value(s.When.Source).say(": ")
	}
	e.does(&p, s)
	if s.Timeout > 0 {
		p.say(", within ").word(countedWords(s.Timeout))
	}
	if s.Retry != nil {
		if s.Retry.Times == 1 {
			p.say(", trying again ").word("once")
		} else {
			p.say(", trying again up to ").word(strconv.Itoa(s.Retry.Times)).say(" times")
		}
	}
	if s.IfFails != nil && s.IfFails.CarryOn {
		p.say("; if it fails, carry on")
	}
	return p
}

// does says what a step does.
func (e *explainer) does(p *sentence, s *Step) {
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
		for i, f := range s.Tool.Fill {
			p.say([]string{"; a model fills in ", ", "}[min(i, 1)] + plain(f.Key) + ": ").prose(f.Value)
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
	case "each":
		p.say("For each ")
		if s.Each.Of != nil {
			p.say("of ").value(s.Each.Of.Source)
		}
		if s.Each.AtOnce > 1 {
			p.say(", at most ").word(strconv.Itoa(s.Each.AtOnce)).say(" at once")
		}
		p.until(s.Each.First, s.Each.Enough)
	case "together":
		p.say("Go ").word(strconv.Itoa(len(s.Together.Branches))).say(" ways at once")
		p.until(s.Together.First, s.Together.Enough)
	case "repeat":
		p.say("Repeat ")
		if s.Repeat.Till != nil {
			p.say("till ").value(s.Repeat.Till.Source)
		}
		p.say(", at most ").word(strconv.Itoa(s.Repeat.AtMost)).say(" times")
	case "block":
		title := s.Title
		if title == "" {
			title = "These belong together"
		}
		p.say(title)
	case "wait":
		e.waits(p, s.Wait)
	case "model":
		name := s.Model.Model
		p.say("Ask the model ").word(name).say(": ").val(s.Model.Prompt)
		if names := Names(s.Model.Answer.doc()); len(names) > 0 {
			p.say(", for ").word(strings.Join(names, ", "))
		}
	case "call":
		name := s.Call.Workflow
		if w, ok := e.w.Workflows[name]; ok {
			name = w.Title
		}
		p.say([]string{"Start ", "Call "}[map[bool]int{true: 1}[s.Call.Await]]).word(name)
		if len(s.Call.Inputs) > 0 {
			p.say(" with ").entries(s.Call.Inputs)
		}
		if !s.Call.Await {
			p.say(" and go on")
		}
	case "javascript":
		p.say("Run a script")
		if s.ID != "" {
			p.say(" for ").word(s.ID)
		}
		if len(s.JavaScript.Inputs) > 0 {
			p.say(" with ").entries(s.JavaScript.Inputs)
		}
	case "say":
		p.say("Say ").message(s.Say)
	case "question":
		p.say("Ask ").message(&s.Question.SayStep)
		e.answers(p, s.Question)
	case "respond":
		p.say("Answer the caller with ").word(strconv.Itoa(s.Respond.Status))
		if s.Respond.Body != nil {
			p.say(": ").val(*s.Respond.Body)
		}
	case "review":
		p.say("Ask ").word(Audience(s.Review.Of)).say(" to " + strings.Join(s.Review.Choices, " or ") + ": ").val(s.Review.Show)
	case "label":
		p.say("Label the run ")
		for i, v := range s.Label.As {
			if i > 0 {
				p.say(", ")
			}
			p.val(v)
		}
	case "remember":
		p.say("Remember about ").val(s.Remember.About).say(": ").val(s.Remember.Fact)
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
}

func (e *explainer) waits(p *sentence, w *WaitStep) {
	switch {
	case w.Hear != nil:
		p.say("Wait for ")
		switch {
		case w.Hear.Chat != nil:
			p.say("a message ")
			e.place(p, w.Hear.Chat)
			p.say(" in the conversation ")
		case w.Hear.Webhook != nil:
			p.say("a delivery to ").word("/in/" + w.Hear.Webhook.Path).say(" about ")
		case w.Hear.Mail != nil:
			p.say("a mail that ")
			e.mails(p, w.Hear.Mail)
			p.say(", in answer to ")
		}
		p.val(w.Hear.On)
		if w.Hear.Match != nil {
			p.say(" where ").value(w.Hear.Match.Source)
		}
		p.say(", at most ").word(w.AtMost.String())
	case w.Till != nil:
		p.say("Wait till ").value(w.Till.Source)
	default:
		p.say("Wait ").word(w.For.String())
	}
}

// message tells the parts of a message.
func (s *sentence) message(m *SayStep) *sentence {
	if m.Text != nil {
		s.val(*m.Text)
	}
	for _, part := range []struct {
		name string
		v    *Value
	}{{"the picture", m.Picture}, {"the file", m.File}, {"the buttons", m.Buttons}, {"the blocks", m.Layout}} {
		if part.v == nil {
			continue
		}
		if s.spoken() {
			s.say(" with ")
		}
		s.say(part.name + " ").val(*part.v)
	}
	return s
}

// spoken tells whether the sentence has more than its verb.
func (s *sentence) spoken() bool { return len(*s) > 1 }

// answers says what a question takes for an answer.
func (e *explainer) answers(p *sentence, q *QuestionStep) {
	p.say(" until the answer is ")
	switch {
	case len(q.Choices) > 0:
		p.say("one of ").word(strings.Join(q.Choices, ", "))
	case q.Valid.doc() != nil:
		p.word(strings.TrimPrefix(shape.Words(shape.Shape(q.Valid.doc()).Kind()), "a "))
	default:
		p.word("text")
	}
	if q.Check != nil {
		p.say(" with ").value(q.Check.Source)
	}
	if q.Find != nil {
		p.say(" and found by ").word(e.toolTitle(q.Find.Tool))
	}
	p.say(", at most ").word(strconv.Itoa(q.Tries)).say(" times")
}

// until says what ends several ways early.
func (s *sentence) until(first bool, enough *Expression) {
	if first && enough != nil {
		s.say(", until one is enough: ").value(enough.Source)
	}
}

// prose writes words a model reads.
func (s *sentence) prose(v Value) *sentence {
	if v.Text == nil {
		return s.val(v)
	}
	for _, part := range v.Text.Parts() {
		if part.Expression {
			s.value(part.Text)
		} else {
			s.put(clip(strings.TrimSuffix(part.Text, "."), 160), "prose")
		}
	}
	return s
}

// Names lists the fields a JSON Schema names.
func Names(schema map[string]any) []string { return shape.Shape(schema).Names() }

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
