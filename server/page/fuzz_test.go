package page_test

import (
	"context"
	"strings"
	"testing"

	"woolsignal/core/fuzztest"
	"woolsignal/server/confined/confinedtest"
	"woolsignal/server/page"
)

// FuzzPage reads markup and selectors; whatever they do, the next page is read.
func FuzzPage(fuzzed *testing.F) {
	f := fuzztest.New(fuzzed)
	f.Add("<p>forty <b>fleeces</b>", "b")
	f.Add(strings.Repeat("<p><b><i>", 1000), "p:has(> b)")
	f.Add("<table><tr><td><table></table><a href='//x:y'>", "a[href]:not(:nth-child(2n+1))")
	f.Add("<svg><style><!--</style><title>&lt;", ":is(")
	pool := confinedtest.Pool(f)
	f.Fuzz(func(t *testing.T, html, selector string) {
		for _, as := range []string{"text", "markdown"} {
			_, _ = page.Read(context.Background(), pool, page.Wanted{HTML: html, As: as, Address: "https://a.example/",
				Selector: selector, Most: 10})
		}
		if words, err := page.Words(context.Background(), pool, "<p>still here"); err != nil || words != "still here" {
			t.Errorf("the next page is %q, %v", words, err)
		}
	})
}
