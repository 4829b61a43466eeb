package run

import (
	"maps"

	"woolsignal/core/flow"
)

// Message is something written in a conversation. Files are values as signals
// and tools carry them, or addresses.
type Message struct {
	Text    string   `json:"text,omitempty"`
	Picture any      `json:"picture,omitempty"`
	Buttons []string `json:"buttons,omitempty"`
	File    any      `json:"file,omitempty"`
	Layout  []any    `json:"layout,omitempty"` // parts of {heading, text, facts}
	As      *Voice   `json:"as,omitempty"`     // whose words they are; nil is the workflow's own
	Cut     bool     `json:"cut,omitempty"`    // it was heard as it came, and broke off
}

// Voice is an agent as those who talk with it know it.
type Voice struct {
	Agent   string `json:"agent"`
	Name    string `json:"name"`
	Picture string `json:"picture,omitempty"` // a sign, or two letters
}

// VoiceOf is an agent as those know it who talk with it.
func VoiceOf(a *flow.Agent) *Voice {
	return &Voice{Agent: a.ID, Name: a.Title, Picture: a.Picture}
}

// Plain tells whether the message is words alone.
func (m *Message) Plain() bool {
	return m.Picture == nil && m.File == nil && len(m.Buttons) == 0 && len(m.Layout) == 0 &&
		m.As == nil && !m.Cut
}

// Args are what a chat server's tool is given to post the message.
func (m *Message) Args(via *Via) map[string]any {
	args := maps.Clone(via.Args)
	args["text"] = m.Text
	if m.Picture != nil {
		args["picture"] = m.Picture
	}
	if m.File != nil {
		args["file"] = m.File
	}
	if len(m.Buttons) > 0 {
		args["buttons"] = texts(m.Buttons)
	}
	if len(m.Layout) > 0 {
		args["layout"] = m.Layout
	}
	if m.As != nil {
		args["as"] = map[string]any{"name": m.As.Name, "picture": m.As.Picture}
	}
	return args
}

// texts gives texts as a list of values.
func texts(all []string) []any {
	out := make([]any, len(all))
	for i, t := range all {
		out[i] = t
	}
	return out
}

// Asking is how far a question in the conversation is.
type Asking struct {
	Said  int   `json:"said"`            // messages written for it
	Tries int   `json:"tries,omitempty"` // answers that came
	Value any   `json:"value,omitempty"` // the answer that is looked up
	Phase Phase `json:"phase"`
}

// Phase is what a question waits for.
type Phase string

// The phases of a question.
const (
	Posting   Phase = "posting"   // a chat server takes the words
	Listening Phase = "listening" // somebody answers
	Finding   Phase = "finding"   // a tool looks the answer up
)
