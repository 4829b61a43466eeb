package page_test

import (
	"context"
	"errors"
	"strings"
	"testing"

	"woolsignal/server/confined"
	"woolsignal/server/confined/confinedtest"
	"woolsignal/server/page"
)

func TestMain(m *testing.M) { confinedtest.Main(m) }

// TestAPageThatTakesTooMuchEndsAlone has markup that a reader of ours would take
// gigabytes for, nested without end, and broken in other ways; what is read next
// is read as ever.
func TestAPageThatTakesTooMuchEndsAlone(t *testing.T) {
	pool := confinedtest.Pool(t)
	for name, html := range map[string]string{
		"reopened":  strings.Repeat("<p><b><i><u><s>", 300_000),
		"nested":    strings.Repeat("<div>", 2_000_000),
		"links":     strings.Repeat("<a href=x>", 500_000),
		"tables":    strings.Repeat("<table><tr>", 500_000),
		"one tag":   "<p " + strings.Repeat("a=1 ", 1_000_000),
		"entities":  strings.Repeat("&amp;&#x41;&notit;", 300_000),
		"no end":    "<!--" + strings.Repeat("-", 4_000_000),
		"no letter": strings.Repeat("\x00\xff", 1_000_000),
	} {
		words, err := page.Words(context.Background(), pool, html)
		if err != nil {
			t.Errorf("%s: %v", name, err)
		}
		if len(words) > 20<<20 {
			t.Errorf("%s: %d bytes of words", name, len(words))
		}
		if words, err := page.Words(context.Background(), pool, "<p>forty <b>fleeces</b>"); err != nil ||
			words != "forty fleeces" {
			t.Errorf("after %s: %q, %v", name, words, err)
		}
	}
	_, err := page.Read(context.Background(), pool, page.Wanted{HTML: "<p>", Selector: ":is(", Most: 1})
	if err == nil || errors.Is(err, confined.ErrBroke) || !strings.Contains(err.Error(), "no CSS selector") {
		t.Errorf("a selector that is none: %v", err)
	}
}
