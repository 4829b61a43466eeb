package agent

import (
	"woolsignal/core/flow"
	"woolsignal/core/money"
)

// fewestTokens is the shortest answer worth asking for.
const fewestTokens = 32

// Affordable is how many tokens an answer may have so that a turn that reads some
// tokens costs no more than is left; ok is false where that is too little to ask at
// all. longest is what it may have in any case.
func Affordable(m flow.Model, read, pictures, longest int, left money.Micros) (tokens int, ok bool) {
	if longest == 0 {
		longest = m.LongestAnswer
	}
	price := m.Price()
	left -= price.Of(money.Use{Input: read, Pictures: pictures})
	if left < 0 {
		return 0, false
	}
	if price.Output > 0 {
		longest = min(longest, int(float64(left)/price.Output))
	}
	return longest, longest >= min(fewestTokens, m.LongestAnswer)
}
