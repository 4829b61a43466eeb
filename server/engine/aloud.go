package engine

import (
	"strings"
	"sync"

	"woolsignal/core/run"
	"woolsignal/server/vault"
)

// aloud keeps what is being said in each conversation and is not all there yet. One voice
// is heard at a time: another that begins meanwhile is told once it is whole.
type aloud struct {
	mu  sync.Mutex // guards all, and the words of every voice
	all map[string]*voice
}

// voice is a model that is writing.
type voice struct {
	engine *Engine
	errand run.Errand
	thread string
	aloud  bool // it is heard in the conversation
	gate   *vault.Stream
	words  strings.Builder
}

// speaks begins what a model writes. What anybody hears of it has passed the gate that
// records pass.
func (e *Engine) speaks(errand run.Errand, thread string, aloud bool, said []string) *voice {
	v := &voice{engine: e, errand: errand, thread: thread, gate: e.secrets.StreamFor(said)}
	if !aloud {
		return v
	}
	e.aloud.mu.Lock()
	defer e.aloud.mu.Unlock()
	if e.aloud.all == nil {
		e.aloud.all = map[string]*voice{}
	}
	if e.aloud.all[thread] == nil {
		e.aloud.all[thread], v.aloud = v, true
	}
	return v
}

// says tells a piece, as far as it may be told.
func (v *voice) says(piece string) { v.tell(v.gate.Next(piece)) }

// ends tells what was held back, and lets another be heard: what came of this one is
// taken in before anybody looks again, or is asked for anew. It gives what was heard in
// the conversation.
func (v *voice) ends() (heard string) {
	v.tell(v.gate.Rest())
	if !v.aloud {
		return ""
	}
	v.engine.aloud.mu.Lock()
	defer v.engine.aloud.mu.Unlock()
	delete(v.engine.aloud.all, v.thread)
	return v.words.String()
}

func (v *voice) tell(words string) {
	if words == "" {
		return
	}
	if v.aloud {
		v.add(words)
	}
	v.engine.Hub.Tell(News{Kind: "piece", Run: v.errand.Run, Thread: v.in(), Step: v.errand.Step,
		Call: v.errand.CallID, Text: words, Aloud: v.aloud})
}

// in is the conversation it is heard in.
func (v *voice) in() string {
	v.engine.aloud.mu.Lock()
	defer v.engine.aloud.mu.Unlock()
	return v.thread
}

func (v *voice) add(words string) {
	v.engine.aloud.mu.Lock()
	defer v.engine.aloud.mu.Unlock()
	v.words.WriteString(words)
}

// Saying is what is being said in a conversation, as far as it is there; "" where
// nothing is.
func (e *Engine) Saying(thread string) string {
	e.aloud.mu.Lock()
	defer e.aloud.mu.Unlock()
	if v := e.aloud.all[thread]; v != nil {
		return v.words.String()
	}
	return ""
}
