package agent

import (
	"encoding/json"
	"unicode/utf8"

	"woolsignal/core/flow"
)

// Fill is what fills a model's window in one turn, in tokens as far as they can be
// told before its server counts them.
type Fill struct {
	Told   int `json:"told,omitempty"`   // its instructions, the moment and what it knows
	Tools  int `json:"tools,omitempty"`  // what it may use
	Memory int `json:"memory,omitempty"` // what it remembers of before
	Task   int `json:"task,omitempty"`   // the task, and all since
}

// All is the sum.
func (f Fill) All() int { return f.Told + f.Tools + f.Memory + f.Task }

// What a file takes of a window, roughly: servers count them in ways of their own.
const (
	pictureTokens = 1500
	fileBytes     = 20 // of a document for one token
)

// Tokens estimates how many tokens a text is, rather too many than too few: letters
// of other scripts than ours are a token each.
func Tokens(text string) int {
	letters := utf8.RuneCountInString(text)
	return max((len(text)+3)/4, letters/4+(len(text)-letters)/2)
}

// Tokens estimates how many tokens a message is.
func (m Message) Tokens() int {
	n := 4 + Tokens(m.Text)
	if m.From != "" {
		n += 2 + Tokens(m.From)
	}
	for _, a := range m.Asks {
		args, err := json.Marshal(a.Args)
		if err == nil {
			n += 8 + Tokens(a.Tool) + Tokens(string(args))
		}
	}
	for _, f := range m.Files {
		if f.IsPicture() {
			n += pictureTokens
		} else {
			n += int(f.Size / fileBytes)
		}
	}
	return n
}

// ToolTokens estimates what tools take of a window.
func ToolTokens(grants []Grant) int {
	n := 0
	for _, g := range grants {
		n += OfferTokens(g.Tool, g.Spec.Description, g.Offered())
	}
	return n
}

// OfferTokens estimates what one tool takes that a model is offered.
func OfferTokens(name, description string, schema map[string]any) int {
	text, err := json.Marshal(schema)
	if err != nil {
		return 0 // it came out of JSON
	}
	return 8 + Tokens(name) + Tokens(description) + Tokens(string(text))
}

// Measure says what the next turn reads, with a number of the oldest remembered
// messages left out so that the answer still fits the model's window; fits is false
// where that is not enough. An estimate is held against what the server counted of
// the turn before.
func (s *State) Measure(model flow.Model, tools int) (fill Fill, leftOut int, fits bool) {
	fill = Fill{Told: Tokens(s.System), Tools: tools}
	for _, m := range s.known() {
		fill.Told += m.Tokens()
	}
	for i, m := range s.Messages[s.From:] {
		if i+s.From < s.Recalled {
			fill.Memory += m.Tokens()
		} else {
			fill.Task += m.Tokens()
		}
	}
	if model.Window == 0 {
		return fill, 0, true
	}
	room := int(float64(model.Window-model.LongestAnswer) / s.scale())
	for s.From == 0 && leftOut < s.Recalled && fill.All() > room {
		fill.Memory -= s.Messages[leftOut].Tokens()
		leftOut++
		for leftOut < s.Recalled && s.Messages[leftOut].Role != "user" { // an exchange goes as a whole
			fill.Memory -= s.Messages[leftOut].Tokens()
			leftOut++
		}
	}
	return fill, leftOut, fill.All() <= room
}

// scale is how many tokens the server counted for one that was estimated.
func (s *State) scale() float64 {
	if n := len(s.Turns); n > 0 {
		if last := s.Turns[n-1]; last.Fill.All() > 0 && last.Input > 0 {
			return max(float64(last.Input)/float64(last.Fill.All()), 0.25)
		}
	}
	return 1
}
