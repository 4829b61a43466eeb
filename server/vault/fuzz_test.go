package vault

import (
	"strings"
	"testing"

	"woolsignal/core/fuzztest"
)

// FuzzMask hides a secret in a text it stands in: it is gone, and what is hidden
// once has nothing more to hide.
func FuzzMask(fuzzed *testing.F) {
	f := fuzztest.New(fuzzed)
	f.Add("key=", "clip-key-8812", "&x=1")
	f.Add("ab", "aaaaaa", "aaaa")
	f.Add("••", "••••••", "•")
	f.Add(`{"a":"`, "with \"quotes\"", `"}`)
	f.Fuzz(func(t *testing.T, before, secret, after string) {
		if len(secret) < shortest || strings.Contains(blot, secret) || strings.Contains(secret, "•") {
			return
		}
		hidden := blots(map[kept]string{{name: "peer"}: secret}).hide(before + secret + after)
		if strings.Contains(hidden, secret) {
			t.Errorf("%q is hidden as %q", secret, hidden)
		}
	})
}
