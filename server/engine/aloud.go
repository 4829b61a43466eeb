package engine

import (
	"strings"
	"sync"
)

// aloud keeps what is being said in each conversation and is not all there yet.
type aloud struct {
	mu  sync.Mutex // guards all
	all map[string]*strings.Builder
}

// begins forgets what a model had begun to say in a conversation.
func (a *aloud) begins(thread string) {
	a.mu.Lock()
	defer a.mu.Unlock()
	delete(a.all, thread)
}

// says adds a piece.
func (a *aloud) says(thread, piece string) {
	a.mu.Lock()
	defer a.mu.Unlock()
	if a.all == nil {
		a.all = map[string]*strings.Builder{}
	}
	if a.all[thread] == nil {
		a.all[thread] = &strings.Builder{}
	}
	a.all[thread].WriteString(piece)
}

// Saying is what is being said in a conversation, as far as it is there; "" where
// nothing is.
func (e *Engine) Saying(thread string) string {
	e.aloud.mu.Lock()
	defer e.aloud.mu.Unlock()
	if b := e.aloud.all[thread]; b != nil {
		return b.String()
	}
	return ""
}
