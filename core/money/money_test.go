package money_test

import (
	"fmt"
	"testing"

	"woolsignal/core/money"
)

func TestCostIsExactInMillionths(t *testing.T) {
	price := money.Price{Input: 0.4, Cached: 0.4, Output: 1.6}
	with := price
	with.Cached, with.Picture, with.Search = 0.1, 0.002, 0.01
	for _, c := range []struct {
		price money.Price
		use   money.Use
		want  money.Micros
	}{
		{price, money.Use{Input: 1000, Output: 50}, 480},
		{price, money.Use{Input: 1}, 1}, // part of a millionth is one
		{price, money.Use{Input: 1000, Cached: 800}, 400},
		{with, money.Use{Input: 1000, Cached: 800}, 160},
		{with, money.Use{Pictures: 2, Searches: 1}, 14_000},
		{money.Price{}, money.Use{Input: 1 << 40, Pictures: 9}, 0},
	} {
		if got := c.price.Of(c.use); got != c.want {
			t.Errorf("%+v at %+v cost %d millionths, want %d", c.use, c.price, got, c.want)
		}
	}
}

func ExampleMicros_Format() {
	fmt.Println(money.Micros(6100).Format("EUR"), money.Micros(1_250_000).Format("EUR"), money.Micros(0).Format("EUR"))
	// Output: 0.0061 EUR 1.25 EUR 0 EUR
}
