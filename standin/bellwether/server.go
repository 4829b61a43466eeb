package bellwether

import (
	"encoding/json"
	"net/http"
	"slices"
	"strings"
	"time"

	"github.com/go-chi/chi/v5"

	"woolsignal/standin/ledger"
)

// Names are the models it offers: they differ in speed and skill.
var Names = []string{"bellwether-small", "bellwether-medium", "bellwether-large", "bellwether-embed"}

// small tells whether a model is the small one: it misses what need not be said, and
// mistakes what is near by.
func small(model string) bool { return model == "bellwether-small" }

// large tells whether a model is the large one.
func large(model string) bool { return model == "bellwether-large" }

// Options say how it behaves.
type Options struct {
	Key   string        // the token it asks for
	Pace  time.Duration // how long the medium model takes for a word, so that streaming can be seen
	Rules string        // a folder of rule files, read at every request; "" is none
}

// server answers in both protocols.
type server struct {
	Options
	rules rules
}

// New makes the server.
func New(o Options) http.Handler {
	s := &server{Options: o}
	s.rules.folder = o.Rules
	r := chi.NewRouter()
	r.Get("/_rules", s.rules.list)
	r.Put("/_rules", s.rules.put)
	r.Group(func(r chi.Router) {
		r.Use(s.known)
		r.Get("/v1/models", s.models)
		r.Post("/v1/chat/completions", s.complete)
		r.Post("/v1/messages", s.message)
		r.Post("/v1/embeddings", s.embed)
	})
	return ledger.Wrap(r)
}

// known asks for the key, in the way of either protocol.
func (s *server) known(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if r.Header.Get("Authorization") != "Bearer "+s.Key && r.Header.Get("X-Api-Key") != s.Key {
			refuse(w, http.StatusUnauthorized, "the key is missing or wrong")
			return
		}
		next.ServeHTTP(w, r)
	})
}

func (s *server) models(w http.ResponseWriter, _ *http.Request) {
	var data []any
	for _, n := range Names {
		data = append(data, map[string]any{"id": n, "object": "model", "owned_by": "larkrigg"})
	}
	answer(w, map[string]any{"object": "list", "data": data})
}

func answer(w http.ResponseWriter, v any) {
	w.Header().Set("Content-Type", "application/json")
	_ = json.NewEncoder(w).Encode(v) // who went away reads nothing
}

func refuse(w http.ResponseWriter, status int, text string) {
	w.Header().Set("Content-Type", "application/json")
	w.WriteHeader(status)
	_ = json.NewEncoder(w).Encode(map[string]any{"type": "error", "error": map[string]any{"message": text,
		"type": "invalid_request_error"}})
}

// longestRequest bounds what it is sent, in bytes: pictures and PDFs travel as text.
const longestRequest = 40 << 20

// take reads a request; false says that it was refused.
func take(w http.ResponseWriter, r *http.Request, into any) bool {
	if err := json.NewDecoder(http.MaxBytesReader(w, r.Body, longestRequest)).Decode(into); err != nil {
		refuse(w, http.StatusBadRequest, err.Error())
		return false
	}
	return true
}

// offers tells whether it has a model, and refuses where not.
func offers(w http.ResponseWriter, model string, embeds bool) bool {
	if !slices.Contains(Names, model) || strings.HasSuffix(model, "embed") != embeds {
		refuse(w, http.StatusNotFound, "there is no model "+model+" for this")
		return false
	}
	return true
}

// paceOf is how long a model takes for a word.
func (s *server) paceOf(model string) time.Duration {
	switch {
	case small(model):
		return s.Pace / 2
	case large(model):
		return 2 * s.Pace
	}
	return s.Pace
}
