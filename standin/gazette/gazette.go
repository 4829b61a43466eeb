// Package gazette plays the Fell Gazette: public pages, prices, a feed
// (Atom, RFC 4287) and a search that an OpenSearch 1.1 document describes.
package gazette

import (
	"encoding/json"
	"encoding/xml"
	"fmt"
	"html"
	"net/http"
	"slices"
	"strings"
	"sync"
	"time"

	"github.com/go-chi/chi/v5"

	"woolsignal/standin/ledger"
)

// Article is one piece of news.
type Article struct {
	ID          int
	Title, Text string
	At          time.Time
}

type server struct {
	mu  sync.Mutex // guards what follows
	all []Article
}

// New makes the paper with a few pieces of news.
func New() http.Handler {
	begin := time.Date(2026, 11, 16, 9, 0, 0, 0, time.UTC)
	s := &server{all: []Article{
		{1, "Fine crossbred steady at the autumn sale",
			"Fine crossbred fleece fetched 2.10 to 2.45 a kilogram at the autumn sale; buyers asked for clean, dry " +
				"lots.", begin},
		{2, "Mills ask for traceable bales",
			"Two mills say they will pay five per cent more for bales whose farm is written on the ticket.",
			begin.AddDate(0, 0, 2)},
		{3, "Wet November on the fells", "The wettest November in nine years has many farms drying fleece indoors.",
			begin.AddDate(0, 0, 5)},
	}}
	r := chi.NewRouter()
	r.Get("/", s.front)
	r.Get("/news/{id}", s.article)
	r.Get("/prices", s.prices)
	r.Get("/feed.xml", func(w http.ResponseWriter, r *http.Request) { s.atom(w, r, "Fell Gazette", s.found("")) })
	r.Get("/opensearch.xml", s.describe)
	r.Get("/search", s.search)
	r.Get("/search.atom", func(w http.ResponseWriter, r *http.Request) {
		s.atom(w, r, "Found", s.found(r.URL.Query().Get("q")))
	})
	r.Post("/_publish", s.publish)
	return ledger.Wrap(r)
}

// found gives the news that have all of some words, newest first.
func (s *server) found(words string) []Article {
	s.mu.Lock()
	defer s.mu.Unlock()
	var out []Article
	for _, a := range slices.Backward(s.all) {
		if fits(strings.ToLower(a.Title+" "+a.Text), strings.Fields(strings.ToLower(words))) {
			out = append(out, a)
		}
	}
	return out
}

func fits(text string, words []string) bool {
	hits := 0
	for _, w := range words {
		if strings.Contains(text, strings.Trim(w, "?.,!")) {
			hits++
		}
	}
	return len(words) == 0 || hits*2 > len(words)
}

const style = `<style>body{font:17px/1.6 Georgia,serif;max-width:44rem;margin:2rem auto;padding:0 ` +
	`1rem;background:#fbfaf6;color:#222}</style>`

func page(w http.ResponseWriter, title, body string) {
	w.Header().Set("Content-Type", "text/html; charset=utf-8")
	fmt.Fprintf(w,
		`<!doctype html><html lang="en"><head><meta charset="utf-8"><title>%s</title>%s<script>var unread = `+
			`"tracking";</script></head><body><header><a href="/">Fell Gazette</a> · <a `+
			`href="/prices">Prices</a></header>%s</body></html>`, html.EscapeString(title), style, body)
}

func (s *server) front(w http.ResponseWriter, _ *http.Request) {
	page(w, "Fell Gazette", "<h1>Fell Gazette</h1>"+links(s.found("")))
}

func links(all []Article) string {
	var b strings.Builder
	for _, a := range all {
		fmt.Fprintf(&b, `<article><h2><a href="/news/%d">%s</a></h2><p>%s</p></article>`, a.ID,
			html.EscapeString(a.Title), html.EscapeString(a.Text))
	}
	return b.String()
}

func (s *server) article(w http.ResponseWriter, r *http.Request) {
	for _, a := range s.found("") {
		if fmt.Sprint(a.ID) == chi.URLParam(r, "id") {
			page(w, a.Title, fmt.Sprintf("<h1>%s</h1><p>%s</p>", html.EscapeString(a.Title), html.EscapeString(a.Text)))
			return
		}
	}
	w.WriteHeader(http.StatusNotFound)
	page(w, "Not found", "<h1>There is no such page</h1>")
}

func (s *server) prices(w http.ResponseWriter, _ *http.Request) {
	page(w, "Prices",
		`<h1>Prices this week</h1><table class="prices"><tr><th>Kind</th><th>a kilogram</th></tr><tr><td>Fine `+
			`crossbred</td><td>2.45</td></tr><tr><td>Hill `+
			`fleece</td><td>1.20</td></tr><tr><td>Lambswool</td><td>2.90</td></tr></table>`)
}

func (s *server) search(w http.ResponseWriter, r *http.Request) {
	q := r.URL.Query().Get("q")
	page(w, "Search", fmt.Sprintf(`<h1>Search</h1><form><input name="q" value="%s"><button>Search</button></form>%s`,
		html.EscapeString(q), links(s.found(q))))
}

func origin(r *http.Request) string { return "http://" + r.Host }

func (s *server) describe(w http.ResponseWriter, r *http.Request) {
	w.Header().Set("Content-Type", "application/opensearchdescription+xml")
	fmt.Fprintf(w,
		`<?xml version="1.0"?><OpenSearchDescription xmlns="http://a9.com/-/spec/opensearch/1.1/"><ShortName>Fell `+
			`Gazette</ShortName><Url type="text/html" template="%[1]s/search?q={searchTerms}"/><Url `+
			`type="application/atom+xml" template="%[1]s/search.atom?q={searchTerms}"/></OpenSearchDescription>`,
		origin(r))
}

type atomFeed struct {
	XMLName xml.Name    `xml:"http://www.w3.org/2005/Atom feed"`
	Title   string      `xml:"title"`
	ID      string      `xml:"id"`
	Updated string      `xml:"updated"`
	Entries []atomEntry `xml:"entry"`
}

type atomEntry struct {
	Title   string   `xml:"title"`
	ID      string   `xml:"id"`
	Updated string   `xml:"updated"`
	Link    atomLink `xml:"link"`
	Author  string   `xml:"author>name"`
	Summary string   `xml:"summary"`
}

type atomLink struct {
	Href string `xml:"href,attr"`
}

func (s *server) atom(w http.ResponseWriter, r *http.Request, title string, all []Article) {
	f := atomFeed{Title: title, ID: origin(r) + r.URL.Path, Updated: time.Now().UTC().Format(time.RFC3339)}
	for _, a := range all {
		at := fmt.Sprintf("%s/news/%d", origin(r), a.ID)
		f.Entries = append(f.Entries, atomEntry{a.Title, fmt.Sprintf("tag:gazette.example,2026:%d", a.ID),
			a.At.Format(time.RFC3339), atomLink{at}, "The Fell Gazette", a.Text})
	}
	w.Header().Set("Content-Type", "application/atom+xml")
	_, _ = w.Write([]byte(xml.Header))
	_ = xml.NewEncoder(w).Encode(f)
}

// publish puts a piece of news in.
func (s *server) publish(w http.ResponseWriter, r *http.Request) {
	var a Article
	if err := json.NewDecoder(r.Body).Decode(&a); err != nil {
		http.Error(w, err.Error(), http.StatusBadRequest)
		return
	}
	s.mu.Lock()
	defer s.mu.Unlock()
	a.ID, a.At = len(s.all)+1, time.Now().UTC()
	s.all = append(s.all, a)
	w.WriteHeader(http.StatusCreated)
}
