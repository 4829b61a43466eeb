// Package page turns pages of markup into what people and models read: plain
// text, Markdown, or the parts a selector names.
package page

import (
	"fmt"
	"net/url"
	"strings"

	markdown "github.com/JohannesKaufmann/html-to-markdown/v2"
	"github.com/JohannesKaufmann/html-to-markdown/v2/converter"
	"github.com/PuerkitoBio/goquery"
	"github.com/andybalholm/cascadia"
)

// noise are elements nobody reads.
const noise = "script, style, noscript, template, iframe, svg, head"

// Text gives the words of a page, one block a line.
func Text(html string) string {
	doc, err := goquery.NewDocumentFromReader(strings.NewReader(html))
	if err != nil {
		return ""
	}
	return words(doc.Selection)
}

// words gives the words of a part, with a line for each block.
func words(s *goquery.Selection) string {
	s.Find(noise).Remove()
	s.Find("p, div, li, tr, br, h1, h2, h3, h4, h5, h6, section, article, header, footer, pre, blockquote, dt, dd").
		Each(func(_ int, e *goquery.Selection) { e.AppendHtml("\n") })
	s.Find("td, th").Each(func(_ int, e *goquery.Selection) { e.AppendHtml(" ") })
	var out []string
	for _, line := range strings.Split(s.Text(), "\n") {
		if line = strings.Join(strings.Fields(line), " "); line != "" {
			out = append(out, line)
		}
	}
	return strings.Join(out, "\n")
}

// Markdown gives a page as Markdown; links are made whole by its address.
func Markdown(html, address string) (string, error) {
	return markdown.ConvertString(html, converter.WithDomain(origin(address)))
}

func origin(address string) string {
	u, err := url.Parse(address)
	if err != nil || u.Host == "" {
		return ""
	}
	return u.Scheme + "://" + u.Host
}

// Title gives a page's title.
func Title(html string) string {
	doc, err := goquery.NewDocumentFromReader(strings.NewReader(html))
	if err != nil {
		return ""
	}
	return strings.TrimSpace(doc.Find("title").First().Text())
}

// Element is one part of a page.
type Element struct{ Text, Markup, Link string }

// Select gives the parts of a page that a CSS selector names, at most so many.
func Select(html, selector, address string, most int) ([]Element, error) {
	chosen, err := cascadia.Compile(selector)
	if err != nil {
		return nil, fmt.Errorf("%q is no CSS selector: %w", selector, err)
	}
	doc, err := goquery.NewDocumentFromReader(strings.NewReader(html))
	if err != nil {
		return nil, err
	}
	base, _ := url.Parse(address)
	var out []Element
	doc.FindMatcher(chosen).EachWithBreak(func(_ int, s *goquery.Selection) bool {
		markup, _ := goquery.OuterHtml(s)
		link, _ := s.Attr("href")
		if link == "" {
			link, _ = s.Find("a[href]").First().Attr("href")
		}
		if u, err := url.Parse(link); err == nil && link != "" && base != nil {
			link = base.ResolveReference(u).String()
		}
		out = append(out, Element{words(s), markup, link})
		return len(out) < most
	})
	return out, nil
}
