// Package register plays the Clip Register: growers and their deliveries,
// behind an API key and described by OpenAPI.
package register

import (
	_ "embed"
	"encoding/json"
	"fmt"
	"net/http"
	"slices"
	"sync"
	"unicode/utf8"

	"github.com/go-chi/chi/v5"

	"woolsignal/standin/ledger"
)

// Description is the register's OpenAPI description.
//
//go:embed openapi.json
var Description string

// Delivery is one row of the register.
type Delivery struct {
	ID        string  `json:"id"`
	Grower    string  `json:"grower"`
	Kg        float64 `json:"kg"`
	Shrinkage float64 `json:"shrinkage_percent"`
	Bales     int     `json:"bales"`
	Lane      string  `json:"lane"`
	Notes     string  `json:"notes"`
	Condition string  `json:"condition,omitempty"`
}

// growers are the farms of the co-operative, all made up.
var growers = []string{"Hollin Bank", "Skell Top", "Nettlecote", "Upper Swarth", "Cold Hause", "Bield Garth",
	"Thornthwaite Low", "Raven Gill"}

type server struct {
	key  string
	mu   sync.Mutex // guards what follows
	rows []Delivery
	kept map[string]Delivery // by idempotency key
	offers
}

// New makes the register; key is what it asks for in X-Register-Key.
func New(key string) http.Handler {
	s := &server{key: key, kept: map[string]Delivery{}}
	r := chi.NewRouter()
	r.Get("/openapi.json", func(w http.ResponseWriter, _ *http.Request) {
		w.Header().Set("Content-Type", "application/json")
		_, _ = w.Write([]byte(Description))
	})
	r.Group(func(r chi.Router) {
		r.Use(s.keyed)
		r.Get("/growers", func(w http.ResponseWriter, _ *http.Request) { answer(w, http.StatusOK, growers) })
		r.Get("/deliveries", s.list)
		r.Post("/deliveries", s.add)
		r.Get("/growers/{grower}/account", readAccount)
		r.Get("/holdings/{number}", findHolding)
		r.Get("/callers/{phone}", findCaller)
		r.Get("/lots", listLots)
		r.Get("/offers", s.listOffers)
		r.Post("/offers", s.postOffer)
		r.Put("/offers/{id}", s.rewordOffer)
		r.Delete("/offers/{id}", s.withdrawOffer)
	})
	return ledger.Wrap(r)
}

func (s *server) keyed(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if r.Header.Get("X-Register-Key") != s.key {
			refuse(w, http.StatusUnauthorized, "the key in X-Register-Key is missing or wrong")
			return
		}
		next.ServeHTTP(w, r)
	})
}

func (s *server) list(w http.ResponseWriter, r *http.Request) {
	s.mu.Lock()
	defer s.mu.Unlock()
	found := []Delivery{}
	for _, d := range s.rows {
		if g := r.URL.Query().Get("grower"); g == "" || g == d.Grower {
			found = append(found, d)
		}
	}
	answer(w, http.StatusOK, map[string]any{"deliveries": found})
}

// add keeps a delivery. The same Idempotency-Key gives the same row again.
func (s *server) add(w http.ResponseWriter, r *http.Request) {
	var d Delivery
	dec := json.NewDecoder(http.MaxBytesReader(w, r.Body, 64<<10))
	dec.DisallowUnknownFields()
	if err := dec.Decode(&d); err != nil {
		refuse(w, http.StatusBadRequest, err.Error())
		return
	}
	switch {
	case !slices.Contains(growers, d.Grower):
		refuse(w, http.StatusUnprocessableEntity, fmt.Sprintf("no grower is called %q", d.Grower))
		return
	case d.Kg <= 0:
		refuse(w, http.StatusUnprocessableEntity, "kg must be more than nothing")
		return
	case utf8.RuneCountInString(d.Lane) > 24:
		refuse(w, http.StatusUnprocessableEntity, "lane is at most 24 characters")
		return
	}
	key := r.Header.Get("Idempotency-Key")
	s.mu.Lock()
	defer s.mu.Unlock()
	if known, ok := s.kept[key]; ok && key != "" {
		answer(w, http.StatusOK, known)
		return
	}
	d.ID = fmt.Sprintf("D-%d", 20401+len(s.rows))
	s.rows = append(s.rows, d)
	if key != "" {
		s.kept[key] = d
	}
	answer(w, http.StatusCreated, d)
}

func answer(w http.ResponseWriter, status int, v any) {
	w.Header().Set("Content-Type", "application/json")
	w.WriteHeader(status)
	_ = json.NewEncoder(w).Encode(v)
}

func refuse(w http.ResponseWriter, status int, detail string) {
	w.Header().Set("Content-Type", "application/problem+json")
	w.WriteHeader(status)
	_ = json.NewEncoder(w).Encode(map[string]any{"title": http.StatusText(status), "status": status, "detail": detail})
}
