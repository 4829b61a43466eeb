package web

import (
	"context"
	"fmt"
	"io"
	"mime"
	"net/http"
	"slices"
	"strings"
	"time"

	"github.com/mmcdole/gofeed"
	"golang.org/x/net/html/charset"

	"woolsignal/core/flow"
	"woolsignal/core/protocol"
	"woolsignal/server/egress"
	"woolsignal/server/page"
	"woolsignal/server/tool"
)

// web reads public pages and feeds.
type web struct {
	client *http.Client
	title  string
}

func operations(k *tool.Kit, _ *flow.Workspace, c *flow.Connection) ([]*tool.Operation, error) {
	w := &web{egress.Reader(c.ID, c.Is.(*protocol.Web).Hosts, c.Networks), c.Title}
	address := tool.Prop("string", "The page's address", "format", "uri")
	element := tool.Result(map[string]any{"text": tool.Prop("string", ""), "markup": tool.Prop("string", ""),
		"link": tool.Prop("string", "")})
	item := tool.Result(map[string]any{"id": tool.Prop("string", ""), "title": tool.Prop("string", ""),
		"link":    tool.Prop("string", ""),
		"summary": tool.Prop("string", ""),
		"content": tool.Prop("string", ""), "author": tool.Prop("string", ""), "published": tool.Prop("string", "")})
	all := []*tool.Operation{
		tool.NewOperation(c.ID, c.Title, "read_page", "Reads a page as text, Markdown or markup.",
			tool.Object([]any{"address"}, map[string]any{"address": address,
				"as": tool.Prop("string", "In what form", "enum", []any{"text", "markdown", "markup"})}),
			tool.Result(map[string]any{"title": tool.Prop("string", ""),
				"address": tool.Prop("string", "Where it really was"),
				"content": tool.Prop("string", "")}), tool.Reads, w.readPage),
		tool.NewOperation(c.ID, c.Title, "pick", "Picks the parts of a page that a CSS selector names.",
			tool.Object([]any{"address", "selector"}, map[string]any{"address": address,
				"selector": tool.Prop("string", "Such as table.prices tr"),
				"most":     tool.Prop("integer", "How many at most", "minimum", 1.0, "maximum", 500.0)}),
			tool.Result(map[string]any{"parts": tool.ListOf(element, "")}), tool.Reads, w.pick),
		tool.NewOperation(c.ID, c.Title, "read_feed", "Reads an RSS or Atom feed, newest first.",
			tool.Object([]any{"address"}, map[string]any{"address": address,
				"most": tool.Prop("integer", "How many items at most", "minimum", 1.0, "maximum", 200.0)}),
			tool.Result(map[string]any{"title": tool.Prop("string", ""), "items": tool.ListOf(item, "")}), tool.Reads,
			w.readFeed),
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
		return "", "", "", &tool.RefusedError{Message: fmt.Sprintf("%q is not a web address", address)}
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
	if err := tool.AnswerError(address, response, data); err != nil {
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
	return &tool.RefusedError{Message: fmt.Sprintf("%s holds %s, which is no page of words", address, kind)}
}

func (w *web) readPage(ctx context.Context, args map[string]any, _ tool.Sending) (any, error) {
	body, at, kind, err := Fetch(ctx, w.client, w.title, tool.Text(args, "address"))
	if err == nil {
		err = readable(at, kind)
	}
	if err != nil {
		return nil, err
	}
	out := map[string]any{"title": page.Title(body), "address": at, "content": body}
	switch as := tool.Text(args, "as"); {
	case !strings.Contains(kind, "html") || as == "markup":
	case as == "markdown":
		if out["content"], err = page.Markdown(body, at); err != nil {
			return nil, &tool.RefusedError{Message: err.Error()}
		}
	default:
		out["content"] = page.Text(body)
	}
	return out, nil
}

func (w *web) pick(ctx context.Context, args map[string]any, _ tool.Sending) (any, error) {
	body, at, kind, err := Fetch(ctx, w.client, w.title, tool.Text(args, "address"))
	if err == nil {
		err = readable(at, kind)
	}
	if err != nil {
		return nil, err
	}
	found, err := page.Select(body, tool.Text(args, "selector"), at, tool.Whole(args, "most", 100))
	if err != nil {
		return nil, &tool.RefusedError{Message: err.Error()}
	}
	parts := []any{}
	for _, e := range found {
		parts = append(parts, map[string]any{"text": e.Text, "markup": e.Markup, "link": e.Link})
	}
	return map[string]any{"parts": parts}, nil
}

func (w *web) readFeed(ctx context.Context, args map[string]any, _ tool.Sending) (any, error) {
	body, _, _, err := Fetch(ctx, w.client, w.title, tool.Text(args, "address"))
	if err != nil {
		return nil, err
	}
	feed, err := ParseFeed(tool.Text(args, "address"), body)
	if err != nil {
		return nil, err
	}
	items := []any{}
	for _, i := range feed.Items[:min(len(feed.Items), tool.Whole(args, "most", 20))] {
		items = append(items, FeedItem(i))
	}
	return map[string]any{"title": feed.Title, "items": items}, nil
}

// ParseFeed reads an RSS, Atom or JSON feed.
func ParseFeed(address, body string) (*gofeed.Feed, error) {
	feed, err := gofeed.NewParser().ParseString(body)
	if err != nil {
		return nil, &tool.RefusedError{Message: fmt.Sprintf("%s holds no feed: %v", address, err)}
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

func try(ctx context.Context, k *tool.Kit, _ *flow.Workspace, _ tool.Catalogue, c *flow.Connection) tool.Verdict {
	for _, host := range c.Is.(*protocol.Web).Hosts {
		if strings.Contains(host, "*") {
			continue
		}
		client := egress.Reader(c.ID, c.Is.(*protocol.Web).Hosts, c.Networks)
		_, _, _, err := Fetch(ctx, client, c.Title, "https://"+host+"/")
		if err != nil && slices.Contains(c.Networks, "loopback") {
			_, _, _, err = Fetch(ctx, client, c.Title, "http://"+host+"/")
		}
		if err != nil {
			return k.Trouble(c, err)
		}
	}
	return tool.Works("Pages can be read from: %s.", strings.Join(c.Is.(*protocol.Web).Hosts, ", "))
}
