package flow

import (
	"slices"

	"woolsignal/core/money"
)

// Model is one model of a server, under the name agents use: what it costs, how
// much it can read and write, and what it can do.
type Model struct {
	Name          string // what the server calls it
	Window        int    // tokens it can read and write in one turn; 0 is not known
	LongestAnswer int    // tokens it may write in one turn
	Abilities     []string
	InputPrice    float64 // currency units per million tokens read
	CachedPrice   float64 // … that it had read lately
	OutputPrice   float64 // … written
	PicturePrice  float64 // currency units for a picture
	SearchPrice   float64 // … for a search it makes by itself
}

// The abilities of models.
const (
	CallsTools    = "tools"
	FitsSchemas   = "schemas" // it holds its answer to a JSON Schema
	ReadsPictures = "pictures"
	ReadsPDF      = "pdf"
	Embeds        = "embeddings" // it gives vectors for texts, and answers nothing
)

// Fields are what a model may say.
func (m *Model) Fields() []Field {
	return []Field{
		{Name: "name", Into: &m.Name, Required: true, Help: "What the server calls it.", Example: "bellwether-medium"},
		{Name: "window", Into: &m.Window, Most: 100_000_000,
			Help: "How many tokens it reads and writes at most in one turn.", Example: "32000"},
		{Name: "longest_answer", Into: &m.LongestAnswer, Default: "4096", Least: 1, Most: 10_000_000,
			Help: "How many tokens it may write in one turn.", Example: "2000"},
		{Name: "abilities", Into: &m.Abilities, Choices: []string{CallsTools, FitsSchemas, ReadsPictures, ReadsPDF,
			Embeds},
			Help:    "What it can do; where it is missing, call tools and answer as a schema says.",
			Example: "[tools, pictures]"},
		{Name: "input_price", Into: &m.InputPrice, Help: "Currency units for a million tokens read.", Example: "0.20"},
		{Name: "cached_price", Into: &m.CachedPrice, Example: "0.02",
			Help: "Currency units for a million tokens it had read lately; that of any other where it is missing."},
		{Name: "output_price", Into: &m.OutputPrice, Help: "Currency units for a million tokens written.",
			Example: "0.60"},
		{Name: "picture_price", Into: &m.PicturePrice, Help: "Currency units for a picture.", Example: "0.001"},
		{Name: "search_price", Into: &m.SearchPrice, Help: "Currency units for a search it makes by itself.",
			Example: "0.01"},
	}
}

// Agree fills in what is usual, and holds the parts against each other.
func (m *Model) Agree(r Reading) {
	if !r.Has("abilities") {
		m.Abilities = []string{CallsTools, FitsSchemas}
	}
	if !r.Has("cached_price") {
		m.CachedPrice = m.InputPrice
	}
	if m.Can(Embeds) && len(m.Abilities) > 1 {
		r.Wrong("abilities", "name the model that answers as one of its own", "a model that embeds does nothing else")
	}
	if m.Window > 0 && m.LongestAnswer >= m.Window && r.Has("longest_answer") {
		r.Wrong("longest_answer", "make it less than window",
			"an answer of %d tokens leaves nothing to read in a window of %d", m.LongestAnswer, m.Window)
	}
	if m.Window > 0 && !r.Has("longest_answer") {
		m.LongestAnswer = min(m.LongestAnswer, m.Window/2)
	}
}

// Can tells whether it has an ability.
func (m *Model) Can(ability string) bool { return slices.Contains(m.Abilities, ability) }

// Price is what it costs.
func (m *Model) Price() money.Price {
	return money.Price{Input: m.InputPrice, Cached: m.CachedPrice, Output: m.OutputPrice, Picture: m.PicturePrice,
		Search: m.SearchPrice}
}
