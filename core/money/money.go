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

// Price is what a model costs, in currency units per million tokens, which is
// the same number as millionths per token.
type Price struct{ Input, Output float64 }

// Of gives the cost of one call. Part of a millionth counts as a whole one.
func (p Price) Of(inputTokens, outputTokens int) Micros {
	return Micros(math.Ceil(p.Input*float64(inputTokens) + p.Output*float64(outputTokens)))
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
