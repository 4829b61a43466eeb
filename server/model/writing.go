package model

import (
	"errors"
	"fmt"
	"strings"

	"woolsignal/core/agent"
)

// longestReply bounds what a model may write in one turn, in bytes of words and
// arguments.
const longestReply = 2 << 20

// errTooMuch says that it wrote more.
var errTooMuch = fmt.Errorf("it wrote more than %d MB, the most an answer may have; it was stopped", longestReply>>20)

// mostCalls is how many calls one turn may ask for.
const mostCalls = 64

// writing is a model's message as its pieces arrive.
type writing struct {
	say     func(string) // may be nil
	text    strings.Builder
	thought strings.Builder
	apart   apart
	calls   []*call
	turn    agent.Turn
	size    int
	ended   bool // it came to an end, whichever
}

// call is a tool call as its pieces arrive.
type call struct {
	place, id, name string
	args            strings.Builder
}

// room takes in a number of bytes, where they still fit.
func (w *writing) room(n int) error {
	if w.size += n; w.size > longestReply {
		return errTooMuch
	}
	return nil
}

// words takes in a piece of the answer's text, in which a model may think aloud.
func (w *writing) words(piece string) error {
	text, thought := w.apart.next(piece)
	w.put(text, thought)
	return w.room(len(piece))
}

// thinks takes in a piece of what the model writes to itself.
func (w *writing) thinks(piece string) error {
	w.thought.WriteString(piece)
	return w.room(len(piece))
}

func (w *writing) put(text, thought string) {
	w.thought.WriteString(thought)
	if w.text.Len() == 0 { // what stands between a thought and the answer is neither
		text = strings.TrimLeft(text, "\n")
	}
	if text == "" {
		return
	}
	w.text.WriteString(text)
	if w.say != nil {
		w.say(text)
	}
}

// piece is a part of a tool call, as servers send them: place is its number in the
// answer, "" where the server gives none.
type piece struct{ place, id, name, args string }

// asks takes in a part of a tool call. Servers number calls in many ways: not at
// all, all the same, with gaps; some say a call's id or name again with each part.
func (w *writing) asks(p piece) error {
	c := w.callOf(p)
	if c == nil {
		if len(w.calls) == mostCalls {
			return fmt.Errorf("it asks for more than %d calls at once; it was stopped", mostCalls)
		}
		c = &call{place: p.place}
		w.calls = append(w.calls, c)
	}
	if c.id == "" {
		c.id = p.id
	}
	if c.name != p.name {
		c.name += p.name
	}
	c.args.WriteString(p.args)
	return w.room(len(p.args) + len(p.name))
}

// callOf finds the call that a part goes on with; nil where it begins one.
func (w *writing) callOf(p piece) *call {
	for i := len(w.calls) - 1; i >= 0; i-- {
		c := w.calls[i]
		if c.place != p.place {
			continue
		}
		if p.id != "" && c.id != "" && p.id != c.id { // another call under the same number
			return nil
		}
		if p.id == "" && p.name != "" && complete(c.args.String()) { // a whole call, and the next without any number
			return nil
		}
		return c
	}
	return nil
}

// complete tells whether arguments are whole, so that nothing can follow them.
func complete(args string) bool {
	_, words := read(args).(string)
	return strings.TrimSpace(args) != "" && !words
}

// cut notes that the message is none to go by.
func (w *writing) cut(why agent.Cut) {
	if why != "" && w.turn.Cut == "" {
		w.turn.Cut = why
	}
	w.ended = true
}

// reply is the whole message. A message that did not come to its end is an error,
// never half an answer.
func (w *writing) reply(q *question) (Reply, error) {
	text, thought := w.apart.rest()
	w.put(text, thought)
	if !w.ended {
		return Reply{}, errors.New("its answer broke off before the end")
	}
	reply := Reply{Turn: w.turn, Message: agent.Message{Role: "assistant", Text: strings.TrimRight(w.text.String(),
		"\n"),
		Thought: strings.TrimSpace(w.thought.String())}}
	if reply.Turn.Model == "" {
		reply.Turn.Model = q.model.Name
	}
	if w.turn.Cut != "" { // what it asks for may be cut too
		return reply, nil
	}
	for _, c := range w.calls {
		if c.name == "" {
			return Reply{}, errors.New("it asks for a call without saying of which tool")
		}
		reply.Message.Asks = append(reply.Message.Asks,
			agent.Request{ID: c.id, Tool: q.tool(c.name), Args: read(c.args.String())})
	}
	if reply.Message.Text == "" && len(reply.Message.Asks) == 0 {
		return Reply{}, errors.New("it answered nothing")
	}
	return reply, nil
}
