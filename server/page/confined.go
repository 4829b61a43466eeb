package page

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"time"

	"woolsignal/server/confined"
)

// longest is how long reading one page may take.
const longest = 10 * time.Second

// readWork reads a page: whoever wrote it may have made it to trip its reader up.
const readWork = "page read"

func init() {
	confined.Register(readWork, func(_ time.Duration, in json.RawMessage) (any, error) {
		var w Wanted
		if err := json.Unmarshal(in, &w); err != nil {
			return nil, err
		}
		return w.read()
	})
}

// Wanted is a page, and what of it is wanted.
type Wanted struct {
	HTML     string
	Address  string // links are made whole by it
	As       string // text or markdown; "" gives no content
	Selector string // of the parts; "" gives none
	Most     int    // parts
}

// Page is what was read.
type Page struct {
	Title, Content string
	Parts          []Element
}

func (w Wanted) read() (p Page, err error) {
	switch w.As {
	case "text":
		p.Content = Text(w.HTML)
	case "markdown":
		p.Content, err = Markdown(w.HTML, w.Address)
	}
	if w.Selector != "" && err == nil {
		p.Parts, err = Select(w.HTML, w.Selector, w.Address, w.Most)
	}
	p.Title = Title(w.HTML)
	return p, err
}

// Read reads a page in a confined process. An error says what it holds or does
// that cannot be read, or what is wrong with the selector.
func Read(ctx context.Context, p *confined.Pool, w Wanted) (Page, error) {
	var out Page
	err := p.Do(ctx, readWork, longest, w, &out)
	if errors.Is(err, confined.ErrBroke) {
		err = fmt.Errorf("the page cannot be read: %w", err)
	}
	return out, err
}

// Words gives the words of markup in a confined process; where it cannot be
// read, it says so in place of them.
func Words(ctx context.Context, p *confined.Pool, html string) (string, error) {
	read, err := Read(ctx, p, Wanted{HTML: html, As: "text"})
	if errors.Is(err, confined.ErrBroke) {
		return "(" + err.Error() + ")", nil
	}
	return read.Content, err
}
