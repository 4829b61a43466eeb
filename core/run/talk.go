package run

import (
	"fmt"
	"maps"
	"strconv"
	"strings"

	"woolsignal/core/expr"
	"woolsignal/core/flow"
)

// Message is something written in a conversation. Files are values as signals
// and tools carry them, or addresses.
type Message struct {
	Text    string   `json:"text,omitempty"`
	Picture any      `json:"picture,omitempty"`
	Buttons []string `json:"buttons,omitempty"`
	File    any      `json:"file,omitempty"`
	Layout  []any    `json:"layout,omitempty"` // blocks of {heading, text, facts}
}

// plain tells whether the message is words alone.
func (m *Message) plain() bool {
	return m.Picture == nil && m.File == nil && len(m.Buttons) == 0 && len(m.Layout) == 0
}

// args are what a chat server's tool is given to post the message.
func (m *Message) args(via *Via) map[string]any {
	args := maps.Clone(via.Args)
	args["text"] = m.Text
	if m.Picture != nil {
		args["picture"] = m.Picture
	}
	if m.File != nil {
		args["file"] = m.File
	}
	if len(m.Buttons) > 0 {
		args["buttons"] = anys(m.Buttons)
	}
	if len(m.Layout) > 0 {
		args["layout"] = m.Layout
	}
	return args
}

func anys(texts []string) []any {
	out := make([]any, len(texts))
	for i, t := range texts {
		out[i] = t
	}
	return out
}

// written fills a message in.
func (m *Machine) written(def *flow.SayStep, scope expr.Scope) (*Message, error) {
	out := &Message{}
	for _, part := range []struct {
		name  string
		value *flow.Value
	}{{"text", def.Text}, {"picture", def.Picture}, {"file", def.File}, {"buttons", def.Buttons}, {"layout", def.Layout}} {
		if part.value == nil {
			continue
		}
		got, err := part.value.Eval(scope)
		if err != nil {
			return nil, fmt.Errorf("%s: %w", part.name, err)
		}
		switch part.name {
		case "text":
			out.Text = expr.Text(got)
		case "picture":
			out.Picture = got
		case "file":
			out.File = got
		case "buttons":
			list, ok := got.([]any)
			if !ok {
				return nil, fmt.Errorf("buttons: %s is given, and a list of texts is needed", expr.Kind(got))
			}
			for _, b := range list {
				out.Buttons = append(out.Buttons, expr.Text(b))
			}
		case "layout":
			list, ok := got.([]any)
			if !ok {
				return nil, fmt.Errorf("layout: %s is given, and a list of blocks is needed", expr.Kind(got))
			}
			out.Layout = list
		}
	}
	return out, tooLarge("the message", map[string]any{"text": out.Text, "layout": out.Layout})
}

// said notes a message in the conversation.
func (m *Machine) said(path string, message *Message) {
	r := &WordsSaid{Step: path, Text: message.Text}
	if !message.plain() {
		r.Message = message
	}
	m.emit(r)
}

// say writes in the conversation. Where that is held on a chat server, the
// step ends once the server has taken the message.
func (m *Machine) say(def *flow.Step, step *Step, path string, scope expr.Scope) outcome {
	if sent, again := m.again(step, path); again {
		m.emit(&StepBegan{Step: path, Input: sent.Args, Sending: sent.Number, Resend: m.resendOf(m.state.Signal.Via.Tool)})
		m.send(m.postErrand(m.state.Step(path)))
		return blocked
	}
	message, err := m.written(def.Say, scope)
	if err != nil {
		return m.fail(def, path, err.Error())
	}
	via := m.state.Signal.Via
	if via == nil || m.holds() {
		m.said(path, message)
		return m.end(def, path, nil, map[string]any{"message_id": m.state.ID + "-" + path})
	}
	args := message.args(via)
	m.emit(&StepBegan{Step: path, Input: args, Sending: m.number(path, args), Resend: m.resendOf(via.Tool)})
	m.said(path, message)
	m.send(m.postErrand(m.state.Step(path)))
	return blocked
}

// postErrand brings a message to a chat server. The n-th of a question has a
// key of its own.
func (m *Machine) postErrand(step *Step) Errand {
	args, _ := step.Input.(map[string]any)
	turn := 0
	if step.Asking != nil {
		turn = step.Asking.Said
	}
	return m.callErrand(step, m.state.Signal.Via.Tool, turn, args)
}

