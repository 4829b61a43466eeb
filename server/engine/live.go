package engine

import (
	"sync"
)

// News is something that changed, for whoever watches live.
type News struct {
	Kind     string `json:"kind"` // run, review, message, piece, workspace, or resync when some were missed
	Run      string `json:"run,omitempty"`
	Workflow string `json:"workflow,omitempty"`
	Thread   string `json:"thread,omitempty"`
	Status   string `json:"status,omitempty"`
	Step     string `json:"step,omitempty"`
	Call     string `json:"call,omitempty"` // of an agent in the step
	Text     string `json:"text,omitempty"` // a piece of an answer that is being written
	Aloud    bool   `json:"-"`              // … which is said in the conversation as it is
}

// Hub passes news to everybody who listens. A listener that is too slow is
// told to read everything anew rather than holding up a run.
type Hub struct {
	mu        sync.Mutex // guards listeners
	listeners listeners
	// of one conversation, by its key: many may listen, each to little
	threads map[string]listeners
}

// listeners are those who listen; true says that one missed something.
type listeners map[chan News]bool

func newHub() *Hub { return &Hub{listeners: listeners{}, threads: map[string]listeners{}} }

// Listen gives a channel of news and a function that ends it.
func (h *Hub) Listen() (<-chan News, func()) {
	c := make(chan News, 256)
	h.mu.Lock()
	defer h.mu.Unlock()
	h.listeners[c] = false
	return c, func() {
		h.mu.Lock()
		defer h.mu.Unlock()
		delete(h.listeners, c)
	}
}

// ListenTo is Listen for the news of one conversation.
func (h *Hub) ListenTo(thread string) (<-chan News, func()) {
	c := make(chan News, 32)
	h.mu.Lock()
	defer h.mu.Unlock()
	if h.threads[thread] == nil {
		h.threads[thread] = listeners{}
	}
	h.threads[thread][c] = false
	return c, func() {
		h.mu.Lock()
		defer h.mu.Unlock()
		for thread, all := range h.threads { // it may be called otherwise by now
			if _, here := all[c]; here {
				if delete(all, c); len(all) == 0 {
					delete(h.threads, thread)
				}
				return
			}
		}
	}
}

// Tell passes something on to everybody who listens.
func (h *Hub) Tell(n News) {
	h.mu.Lock()
	defer h.mu.Unlock()
	h.listeners.tell(n)
	h.threads[n.Thread].tell(n)
}

func (l listeners) tell(n News) {
	for c, missed := range l {
		if missed {
			select {
			case c <- News{Kind: "resync"}:
				l[c] = false
			default:
				continue
			}
		}
		select {
		case c <- n:
		default:
			l[c] = true
		}
	}
}
