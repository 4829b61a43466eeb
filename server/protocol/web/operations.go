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

	"golang.org/x/net/html/charset"

	"woolsignal/core/flow"
	"woolsignal/core/protocol"
	"woolsignal/server/egress"
	"woolsignal/server/feed"
	"woolsignal/server/page"
	"woolsignal/server/tool"
)

// web reads public pages and feeds.
type web struct {
	kit    *tool.Kit
	client *http.Client
	title  string
}

func operations(k *tool.Kit, _ *flow.Workspace, c *flow.Connection) ([]*tool.Operation, error) {
	w := &web{k, egress.Reader(c.ID, c.Is.(*protocol.Web).Hosts, c.Networks), c.Title}
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
	wanted := page.Wanted{HTML: body, Address: at, As: tool.Text(args, "as")}
	if wanted.As == "" {
		wanted.As = "text"
	}
	marked := strings.Contains(kind, "html") && wanted.As != "markup"
	if !marked {
		wanted.As = ""
	}
	read, err := page.Read(ctx, w.kit.Confined, wanted)
	if err != nil {
		return nil, &tool.RefusedError{Message: err.Error()}
	}
	out := map[string]any{"title": read.Title, "address": at, "content": body}
	if marked {
		out["content"] = read.Content
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
	read, err := page.Read(ctx, w.kit.Confined, page.Wanted{HTML: body, Address: at,
		Selector: tool.Text(args, "selector"), Most: tool.Whole(args, "most", 100)})
	if err != nil {
		return nil, &tool.RefusedError{Message: err.Error()}
	}
	parts := []any{}
	for _, e := range read.Parts {
		parts = append(parts, map[string]any{"text": e.Text, "markup": e.Markup, "link": e.Link})
	}
	return map[string]any{"parts": parts}, nil
}

func (w *web) readFeed(ctx context.Context, args map[string]any, _ tool.Sending) (any, error) {
	body, _, _, err := Fetch(ctx, w.client, w.title, tool.Text(args, "address"))
	if err != nil {
		return nil, err
	}
	found, err := feed.Read(ctx, w.kit.Confined, body)
	if err != nil {
		return nil, NoFeed(tool.Text(args, "address"), err)
	}
	items := []any{}
	for _, i := range found.Items[:min(len(found.Items), tool.Whole(args, "most", 20))] {
		items = append(items, i.Value())
	}
	return map[string]any{"title": found.Title, "items": items}, nil
}

// NoFeed says of an address that its feed cannot be read.
func NoFeed(address string, err error) error {
	return &tool.RefusedError{Message: fmt.Sprintf("%s holds no feed that can be read: %v", address, err)}
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
