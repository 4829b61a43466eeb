package flow

import "slices"

// newWords has, for words that files once used, the words in their place: the
// one that is possible where the old one stands.
var newWords = map[string][]string{
	"respond": {"answer_caller"},
	"stop":    {"end_run"},
	"using":   {"fill_model", "model"},
	"about":   {"going_by"},
	"on":      {"answering"},
	"drafts":  {"drafts_use"},
}

// newWord gives the word for an old one among those that are possible; "" where
// there is none.
func newWord(old string, allowed []string) string {
	for _, word := range newWords[old] {
		if slices.Contains(allowed, word) {
			return word
		}
	}
	return ""
}
