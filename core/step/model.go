package step

import (
	"woolsignal/core/expr"
	"woolsignal/core/flow"
	"woolsignal/core/run"
	"woolsignal/core/shape"
)

// Model asks a model once.
type Model struct {
	Name   string // "" is the workflow's
	Prompt flow.Value
	Files  *flow.Value
	Answer *flow.Schema // nil takes any words
}

// Fields are what it may say.
func (m *Model) Fields() []flow.Field {
	return []flow.Field{
		{Name: "model", Into: &m.Name, Holds: flow.HoldsModel, Required: true, Help: "The model that is asked.",
			Example: "medium"},
		{Name: "prompt", Into: &m.Prompt, Missing: "the model is asked nothing", Help: "What it is asked.",
			Example: "Which lane do these notes point to? ${signal.text}"},
		filesField(&m.Files),
		{Name: "answer", Into: &m.Answer, Help: "What its answer must look like; any words where it is missing.",
			Example: "{type: object, properties: {lane: {type: string}}}"},
	}
}

// Check finds the model.
func (m *Model) Check(c *flow.Checker, s *flow.Step, names expr.Names) shape.Shape {
	c.Model(s.At, m.Name)
	c.Value(m.Prompt, names)
	checkFiles(c, s.At, m.Files, names, m.Name)
	if doc := m.Answer.Document(); doc != nil {
		return doc
	}
	return shape.Map(map[string]shape.Shape{"text": shape.Text()})
}

// Tell says what is asked.
func (m *Model) Tell(p *flow.Sentence, _ *flow.Step) {
	p.Say("Ask the model ").Field("model").Word(m.Name).Say(": ").Field("prompt").Text(m.Prompt)
	if m.Files != nil {
		p.Say(", shown ").Field("files").Text(*m.Files)
	}
	if names := flow.Names(m.Answer.Document()); len(names) > 0 {
		p.Say(", for ").Field("answer").Words(plain(names), ", ")
	}
}

// Unread tells that an answer was paid for in vain.
func (m *Model) Unread(_ *flow.Checker, id string, reads func(string) bool) (what, remedy string) {
	switch {
	case id == "":
		return "nothing can read what this model answers, and it is paid for",
			"give the step an id:, and read its answer below"
	case !reads(""):
		return "nobody reads what the model of " + id + " answers, and it is paid for",
			"read " + id + ", or remove the step"
	}
	return "", ""
}

// Advance asks, and gives the answer once it fits.
func (m *Model) Advance(at *run.At) run.Outcome {
	q := inquiry{model: m.Name, task: "You answer one question for a workflow.", answer: m.Answer}
	if at.Did == nil {
		prompt, err := m.Prompt.Eval(at.Scope)
		if err != nil {
			return at.Fail("prompt: %v", err)
		}
		q.prompt = expr.Text(prompt)
		if q.files, err = filesOf(m.Files, at.Scope); err != nil {
			return at.Fail("%v", err)
		}
		if err := run.TooLarge("the prompt", q.prompt); err != nil {
			return at.Fail("%v", err)
		}
	}
	answer, out := q.consult(at)
	if out != run.Finished {
		return out
	}
	if q.answer == nil {
		answer = map[string]any{"text": answer}
	}
	return at.End(answer)
}

// Outstanding is the question.
func (m *Model) Outstanding(at *run.At) []run.Errand { return asked(at, m.Answer) }
