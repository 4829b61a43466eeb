package step

import (
	"fmt"
	"regexp"
	"strings"

	"woolsignal/core/expr"
	"woolsignal/core/flow"
	"woolsignal/core/run"
	"woolsignal/core/shape"
)

// Words are what is written in a conversation. Parts that are not written are
// nil.
type Words struct {
	Text    *flow.Value
	Picture *flow.Value // a file, or the address of one
	Buttons *flow.Value // a list of texts; one that is pressed is said
	File    *flow.Value
	Layout  *flow.Value // a list of parts: heading, text, facts
	Agent   string      // whose name they bear; "" is the agent's whose answer they are, or the workflow's
}

func (w *Words) fields() []flow.Field {
	return []flow.Field{
		{Name: "text", Into: &w.Text, Help: "The words.", Example: "Noted, ${signal.from.name}."},
		{Name: "picture", Into: &w.Picture, Help: "A picture: a file, or the address of one.",
			Example: "${signal.files[0]}"},
		{Name: "buttons", Into: &w.Buttons, Help: "Texts to press; one that is pressed is said.", Example: "[yes, no]"},
		{Name: "file", Into: &w.File, Help: "A file, or the address of one.", Example: "${report.file}"},
		{Name: "layout", Into: &w.Layout, Help: "Its parts, each of heading, text and facts.",
			Example: "[{heading: Lot 14, facts: {kg: 380}}]"},
		{Name: "agent", Into: &w.Agent, Holds: flow.HoldsAgent, Example: "depot-desk",
			Help: "Whose name and picture the words bear, where they are no agent's answer."},
	}
}

// parts are the parts of a message, in the order they are told.
func (w *Words) parts() []wordsPart {
	return []wordsPart{{"text", "", w.Text}, {"picture", "the picture", w.Picture}, {"file", "the file", w.File},
		{"buttons", "the buttons", w.Buttons}, {"layout", "the layout", w.Layout}}
}

type wordsPart struct {
	name, words string
	value       *flow.Value
}

// Agree insists that there is something to say.
func (w *Words) Agree(m flow.Reading) {
	if w.Text == nil && w.Picture == nil && w.File == nil && w.Layout == nil {
		m.Wrong("", "add text: …", "there is nothing to say")
	}
}

// check checks the parts, and that somebody talks.
func (w *Words) check(c *flow.Checker, s *flow.Step, names expr.Names) {
	for _, part := range w.parts() {
		if part.value == nil {
			continue
		}
		k := c.Value(*part.value, names).Kind()
		if (part.name == "buttons" || part.name == "layout") && k != "" && k != "list" {
			c.Wrong(part.value.At, "give it a list", "%s is %s, and a list is needed", part.name, shape.Words(k))
		}
	}
	if !c.Started(flow.Trigger.Talks) {
		c.Wrong(s.At, "add a chat or phone trigger, or remove the step",
			"nobody is talking here: no trigger of this workflow has a conversation")
	}
}

// tell tells the parts behind a verb.
func (w *Words) tell(p *flow.Sentence) {
	said := false
	for _, part := range w.parts() {
		if part.value == nil {
			continue
		}
		if said {
			p.Say(" with ")
		}
		if part.words != "" {
			p.Say(part.words + " ")
		}
		p.Field(part.name).Text(*part.value)
		said = true
	}
}

// write fills a message in.
func (w *Words) write(at *run.At) (*run.Message, error) {
	scope := at.Scope
	out := &run.Message{As: voice(at, w.speaks(scope))}
	for _, part := range w.parts() {
		if part.value == nil {
			continue
		}
		got, err := part.value.Eval(scope)
		if err == nil {
			err = setPart(out, part.name, got)
		}
		if err != nil {
			return nil, fmt.Errorf("%s: %w", part.name, err)
		}
	}
	return out, run.TooLarge("the message", map[string]any{"text": out.Text, "layout": out.Layout})
}

var anAnswer = regexp.MustCompile(`^\$\{(?:otherwise\()?([a-z][a-z0-9_]*)\.text(?:, "[^"]*"\))?\}$`)

// answerOf names the step whose answer the words are, as it is; "" for none. Others may
// stand in for an answer that is missing.
func (w *Words) answerOf() string {
	if w.Text == nil || w.Text.Text == nil {
		return ""
	}
	if of := anAnswer.FindStringSubmatch(strings.TrimSpace(w.Text.Text.Source)); of != nil {
		return of[1]
	}
	return ""
}

// speaks names the agent whose words they are: the one the file says, or the one that
// answered, where its answer is said as it is.
func (w *Words) speaks(scope expr.Scope) string {
	if w.Agent != "" {
		return w.Agent
	}
	answer, _ := scope.Names[w.answerOf()].(map[string]any)
	who, _ := answer["agent"].(string)
	return who
}

// voice is an agent as those know it who talk with it; nil for none.
func voice(at *run.At, id string) *run.Voice {
	a, there := at.Agent(id)
	if !there {
		return nil
	}
	return run.VoiceOf(a)
}

// setPart puts one part into a message.
func setPart(m *run.Message, name string, got any) error {
	switch name {
	case "text":
		m.Text = expr.Text(got)
	case "picture":
		m.Picture = got
	case "file":
		m.File = got
	case "buttons":
		list, ok := got.([]any)
		if !ok {
			return fmt.Errorf("%s is given, and a list of texts is needed", expr.Kind(got))
		}
		for _, b := range list {
			m.Buttons = append(m.Buttons, expr.Text(b))
		}
	case "layout":
		list, ok := got.([]any)
		if !ok {
			return fmt.Errorf("%s is given, and a list of parts is needed", expr.Kind(got))
		}
		m.Layout = list
	}
	return nil
}
