package intake

import (
	"encoding/json"
	"net/http"
	"sync"

	"woolsignal/server/problem"
)

// mostHearing bounds how many visitors hear words as they come; the others read them
// when they are all there.
const mostHearing = 2000

// hearing counts them.
type hearing struct {
	mu sync.Mutex // guards n
	n  int
}

func (h *hearing) enter() bool {
	h.mu.Lock()
	defer h.mu.Unlock()
	if h.n >= mostHearing {
		return false
	}
	h.n++
	return true
}

func (h *hearing) leave() {
	h.mu.Lock()
	defer h.mu.Unlock()
	h.n--
}

// heard is what a visitor is told while they wait: a piece of what is being said, or
// that something was said, and is to be read.
type heard struct {
	Piece string `json:"piece,omitempty"`
	Said  bool   `json:"said,omitempty"`
}

// Hear tells a visitor what is said in their conversation as it comes: lines of JSON
// (NDJSON). Only what is said as it is comes so; what somebody looks over first, or a
// workflow only reads, does not.
func (h *Hosted) Hear(w http.ResponseWriter, r *http.Request) {
	v, refusal := h.visited(r)
	if refusal == nil && !h.hearing.enter() {
		refusal = &problem.Details{Status: http.StatusTooManyRequests, Title: "Too many listen",
			Detail: "Read the messages instead."}
	}
	if refusal != nil {
		refusal.Write(w)
		return
	}
	defer h.hearing.leave()
	news, end := h.Engine.Hub.ListenTo(v.key())
	defer end()
	w.Header().Set("Content-Type", "application/x-ndjson")
	w.Header().Set("Cache-Control", "no-store")
	w.Header().Set("X-Accel-Buffering", "no")
	control, lines := http.NewResponseController(w), json.NewEncoder(w)
	if lines.Encode(heard{}) != nil || control.Flush() != nil {
		return
	}
	for {
		select {
		case n := <-news:
			var line heard
			switch {
			case n.Kind == "piece" && n.Aloud:
				line.Piece = n.Text
			case n.Kind == "message" || n.Kind == "resync":
				line.Said = true
			default:
				continue
			}
			if lines.Encode(line) != nil || control.Flush() != nil {
				return // who went away hears nothing
			}
		case <-r.Context().Done():
			return
		}
	}
}
