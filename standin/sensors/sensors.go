// Package sensors plays the gauges in the wool stores: one reading a store,
// which anybody may set. They speak the Model Context Protocol at /mcp, and
// plain HTTP described by OpenAPI.
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

// Gauges are the gauges of both stores.
type Gauges struct {
	mu     sync.Mutex // guards what follows
	stores map[string]Reading
}

// NewGauges makes them, with fair weather.
func NewGauges() *Gauges {
	return &Gauges{stores: map[string]Reading{"north": {"north", 58, 9.5}, "south": {"south", 54.5, 10}}}
}

func (g *Gauges) read(store string) (Reading, bool) {
	g.mu.Lock()
	defer g.mu.Unlock()
	r, ok := g.stores[store]
	return r, ok
}

func (g *Gauges) set(r Reading) {
	g.mu.Lock()
	defer g.mu.Unlock()
	g.stores[r.Store] = r
}

// New serves the gauges. PUT /stores/{store} sets a reading.
func New() http.Handler {
	g := NewGauges()
	r := chi.NewRouter()
	r.Get("/stores/{store}", func(w http.ResponseWriter, r *http.Request) {
		reading, ok := g.read(chi.URLParam(r, "store"))
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
		reading.Store = chi.URLParam(r, "store")
		g.set(reading)
		w.WriteHeader(http.StatusNoContent)
	})
	r.Handle("/mcp", g.handler())
	return ledger.Wrap(r)
}
