// Package sensors plays the gauges in the wool stores: one reading a store,
// which anybody may set.
package sensors

import (
	_ "embed"
	"encoding/json"
	"net/http"
	"sync"

	"github.com/go-chi/chi/v5"

	"woolsignal/standin/ledger"
)

// Description is the gauges' OpenAPI description.
//
//go:embed openapi.json
var Description string

// Reading is the air of one store.
type Reading struct {
	Store       string  `json:"store"`
	Humidity    float64 `json:"humidity_percent"`
	Temperature float64 `json:"temperature_celsius"`
}

// New makes the gauges. PUT /stores/{store} sets a reading.
func New() http.Handler {
	var mu sync.Mutex
	stores := map[string]Reading{
		"north": {"north", 58, 9.5}, "south": {"south", 54.5, 10},
	}
	r := chi.NewRouter()
	r.Get("/stores/{store}", func(w http.ResponseWriter, r *http.Request) {
		mu.Lock()
		defer mu.Unlock()
		reading, ok := stores[chi.URLParam(r, "store")]
		if !ok {
			http.Error(w, `{"detail":"there is no such store"}`, http.StatusNotFound)
			return
		}
		w.Header().Set("Content-Type", "application/json")
		_ = json.NewEncoder(w).Encode(reading)
	})
	r.Put("/stores/{store}", func(w http.ResponseWriter, r *http.Request) {
		var reading Reading
		if err := json.NewDecoder(r.Body).Decode(&reading); err != nil {
			http.Error(w, err.Error(), http.StatusBadRequest)
			return
		}
		mu.Lock()
		defer mu.Unlock()
		reading.Store = chi.URLParam(r, "store")
		stores[reading.Store] = reading
		w.WriteHeader(http.StatusNoContent)
	})
	return ledger.Wrap(r)
}
