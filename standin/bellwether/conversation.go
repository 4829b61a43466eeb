package bellwether

import (
	"encoding/json"
	"fmt"
)

// What is said in either protocol, in one form.
type (
	request struct {
		Model    string
		Messages []message
		Tools    []offer
		Schema   map[string]any // of the answer; nil is words
		Stream   bool
		Longest  int // tokens of the answer; 0 is any number
	}
	message struct {
		Role    string
		Content string // what is shown is told in it
		Calls   []toolCall
		CallID  string // of the call a tool's message answers
	}
	toolCall struct{ ID, Name, Arguments string }
	offer    struct {
		Name, Description string
		Parameters        map[string]any
	}
	// reply is the next message.
	reply struct {
		text  string
		calls []toolCall
		fault string
		cut   bool // it is as long as it may be, and would have been longer
	}
)

// answerTo gives the next message of a conversation.
func (s *server) answerTo(in *request) (reply, error) {
	rules, err := s.rules.all()
	if err != nil {
		return reply{}, err
	}
	out := think(in, rules)
	for i := range out.calls {
		out.calls[i].ID = fmt.Sprintf("call_%d", i+1)
	}
	if most := 4 * in.Longest; most > 0 && len(out.text) > most {
		out.text, out.calls, out.cut = out.text[:most], nil, true
	}
	return out, nil
}

// count estimates tokens: four bytes each. What stood in a request before, and so
// could be read from a cache, is all but what was said last.
func (in *request) count(out reply) (read, cached, written int) {
	for _, m := range in.Messages {
		n := len(m.Content) + 16
		for _, c := range m.Calls {
			n += len(c.Name) + len(c.Arguments)
		}
		read += n / 4
	}
	tools, err := json.Marshal(in.Tools)
	if err == nil {
		read += len(tools) / 4
	}
	if n := len(in.Messages); n > 2 {
		cached = read - len(in.Messages[n-1].Content)/4 - 8
	}
	length := len(out.text)
	for _, c := range out.calls {
		length += len(c.Name) + len(c.Arguments)
	}
	return read, max(0, cached), length/4 + 1
}
