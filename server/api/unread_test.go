package api

import (
	"net/http/httptest"
	"strings"
	"testing"
)

// TestABodyThatCannotBeReadIsToldInWords sends what does not fit.
func TestABodyThatCannotBeReadIsToldInWords(t *testing.T) {
	type row struct {
		On     bool     `json:"on"`
		Words  []string `json:"words"`
		Weight *float64 `json:"weight"`
	}
	for sent, want := range map[string]string{
		`{"on": 1}`:             "on must be true or false, and is a number.",
		`{"words": {"a": "b"}}`: "words must be a list, and is an object.",
		`{"weight": "much"}`:    "weight must be a number, and is a string.",
		`[1]`:                   "The body must be a map, and is an array.",
		`{"on": true,}`:         "It is not JSON",
		`{"on": tr`:             "it ends too early",
		``:                      "There is no body",
		`{"off": true}`:         `unknown field "off"`,
		`{"on": true} {}`:       "there is more behind",
	} {
		_, err := decode[row](httptest.NewRequest("PUT", "/on", strings.NewReader(sent)))
		if err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%s: %v, want %q", sent, err, want)
		}
	}
}