// Asking is how far a question in a conversation is.
type Asking struct {
	Said  int    `json:"said"`            // messages written for it
	Tries int    `json:"tries,omitempty"` // answers that came
	Value any    `json:"value,omitempty"` // the answer that is looked up
	Phase string `json:"phase"`           // posting, listening or finding
}

const (
	posting   = "posting"
	listening = "listening"
	finding   = "finding"
)

// question asks in the conversation until the answer is valid.
func (m *Machine) question(def *flow.Step, step *Step, path string, scope expr.Scope) outcome {
	if step == nil {
		if m.holds() && m.state.Signal.ThreadKey() == "" {
			return m.fail(def, path, "there is no conversation to ask in; try it on a chat's sample")
		}
		message, err := m.written(&def.Question.SayStep, scope)
		if err != nil {
			return m.fail(def, path, err.Error())
		}
		if len(message.Buttons) == 0 {
			message.Buttons = def.Question.Choices
		}
		return m.put(def, nil, path, message)
	}
	signal := m.heard[path]
	if signal == nil || step.Asking == nil || step.Asking.Phase != listening {
		return blocked
	}
	delete(m.heard, path)
	return m.replied(def, step, path, signal, scope)
}

// put writes a question's words and then listens.
func (m *Machine) put(def *flow.Step, before *Asking, path string, message *Message) outcome {
	next := Asking{Phase: listening}
	if before != nil {
		next = *before
	}
	next.Said++
	via := m.state.Signal.Via
	if via != nil && !m.holds() {
		next.Phase = posting
		args := message.args(via)
		m.emit(&StepBegan{Step: path, Input: args, Sending: m.number(path, args), Resend: m.resendOf(via.Tool)})
	} else {
		next.Phase = listening
		m.emit(&StepBegan{Step: path, Input: map[string]any{"text": message.Text}})
	}
	m.emit(&QuestionMoved{Step: path, Asking: &next})
	m.said(path, message)
	if next.Phase == posting {
		m.send(m.postErrand(m.state.Step(path)))
		return blocked
	}
	m.hark(def, path)
	return blocked
}

// hark waits for the next message of the conversation.
func (m *Machine) hark(def *flow.Step, path string) {
	m.emit(&ListeningBegan{Step: path, Hearing: &Hearing{Source: "/chat", Key: m.state.Signal.ThreadKey()},
		Until: def.Question.AtMost.After(m.now, m.def.Calendar()).UTC()})
}

// replied takes an answer in: by choice, type, schema and expression, and
// then by finding it.
func (m *Machine) replied(def *flow.Step, step *Step, path string, signal *Signal, scope expr.Scope) outcome {
	q := def.Question
	asking := *step.Asking
	asking.Tries++
	m.emit(&ListeningEnded{Step: path, Hearing: step.Hearing})
	m.hears(false, path, signal)
	value, why := answerTo(q, signal, m.def)
	scope.Names = maps.Clone(scope.Names)
	scope.Names["value"] = value
	if why == "" && q.Check != nil {
		holds, err := q.Check.Holds(scope)
		switch {
		case err != nil:
			why = "That cannot be right: " + err.Error() + "."
		case !holds:
			why = "That does not fit."
		}
	}
	if why != "" {
		return m.askAgain(def, &asking, path, why, scope)
	}
	if q.Find == nil {
		return m.end(def, path, nil, map[string]any{"value": value, "found": nil, "tries": int64(asking.Tries)})
	}
	args, err := flow.EvalEntries(q.Find.Args, scope)
	if err != nil {
		return m.fail(def, path, "find: "+err.Error())
	}
	asking.Phase, asking.Value = finding, value
	m.emit(&StepBegan{Step: path, Input: args, Resend: m.resendOf(q.Find.Tool)})
	m.emit(&QuestionMoved{Step: path, Asking: &asking})
	m.send(m.findErrand(def, m.state.Step(path)))
	return blocked
}

func (m *Machine) findErrand(def *flow.Step, step *Step) Errand {
	args, _ := step.Input.(map[string]any)
	turn := step.Asking.Said + step.Asking.Tries*1000 // apart from the messages
	return m.callErrand(step, def.Question.Find.Tool, turn, args)
}

