package tool

import (
	"cmp"
	"maps"
	"slices"
	"strings"
)

// Search finds tools by words: all of them must stand in the tool's name,
// title or description. What stands in the name counts most. Without words
// all are given, by name.
func (c Catalogue) Search(words, connection string, limit int) []*Operation {
	type hit struct {
		op    *Operation
		score int
	}
	var hits []hit
	wanted := strings.Fields(strings.ToLower(words))
	for _, name := range slices.Sorted(maps.Keys(c)) {
		op := c[name]
		if connection != "" && op.Connection != connection {
			continue
		}
		if score, fits := rank(op, wanted); fits {
			hits = append(hits, hit{op, score})
		}
	}
	slices.SortStableFunc(hits, func(a, b hit) int { return cmp.Compare(b.score, a.score) })
	out := make([]*Operation, 0, min(limit, len(hits)))
	for _, h := range hits[:min(limit, len(hits))] {
		out = append(out, h.op)
	}
	return out
}

// rank tells how well a tool fits words.
func rank(op *Operation, words []string) (score int, fits bool) {
	for _, w := range words {
		switch {
		case contains(op.Name, w):
			score += 4
		case contains(op.Title, w):
			score += 3
		case contains(op.Description, w):
			score++
		default:
			return 0, false
		}
	}
	return score, true
}

// contains looks for a word in small letters in a text of any case. Most
// texts are ASCII, for which nothing is copied.
func contains(text, word string) bool {
	for i := 0; i+len(word) <= len(text); i++ {
		if strings.EqualFold(text[i:i+len(word)], word) {
			return true
		}
	}
	return false
}
