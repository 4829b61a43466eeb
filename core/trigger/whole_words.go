package trigger

import (
	"regexp"
	"slices"
	"strings"

	"woolsignal/core/flow"
)

// WholeWords are words a text must have, and words it must not have: "offer"
// is not in "offered". A word may be several, such as "out of office".
type WholeWords struct{ Has, Lacks []string }

func (w *WholeWords) hasField(help, example string) flow.Field {
	return flow.Field{Name: "has", Into: &w.Has, Help: help, Example: example}
}

func (w *WholeWords) lacksField(help, example string) flow.Field {
	return flow.Field{Name: "lacks", Into: &w.Lacks, Help: help, Example: example}
}

// In tells whether a text has all of some words and none of the others.
func (w *WholeWords) In(text string) bool {
	return !slices.ContainsFunc(w.Has, func(word string) bool { return !hasWord(text, word) }) &&
		!slices.ContainsFunc(w.Lacks, func(word string) bool { return hasWord(text, word) })
}

// tell says which words are meant.
func (w *WholeWords) tell(p *flow.Sentence) {
	if len(w.Has) > 0 {
		p.Say(", with the words ").Field("has").Words(w.Has, ", ")
	}
	if len(w.Lacks) > 0 {
		p.Say(", without ").Field("lacks").Words(w.Lacks, ", ")
	}
}

// hasWord finds a word between what is no letter and no digit, in capitals or
// small letters, with any white space where the word has some.
func hasWord(text, word string) bool {
	parts := strings.Fields(word)
	for i, part := range parts {
		parts[i] = regexp.QuoteMeta(part)
	}
	const edge = `(?:^|$|[^\pL\pN])`
	found, err := regexp.MatchString(`(?i)`+edge+strings.Join(parts, `\s+`)+edge, text)
	return err == nil && found
}
