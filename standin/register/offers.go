package register

import (
	"encoding/json"
	"fmt"
	"net/http"
	"slices"

	"github.com/go-chi/chi/v5"
)

// Offer is one lot offered to one mill on the board the mills read.
type Offer struct {
	ID    string  `json:"id"`
	Mill  string  `json:"mill"`
	Lot   string  `json:"lot"`
	Price float64 `json:"price_per_kg"`
	Words string  `json:"words"`
	State string  `json:"state"`
}

// offers is the board. The server's mutex guards it.
type offers struct {
	board []*Offer
	made  map[string]*Offer // by idempotency key
}

func (s *server) listOffers(w http.ResponseWriter, _ *http.Request) {
	s.mu.Lock()
	defer s.mu.Unlock()
	answer(w, http.StatusOK, map[string]any{"offers": slices.Concat([]*Offer{}, s.board)})
}

func (s *server) postOffer(w http.ResponseWriter, r *http.Request) {
	var o Offer
	if err := json.NewDecoder(http.MaxBytesReader(w, r.Body, 64<<10)).Decode(&o); err != nil {
		refuse(w, http.StatusBadRequest, err.Error())
		return
	}
	if o.Mill == "" || o.Lot == "" || o.Price <= 0 {
		refuse(w, http.StatusUnprocessableEntity, "an offer names a mill, a lot and a price")
		return
	}
	key := r.Header.Get("Idempotency-Key")
	s.mu.Lock()
	defer s.mu.Unlock()
	if known := s.made[key]; known != nil && key != "" {
		answer(w, http.StatusCreated, known)
		return
	}
	o.ID, o.State = fmt.Sprintf("OF-%d", 701+len(s.board)), "open"
	s.board = append(s.board, &o)
	if s.made == nil {
		s.made = map[string]*Offer{}
	}
	s.made[key] = &o
	answer(w, http.StatusCreated, o)
}

func (s *server) rewordOffer(w http.ResponseWriter, r *http.Request) {
	var in struct{ Words string }
	if err := json.NewDecoder(http.MaxBytesReader(w, r.Body, 64<<10)).Decode(&in); err != nil {
		refuse(w, http.StatusBadRequest, err.Error())
		return
	}
	s.change(w, r, func(o *Offer) { o.Words = in.Words })
}

func (s *server) withdrawOffer(w http.ResponseWriter, r *http.Request) {
	s.change(w, r, func(o *Offer) { o.State = "withdrawn" })
}

func (s *server) change(w http.ResponseWriter, r *http.Request, how func(*Offer)) {
	s.mu.Lock()
	defer s.mu.Unlock()
	for _, o := range s.board {
		if o.ID == chi.URLParam(r, "id") {
			how(o)
			answer(w, http.StatusOK, o)
			return
		}
	}
	refuse(w, http.StatusNotFound, "there is no such offer")
}
