package feed_test

import (
	"context"
	"testing"

	"woolsignal/core/fuzztest"
	"woolsignal/server/confined/confinedtest"
	"woolsignal/server/feed"
)

// FuzzFeed reads feeds of any kind; whatever they do, the next is read.
func FuzzFeed(fuzzed *testing.F) {
	f := fuzztest.New(fuzzed)
	f.Add(three)
	f.Add(`<feed xmlns="http://www.w3.org/2005/Atom"><title>x</title><entry><id>1</id><author/></entry></feed>`)
	f.Add(`{"version": "https://jsonfeed.org/version/1.1", "items": [{"id": 1, "authors": [null]}, null]}`)
	f.Add(`<!DOCTYPE r [<!ENTITY a "&a;">]><rss version="2.0"><channel><item><title>&a;</title></item></channel></rss>`)
	pool := confinedtest.Pool(f)
	f.Fuzz(func(t *testing.T, text string) {
		_, _ = feed.Read(context.Background(), pool, text)
		if got, err := feed.Read(context.Background(), pool, three); err != nil || len(got.Items) != 3 {
			t.Errorf("the next feed is %+v, %v", got, err)
		}
	})
}
