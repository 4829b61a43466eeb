package tool

import (
	"context"
	"fmt"
	"io"
	"mime"
	"net/http"
	"strings"
	"time"

	"github.com/mmcdole/gofeed"
	"golang.org/x/net/html/charset"

	"woolsignal/core/flow"
	"woolsignal/core/protocol"
	"woolsignal/server/egress"
	"woolsignal/server/page"
)

// web reads public pages and feeds.
type web struct {
	client *http.Client
	title  string
}

func (k *Kit) webOperations(_ *flow.Workspace, c *flow.Connection) ([]*Operation, error) {
	w := &web{egress.Reader(c.ID, c.Is.(*protocol.Web).Hosts, c.Networks), c.Title}
	address := prop("string", "The page's address", "format", "uri")
	element := result(map[string]any{"text": prop("string", ""), "markup": prop("string", ""),
		"link": prop("string", "")})
	item := result(map[string]any{"id": prop("string", ""), "title": prop("string", ""), "link": prop("string", ""),
		"summary": prop("string", ""),
		"content": prop("string", ""), "author": prop("string", ""), "published": prop("string", "")})
	all := []*Operation{
		operation(c.ID, c.Title, "read_page", "Reads a page as text, Markdown or markup.",
			object([]any{"address"}, map[string]any{"address": address,
				"as": prop("string", "In what form", "enum", []any{"text", "markdown", "markup"})}),
			result(map[string]any{"title": prop("string", ""), "address": prop("string", "Where it really was"),
				"content": prop("string", "")}), reads, w.readPage),
		operation(c.ID, c.Title, "pick", "Picks the parts of a page that a CSS selector names.",
			object([]any{"address", "selector"}, map[string]any{"address": address,
				"selector": prop("string", "Such as table.prices tr"),
				"most":     prop("integer", "How many at most", "minimum", 1.0, "maximum", 500.0)}),
			result(map[string]any{"parts": listOf(element, "")}), reads, w.pick),
		operation(c.ID, c.Title, "read_feed", "Reads an RSS or Atom feed, newest first.",
			object([]any{"address"}, map[string]any{"address": address,
				"most": prop("integer", "How many items at most", "minimum", 1.0, "maximum", 200.0)}),
			result(map[string]any{"title": prop("string", ""), "items": listOf(item, "")}), reads, w.readFeed),
	}
	for _, op := range all {
		op.OpenWorld = true
	}
	return all, nil
}

// Fetch reads an address through a reader of the web and gives what it holds
// as UTF-8, where it really was, and its media type.
func Fetch(ctx context.Context, client *http.Client, title, address string) (body, at, kind string, err error) {
	ctx, cancel := context.WithTimeout(ctx, 30*time.Second)
	defer cancel()
	request, err := http.NewRequestWithContext(ctx, http.MethodGet, address, nil)
	if err != nil {
		return "", "", "", &RefusedError{Message: fmt.Sprintf("%q is not a web address", address)}
	}
	request.Header.Set("User-Agent", "woolsignal")
	response, err := client.Do(request)
	if err != nil {
		return "", "", "", fmt.Errorf("%s: %w", title, err)
	}
	defer response.Body.Close()
	kind, _, _ = mime.ParseMediaType(response.Header.Get("Content-Type"))
	var from io.Reader = response.Body
	if strings.HasPrefix(kind, "text/html") {
		if decoded, err := charset.NewReader(response.Body, response.Header.Get("Content-Type")); err == nil {
			from = decoded
		}
	}
	data, err := io.ReadAll(from)
	if err != nil {
		return "", "", "", fmt.Errorf("%s: its answer broke off: %w", title, err)
	}
	if err := answerError(address, response, data); err != nil {
		return "", "", "", err
	}
	return string(data), response.Request.URL.String(), kind, nil
}

// readable insists on something that can be read as words.
func readable(address, kind string) error {
	if kind == "" || strings.HasPrefix(kind, "text/") || strings.Contains(kind, "xml") ||
		strings.Contains(kind, "json") {
		return nil
	}
	return &RefusedError{Message: fmt.Sprintf("%s holds %s, which is no page of words", address, kind)}
}

func (w *web) readPage(ctx context.Context, args map[string]any, _ Sending) (any, error) {
	body, at, kind, err := Fetch(ctx, w.client, w.title, text(args, "address"))
	if err == nil {
		err = readable(at, kind)
	}
	if err != nil {
		return nil, err
	}
	out := map[string]any{"title": page.Title(body), "address": at, "content": body}
	switch as := text(args, "as"); {
	case !strings.Contains(kind, "html") || as == "markup":
	case as == "markdown":
		if out["content"], err = page.Markdown(body, at); err != nil {
			return nil, &RefusedError{Message: err.Error()}
		}
	default:
		out["content"] = page.Text(body)
	}
	return out, nil
}

func (w *web) pick(ctx context.Context, args map[string]any, _ Sending) (any, error) {
	body, at, kind, err := Fetch(ctx, w.client, w.title, text(args, "address"))
	if err == nil {
		err = readable(at, kind)
	}
	if err != nil {
		return nil, err
	}
	found, err := page.Select(body, text(args, "selector"), at, whole(args, "most", 100))
	if err != nil {
		return nil, &RefusedError{Message: err.Error()}
	}
	parts := []any{}
	for _, e := range found {
		parts = append(parts, map[string]any{"text": e.Text, "markup": e.Markup, "link": e.Link})
	}
	return map[string]any{"parts": parts}, nil
}

func (w *web) readFeed(ctx context.Context, args map[string]any, _ Sending) (any, error) {
	body, _, _, err := Fetch(ctx, w.client, w.title, text(args, "address"))
	if err != nil {
		return nil, err
	}
	feed, err := ParseFeed(text(args, "address"), body)
	if err != nil {
		return nil, err
	}
	items := []any{}
	for _, i := range feed.Items[:min(len(feed.Items), whole(args, "most", 20))] {
		items = append(items, FeedItem(i))
	}
	return map[string]any{"title": feed.Title, "items": items}, nil
}

// ParseFeed reads an RSS, Atom or JSON feed.
func ParseFeed(address, body string) (*gofeed.Feed, error) {
	feed, err := gofeed.NewParser().ParseString(body)
	if err != nil {
		return nil, &RefusedError{Message: fmt.Sprintf("%s holds no feed: %v", address, err)}
	}
	return feed, nil
}

// FeedItem is an item of a feed as values carry it. An item without an id is
// told by its link, else by its title.
func FeedItem(i *gofeed.Item) map[string]any {
	id := i.GUID
	for _, other := range []string{i.Link, i.Title} {
		if id == "" {
			id = other
		}
	}
	author := ""
	if len(i.Authors) > 0 {
		author = i.Authors[0].Name
	}
	published := ""
	if i.PublishedParsed != nil {
		published = i.PublishedParsed.Format(time.RFC3339)
	} else if i.UpdatedParsed != nil {
		published = i.UpdatedParsed.Format(time.RFC3339)
	}
	return map[string]any{"id": id, "title": i.Title, "link": i.Link, "summary": page.Text(i.Description),
		"content": page.Text(i.Content), "author": author, "published": published}
}
