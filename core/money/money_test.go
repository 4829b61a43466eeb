package money_test

import (
	"fmt"
	"testing"

	"woolsignal/core/money"
)

func TestCostIsExactInMillionths(t *testing.T) {
	price := money.Price{Input: 0.4, Output: 1.6}
	if got := price.Of(1000, 50); got != 480 {
		t.Errorf("1000 in and 50 out cost %d millionths, want 480", got)
	}
	if got := price.Of(1, 0); got != 1 {
		t.Errorf("part of a millionth costs %d, want 1", got)
	}
}

func ExampleMicros_Format() {
	fmt.Println(money.Micros(6100).Format("EUR"), money.Micros(1_250_000).Format("EUR"), money.Micros(0).Format("EUR"))
	// Output: 0.0061 EUR 1.25 EUR 0 EUR
}