// askAgain says what is wrong with an answer and asks for another, or gives
// up.
func (m *Machine) askAgain(def *flow.Step, asking *Asking, path, why string, scope expr.Scope) outcome {
	q := def.Question
	if asking.Tries >= q.Tries {
		m.emit(&QuestionMoved{Step: path, Asking: asking})
		return m.fail(def, path, fmt.Sprintf("no valid answer came in %d tries: %s", asking.Tries, why))
	}
	text := why
	if q.Hint != nil {
		hint, err := q.Hint.Eval(scope)
		if err != nil {
			return m.fail(def, path, "hint: "+err.Error())
		}
		text = expr.Text(hint)
	}
	return m.put(def, asking, path, &Message{Text: text, Buttons: q.Choices})
}

// asked goes on with a question after a tool returned.
func (m *Machine) asking(def *flow.Step, step *Step, r *Returned) {
	asking := *step.Asking
	switch {
	case asking.Phase == posting && r.Error != "":
		m.emit(&StepEnded{Step: step.Path, Status: Failed, Error: r.Error, Effect: r.Effect})
	case asking.Phase == posting:
		asking.Phase = listening
		m.emit(&QuestionMoved{Step: step.Path, Asking: &asking})
		m.hark(def, step.Path)
	case r.Error != "" && !r.NotFound:
		m.emit(&StepEnded{Step: step.Path, Status: Failed, Error: r.Error, Effect: r.Effect})
	case r.NotFound || nothing(r.Result):
		scope := m.scope(map[string]any{"value": asking.Value, "signal": m.state.Signal.value(m.def.Zone)})
		m.askAgain(def, &asking, step.Path, fmt.Sprintf("I cannot find %s. Please look at it again.", expr.Text(asking.Value)), scope)
	default:
		m.end(def, step.Path, nil, map[string]any{"value": asking.Value, "found": r.Result, "tries": int64(asking.Tries)})
	}
}

// nothing tells whether a tool's result holds nothing: null, an empty list,
// or a map whose every field is one of these.
func nothing(v any) bool {
	switch v := v.(type) {
	case nil:
		return true
	case []any:
		return len(v) == 0
	case map[string]any:
		for _, inner := range v {
			if !nothing(inner) {
				return false
			}
		}
		return true
	}
	return false
}

// answerTo reads what somebody wrote as the answer a question wants; why is
// "" where it is one.
func answerTo(q *flow.QuestionStep, signal *Signal, def *Definition) (value any, why string) {
	text := strings.TrimSpace(signal.Text)
	if len(q.Choices) > 0 {
		for i, c := range q.Choices {
			if strings.EqualFold(text, c) || text == strconv.Itoa(i+1) {
				return c, ""
			}
		}
		return text, "Please choose one of: " + strings.Join(q.Choices, ", ") + "."
	}
	wanted := q.Valid
	if wanted == nil || wanted.Doc == nil {
		if text == "" && len(signal.Files) == 0 {
			return text, "Please write something."
		}
		return text, ""
	}
	value = readAs(text, signal, wanted.Doc, def)
	if err := wanted.Validate(value); err != nil {
		return value, "That does not fit: " + err.Error() + "."
	}
	return value, ""
}

// readAs turns words into a value of the type a schema names, where they are
// one; else they stay words, which the schema then refuses.
func readAs(text string, signal *Signal, doc map[string]any, def *Definition) any {
	switch kind, _ := doc["type"].(string); kind {
	case "number", "integer":
		plain := strings.ReplaceAll(strings.TrimSpace(strings.TrimRight(text, " kgKG")), ",", ".")
		if v, err := expr.DecodeJSON([]byte(plain)); err == nil {
			switch v.(type) {
			case int64, float64:
				return v
			}
		}
	case "boolean":
		switch strings.ToLower(strings.TrimRight(text, ".!")) {
		case "yes", "y", "true", "ok":
			return true
		case "no", "n", "false":
			return false
		}
	case "object":
		if len(signal.Files) > 0 {
			return signal.Files[0].value()
		}
	case "string":
		if doc["format"] == "date" {
			if t, err := def.Calendar().Parse(text); err == nil {
				return t.Format("2006-01-02")
			}
		}
	}
	return text
}
