package agent

import (
	"fmt"
	"strings"

	"woolsignal/core/expr"
	"woolsignal/core/flow"
	"woolsignal/core/schema"
)

// MostAnswers is how often a model may answer before its answers are given up.
const MostAnswers = 3

// parseAnswer reads a model's words as what was asked for; a nil schema takes any
// words.
func parseAnswer(said string, wanted map[string]any) (any, error) {
	if wanted == nil {
		return said, nil
	}
	text := strings.TrimSpace(said)
	if inner, ok := strings.CutPrefix(text, "```"); ok { // many models fence their JSON
		inner = strings.TrimPrefix(inner, "json")
		text, _, _ = strings.Cut(inner, "```")
	}
	v, err := expr.DecodeJSON([]byte(text))
	if err != nil {
		return nil, fmt.Errorf("it is not JSON (%w)", err)
	}
	s, err := schema.Compile(wanted)
	if err != nil {
		return nil, err
	}
	return v, s.Validate(v)
}

// Correction tells a model what is wrong with its answer.
func Correction(err error) string {
	return "That does not fit: " + err.Error() + ". Answer again with JSON that fits the schema, and nothing else."
}

// Answer reads the model's last words as what the schema asks for, with the choices
// that were read for this task.
func (s *State) Answer(wanted *flow.Schema) (any, error) {
	return parseAnswer(s.Messages[len(s.Messages)-1].Text, wanted.With(s.Choices))
}

// CutShort says why the model's last message is none to go by; nil where it is one.
func (s *State) CutShort() *Failure {
	if len(s.Turns) == 0 {
		return nil
	}
	last := s.Turns[len(s.Turns)-1]
	if last.Cut == "" {
		return nil
	}
	at := "" // not every server counts
	if last.Output > 0 {
		at = fmt.Sprintf(" at %d tokens", last.Output)
	}
	why := map[Cut]string{
		CutLength: "its answer was cut off" + at + ", the longest it may be",
		CutWindow: "its window was full before its answer was done",
		CutFilter: "its server's filter cut the answer off", CutRefusal: "it refused to answer",
	}[last.Cut]
	return &Failure{string(last.Cut), "the model " + s.Model + " gave no answer: " + why}
}

// Reached is what an agent that was stopped had said last.
func (s *State) Reached() string {
	for i := len(s.Messages) - 1; i >= s.Recalled; i-- {
		if m := s.Messages[i]; m.Role == "assistant" && m.Text != "" {
			return m.Text
		}
	}
	return ""
}
