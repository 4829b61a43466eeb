package model

import (
	"context"
	"encoding/json"
	"fmt"
	"strconv"
	"strings"

	"woolsignal/core/agent"
	"woolsignal/core/expr"
	"woolsignal/core/flow"
	"woolsignal/core/run"
)

// question is what a model is asked, with all that is the same however often it
// is asked and in whatever protocol.
type question struct {
	*run.Ask
	model   flow.Model
	names   map[string]string // a tool's name → the one on the wire
	calls   map[string]string // an ask's id → the one on the wire
	shown   map[string]shown  // blob → what is shown of it
	without func(field string) bool
}

// question makes ready what a model is asked.
func (s *Server) question(ctx context.Context, model flow.Model, ask *run.Ask) (*question, error) {
	q := &question{Ask: ask, model: model, names: map[string]string{}, calls: map[string]string{},
		without: func(field string) bool { _, refused := s.without.Load(model.Name + " " + field); return refused }}
	taken := map[string]bool{}
	for _, t := range ask.Tools {
		q.names[t.Name] = wireName(t.Name, taken)
	}
	for _, m := range ask.Messages {
		for _, a := range m.Asks {
			if q.names[a.Tool] == "" { // one it is offered no longer
				q.names[a.Tool] = wireName(a.Tool, taken)
			}
			q.calls[a.ID] = "call_" + strconv.Itoa(len(q.calls)+1)
		}
	}
	if len(ask.Tools) > 0 && !model.Can(flow.CallsTools) {
		return nil, fmt.Errorf("%s calls no tools, and is given %d: choose another model", ask.Model, len(ask.Tools))
	}
	var err error
	q.shown, err = s.load(ctx, model, ask)
	return q, err
}

// longestName is how long a tool's name may be on the wire.
const longestName = 64

// wireName writes a tool's name with the characters protocols allow.
func wireName(tool string, taken map[string]bool) string {
	name := strings.Map(func(r rune) rune {
		if r == '-' || r == '_' || r >= '0' && r <= '9' || r >= 'a' && r <= 'z' || r >= 'A' && r <= 'Z' {
			return r
		}
		return '_'
	}, strings.ReplaceAll(tool, "/", "__"))
	name = name[:min(len(name), longestName)]
	for n := 2; taken[name]; n++ {
		end := "_" + strconv.Itoa(n)
		name = name[:min(len(name), longestName-len(end))] + end
	}
	taken[name] = true
	return name
}

// tool is the name of a tool by the one on the wire; what is none stays as it is.
func (q *question) tool(wire string) string {
	for name, w := range q.names {
		if w == wire {
			return name
		}
	}
	return wire
}

// system is what the model is told of itself, with the schema of its answer in
// words: not every server holds an answer to one.
func (q *question) system() string {
	if q.Answer == nil {
		return q.System
	}
	text, err := json.Marshal(q.Answer)
	if err != nil {
		return q.System
	}
	return q.System + "\n\nAnswer with JSON that fits this schema, and nothing else:\n" + string(text)
}

// longest is how many tokens the answer may have.
func (q *question) longest() int {
	if q.LongestAnswer > 0 && q.LongestAnswer < q.model.LongestAnswer {
		return q.LongestAnswer
	}
	return q.model.LongestAnswer
}

// arguments are those of an ask as JSON; ok is false where the model wrote none.
func arguments(a agent.Request) (text json.RawMessage, ok bool) {
	if _, words := a.Args.(string); words {
		return nil, false
	}
	text, err := json.Marshal(a.Args)
	return text, err == nil
}

// read gives the arguments a model wrote: their value, or the text where that is
// no JSON.
func read(text string) any {
	if strings.TrimSpace(text) == "" {
		return map[string]any{}
	}
	v, err := expr.DecodeJSON([]byte(text))
	if err != nil {
		return text
	}
	return v
}
