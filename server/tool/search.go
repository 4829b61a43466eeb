package tool

import (
	"context"
	"encoding/xml"
	"fmt"
	"net/http"
	"net/url"
	"strings"

	"woolsignal/core/flow"
	"woolsignal/core/protocol"
)

// searcher asks a search page that an OpenSearch 1.1 description document
// describes; its results are a feed.
type searcher struct {
	client *http.Client
	c      *flow.Connection
}

func searchOperations(_ *Kit, _ *flow.Workspace, c *flow.Connection, client *http.Client) ([]*Operation, error) {
	s := &searcher{client, c}
	found := result(map[string]any{"title": prop("string", ""), "address": prop("string", "The source"),
		"words": prop("string", "What it says there")})
	op := operation(c.ID, c.Title, "search", "Searches, and gives what was found with its sources.",
		object([]any{"words"}, map[string]any{"words": prop("string", "What to look for", "minLength", 1.0),
			"most": prop("integer", "How many at most", "minimum", 1.0, "maximum", 50.0)}),
		result(map[string]any{"results": listOf(found, "")}), reads, s.search)
	op.OpenWorld = true
	return []*Operation{op}, nil
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
	body, _, _, err := Fetch(ctx, s.client, s.c.Title, at)
	if err != nil {
		return "", err
	}
	var d description
	if err := xml.Unmarshal([]byte(body), &d); err != nil {
		return "", &RefusedError{Message: fmt.Sprintf("%s is no OpenSearch description: %v", at, err)}
	}
	for _, u := range d.URLs {
		if strings.Contains(u.Type, "atom+xml") || strings.Contains(u.Type, "rss+xml") {
			return u.Template, nil
		}
	}
	return "", &RefusedError{Message: at + " describes no search whose results are a feed (Atom or RSS)"}
}

func (s *searcher) search(ctx context.Context, args map[string]any, _ Sending) (any, error) {
	template, err := s.template(ctx)
	if err != nil {
		return nil, err
	}
	most := whole(args, "most", 10)
	address := strings.NewReplacer("{searchTerms}", url.QueryEscape(text(args, "words")), "{count}", fmt.Sprint(most),
		"{count?}", fmt.Sprint(most),
		"{startPage?}", "1", "{startIndex?}", "1", "{language?}", "*", "{inputEncoding?}", "UTF-8", "{outputEncoding?}",
		"UTF-8").Replace(template)
	body, _, _, err := Fetch(ctx, s.client, s.c.Title, address)
	if err != nil {
		return nil, err
	}
	feed, err := ParseFeed(address, body)
	if err != nil {
		return nil, err
	}
	results := []any{}
	for _, i := range feed.Items[:min(most, len(feed.Items))] {
		item := FeedItem(i)
		words := item["summary"]
		if words == "" {
			words = item["content"]
		}
		results = append(results, map[string]any{"title": item["title"], "address": item["link"], "words": words})
	}
	return map[string]any{"results": results}, nil
}
