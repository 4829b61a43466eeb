package flow

import (
	"fmt"
	"slices"
	"strconv"

	"go.yaml.in/yaml/v3"
)

// newWords has, for words that files once used, the words in their place: the
// one that is possible where the old one stands.
var newWords = map[string][]string{
	"respond":      {"answer_caller"},
	"stop":         {"end_run"},
	"using":        {"fill_model", "model"},
	"about":        {"going_by"},
	"on":           {"answering", "happens"},
	"each":         {"always"},
	"block":        {"section"},
	"operations":   {"offer"},
	"key":          {"unique"},
	"of":           {"ask", "list", "workflows"},
	"by":           {"ask"},
	"drafts":       {"drafts_use"},
	"else":         {"otherwise"},
	"hint":         {"not_valid"},
	"within":       {"answer_within"},
	"timeout":      {"within"},
	"times":        {"tries"},
	"label":        {"title"},
	"post_message": {"write_in"}, // of a chat server
	"acknowledge":  {"nod"},
	"at_most":      {"give_up_after", "rounds_at_most", "within"},
}

// rewritten has what is said in another way by now, by the key under which it
// is said.
var rewritten = map[string]map[string]string{
	"same": {
		"key":             "same: {by: …}",
		"at_once_per_key": "same: {by: …, at_once: …}",
		"debounce":        "same: {by: …, quiet_for: …}",
	},
	"lacks": {
		"match": "has: […], a list of words",
	},
	"day_of_month": {
		"before_event": "a trigger calendar: {connection: …, before: 2wd, at: \"08:00\"}",
	},
}

// otherwise says how something is written now, where other keys are possible;
// "" where there is no other way.
func otherwise(old string, allowed []string) string {
	for under, ways := range rewritten {
		if slices.Contains(allowed, under) {
			return ways[old]
		}
	}
	return ""
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

// renamed is the problem of a key that has another word now.
func renamed(key, value *yaml.Node, word string) Problem {
	p := Problem{What: fmt.Sprintf("%s is called %s now", key.Value, word), Remedy: "write " + word,
		Fix: replace(posOf(key), key.Value, word)}
	if word != "tries" {
		return p
	}
	// Its number counts the first try too.
	p.What += ", and counts the first try"
	if times, err := strconv.Atoi(value.Value); err == nil {
		old, now := fmt.Sprintf("times: %d", times), fmt.Sprintf("tries: %d", times+1)
		p.Remedy, p.Fix = "write "+now, nil
		if value.Line == key.Line && value.Column == key.Column+len("times: ") {
			p.Fix = replace(posOf(key), old, now)
		}
	}
	return p
}
