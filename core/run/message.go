package run

import "maps"

// Message is something written in a conversation. Files are values as signals
// and tools carry them, or addresses.
type Message struct {
	Text    string   `json:"text,omitempty"`
	Picture any      `json:"picture,omitempty"`
	Buttons []string `json:"buttons,omitempty"`
	File    any      `json:"file,omitempty"`
	Layout  []any    `json:"layout,omitempty"` // parts of {heading, text, facts}
}

// Plain tells whether the message is words alone.
func (m *Message) Plain() bool {
	return m.Picture == nil && m.File == nil && len(m.Buttons) == 0 && len(m.Layout) == 0
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
