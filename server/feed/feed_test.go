package feed_test

import (
	"context"
	"strings"
	"testing"

	"woolsignal/server/confined/confinedtest"
	"woolsignal/server/feed"
)

func TestMain(m *testing.M) { confinedtest.Main(m) }

const three = `<rss version="2.0"><channel><title>Fell Gazette</title>
<item><title>Wool is up</title><link>https://gazette.example/1</link><guid>g-1</guid>
<pubDate>Mon, 23 Nov 2026 08:00:00 GMT</pubDate><description>&lt;p&gt;By &lt;b&gt;four&lt;/b&gt;.</description></item>
<item><title>No id</title><link>https://gazette.example/2</link></item><item><title>No link</title></item>
</channel></rss>`

func TestAFeedIsReadAsItems(t *testing.T) {
	got, err := feed.Read(context.Background(), confinedtest.Pool(t), three)
	if err != nil || got.Title != "Fell Gazette" || len(got.Items) != 3 {
		t.Fatalf("%+v %v", got, err)
	}
	if i := got.Items[0]; i.ID != "g-1" || i.Summary != "By four." || i.Published != "2026-11-23T08:00:00Z" {
		t.Errorf("the first is %+v", i)
	}
	if got.Items[1].ID != "https://gazette.example/2" || got.Items[2].ID != "No link" {
		t.Errorf("without an id they are %q and %q", got.Items[1].ID, got.Items[2].ID)
	}
}

// TestAFeedThatTakesTooMuchEndsAlone has feeds that are broken, nested without
// end, or full of markup.
func TestAFeedThatTakesTooMuchEndsAlone(t *testing.T) {
	pool := confinedtest.Pool(t)
	rss := func(inner string) string { return "<rss version='2.0'><channel><title>x</title>" + inner }
	for name, text := range map[string]string{
		"nothing": "", "no feed": "<html></html>", "cut": three[:300],
		"nested":   rss(strings.Repeat("<a>", 1_000_000)),
		"items":    rss(strings.Repeat("<item><title>x</title></item>", 200_000) + "</channel></rss>"),
		"markup":   rss("<item><description>" + strings.Repeat("&lt;p&gt;&lt;b&gt;&lt;i&gt;", 200_000)),
		"entities": `<!DOCTYPE r [<!ENTITY a "aaaaaaaaaa"><!ENTITY b "&a;&a;&a;&a;">]>` + rss("<item><title>&b;"),
		"JSON":     `{"version": "https://jsonfeed.org/version/1", "items": [` + strings.Repeat("[", 100_000),
	} {
		if got, err := feed.Read(context.Background(), pool, text); err == nil && len(got.Items) > 5000 {
			t.Errorf("%s: %d items", name, len(got.Items))
		}
		if got, err := feed.Read(context.Background(), pool, three); err != nil || len(got.Items) != 3 {
			t.Errorf("after %s: %+v %v", name, got, err)
		}
	}
}
