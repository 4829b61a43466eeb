// Package feed reads feeds (RSS, Atom, JSON Feed) in confined processes: whoever
// writes one may make it to trip its reader up.
package feed

import (
	"context"
	"encoding/json"
	"time"

	"github.com/mmcdole/gofeed"

	"woolsignal/server/confined"
	"woolsignal/server/page"
)

// longest is how long reading one feed may take.
const longest = 10 * time.Second

const readWork = "feed read"

func init() {
	confined.Register(readWork, func(_ time.Duration, in json.RawMessage) (any, error) {
		var text string
		if err := json.Unmarshal(in, &text); err != nil {
			return nil, err
		}
		return read(text)
	})
}

// mostItems bounds how many items of a feed are read, from its beginning.
const mostItems = 5000

// Feed is what a feed holds, its items in its own order.
type Feed struct {
	Title string
	Items []Item
}

// Item is one item. Where it has no id, ID is its link or its title.
type Item struct {
	ID, Title, Link, Author string
	Summary, Content        string // as words
	Published               string // RFC 3339; "" where it does not say when
}

// Value is an item as values carry it.
func (i Item) Value() map[string]any {
	return map[string]any{"id": i.ID, "title": i.Title, "link": i.Link, "summary": i.Summary, "content": i.Content,
		"author": i.Author, "published": i.Published}
}

// Read reads a feed. The error says what is wrong with it.
func Read(ctx context.Context, p *confined.Pool, text string) (Feed, error) {
	var out Feed
	return out, p.Do(ctx, readWork, longest, text, &out)
}

func read(text string) (Feed, error) {
	found, err := gofeed.NewParser().ParseString(text)
	if err != nil {
		return Feed{}, err
	}
	out := Feed{Title: found.Title, Items: []Item{}}
	for _, i := range found.Items[:min(len(found.Items), mostItems)] {
		out.Items = append(out.Items, item(i))
	}
	return out, nil
}

func item(i *gofeed.Item) Item {
	out := Item{ID: i.GUID, Title: i.Title, Link: i.Link, Summary: page.Text(i.Description),
		Content: page.Text(i.Content)}
	for _, other := range []string{i.Link, i.Title} {
		if out.ID == "" {
			out.ID = other
		}
	}
	if len(i.Authors) > 0 && i.Authors[0] != nil {
		out.Author = i.Authors[0].Name
	}
	for _, at := range []*time.Time{i.PublishedParsed, i.UpdatedParsed} {
		if at != nil && out.Published == "" {
			out.Published = at.Format(time.RFC3339)
		}
	}
	return out
}
