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
	Text     string `json:"text,omitempty"` // a piece of an answer that is being written
}

// Hub passes news to everybody who listens. A listener that is too slow is
// told to read everything anew rather than holding up a run.
type Hub struct {
	mu        sync.Mutex         // guards listeners
	listeners map[chan News]bool // true: it missed something
}

func newHub() *Hub { return &Hub{listeners: map[chan News]bool{}} }

// Listen gives a channel of news and a function that ends it.
func (h *Hub) Listen() (<-chan News, func()) {
	c := make(chan News, 256)
	h.mu.Lock()
	defer h.mu.Unlock()
	h.listeners[c] = false
	return c, func() {
		h.mu.Lock()
		defer h.mu.Unlock()
		if _, ok := h.listeners[c]; ok {
			delete(h.listeners, c)
			close(c)
		}
	}
}

// Tell passes something on to everybody who listens.
func (h *Hub) Tell(n News) {
	h.mu.Lock()
	defer h.mu.Unlock()
	for c, missed := range h.listeners {
		if missed {
			select {
			case c <- News{Kind: "resync"}:
				h.listeners[c] = false
			default:
				continue
			}
		}
		select {
		case c <- n:
		default:
			h.listeners[c] = true
		}
	}
}
