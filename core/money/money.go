// Package money prices model calls.
//
// Amounts are whole millionths of the workspace's currency, so that sums over
// many runs stay exact.
package money

import (
	"fmt"
	"math"
)

// Micros is an amount of money in millionths of a currency unit.
type Micros int64

// Use is what one turn of a model took, as its server counted it.
type Use struct {
	Input    int `json:"input,omitempty"`    // tokens read, those from its cache among them
	Cached   int `json:"cached,omitempty"`   // of which it had read lately
	Output   int `json:"output,omitempty"`   // tokens written
	Pictures int `json:"pictures,omitempty"` // shown to it
	Searches int `json:"searches,omitempty"` // it made by itself
}

// And is what two turns took together.
func (u Use) And(o Use) Use {
	return Use{u.Input + o.Input, u.Cached + o.Cached, u.Output + o.Output, u.Pictures + o.Pictures,
		u.Searches + o.Searches}
}

// Price is what a model costs: Input, Cached and Output in currency units per
// million tokens, which is the same number as millionths per token; Picture and
// Search in currency units for one.
type Price struct{ Input, Cached, Output, Picture, Search float64 }

// Of gives the cost of one turn. Part of a millionth counts as a whole one.
func (p Price) Of(u Use) Micros {
	tokens := p.Input*float64(u.Input-u.Cached) + p.Cached*float64(u.Cached) + p.Output*float64(u.Output)
	return Micros(math.Ceil(tokens + 1e6*(p.Picture*float64(u.Pictures)+p.Search*float64(u.Searches))))
}

// Units gives the amount in currency units.
func (m Micros) Units() float64 { return float64(m) / 1e6 }

// Format writes an amount for people: "0.0061 EUR".
func (m Micros) Format(currency string) string {
	if m == 0 {
		return "0 " + currency
	}
	if m > 0 && m < 100 {
		return "under 0.0001 " + currency
	}
	if m < 10_000 {
		return fmt.Sprintf("%.4f %s", m.Units(), currency)
	}
	return fmt.Sprintf("%.2f %s", m.Units(), currency)
}

// FromUnits gives an amount of currency units.
func FromUnits(units float64) Micros { return Micros(math.Round(units * 1e6)) }
