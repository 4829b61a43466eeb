package search

import (
	"cmp"
	"context"
	"encoding/xml"
	"fmt"
	"net/http"
	"net/url"
	"strings"

	"woolsignal/core/flow"
	"woolsignal/core/protocol"
	"woolsignal/server/feed"
	"woolsignal/server/protocol/web"
	"woolsignal/server/tool"
)

// searcher asks a search page that an OpenSearch 1.1 description document
// describes; its results are a feed.
type searcher struct {
	kit    *tool.Kit
	client *http.Client
	c      *flow.Connection
}

func operations(k *tool.Kit, _ *flow.Workspace, c *flow.Connection, client *http.Client) ([]*tool.Operation, error) {
	s := &searcher{k, client, c}
	found := tool.Result(map[string]any{"title": tool.Prop("string", ""), "address": tool.Prop("string", "The source"),
		"words": tool.Prop("string", "What it says there")})
	op := tool.NewOperation(c.ID, c.Title, "search", "Searches, and gives what was found with its sources.",
		tool.Object([]any{"words"}, map[string]any{"words": tool.Prop("string", "What to look for", "minLength", 1.0),
			"most": tool.Prop("integer", "How many at most", "minimum", 1.0, "maximum", 50.0)}),
		tool.Result(map[string]any{"results": tool.ListOf(found, "")}), tool.Reads, s.search)
	op.OpenWorld = true
	return []*tool.Operation{op}, nil
}

// description is what we need of an OpenSearch description document.
type description struct {
	URLs []struct {
		Type     string `xml:"type,attr"`
		Template string `xml:"template,attr"`
		Rel      string `xml:"rel,attr"`
	} `xml:"Url"`
}

// template finds the address whose results are a feed.
func (s *searcher) template(ctx context.Context) (string, error) {
	at := s.c.Address + s.c.Is.(*protocol.Search).Description
	body, _, _, err := web.Fetch(ctx, s.client, s.c.Title, at)
	if err != nil {
		return "", err
	}
	var d description
	if err := xml.Unmarshal([]byte(body), &d); err != nil {
		return "", &tool.RefusedError{Message: fmt.Sprintf("%s is no OpenSearch description: %v", at, err)}
	}
	for _, u := range d.URLs {
		if strings.Contains(u.Type, "atom+xml") || strings.Contains(u.Type, "rss+xml") {
			return u.Template, nil
		}
	}
	return "", &tool.RefusedError{Message: at + " describes no search whose results are a feed (Atom or RSS)"}
}

func (s *searcher) search(ctx context.Context, args map[string]any, _ tool.Sending) (any, error) {
	template, err := s.template(ctx)
	if err != nil {
		return nil, err
	}
	most := tool.Whole(args, "most", 10)
	address := strings.NewReplacer("{searchTerms}", url.QueryEscape(tool.Text(args, "words")), "{count}",
		fmt.Sprint(most),
		"{count?}", fmt.Sprint(most),
		"{startPage?}", "1", "{startIndex?}", "1", "{language?}", "*", "{inputEncoding?}", "UTF-8", "{outputEncoding?}",
		"UTF-8").Replace(template)
	body, _, _, err := web.Fetch(ctx, s.client, s.c.Title, address)
	if err != nil {
		return nil, err
	}
	found, err := feed.Read(ctx, s.kit.Confined, body)
	if err != nil {
		return nil, web.NoFeed(address, err)
	}
	results := []any{}
	for _, i := range found.Items[:min(most, len(found.Items))] {
		results = append(results, map[string]any{"title": i.Title, "address": i.Link,
			"words": cmp.Or(i.Summary, i.Content)})
	}
	return map[string]any{"results": results}, nil
}
