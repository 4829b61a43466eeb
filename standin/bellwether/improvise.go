package bellwether

import (
	"encoding/json"
	"fmt"
	"maps"
	"slices"
	"sort"
	"strconv"
	"strings"
)

// improvise answers what no rule is about.
func improvise(in *request, said string, f facts, results []result) reply {
	if len(results) > 0 {
		last := results[len(results)-1]
		switch {
		case last.declined:
			return reply{text: "That was declined, so I left it."}
		case last.failed != "":
			return reply{text: "That did not work: " + last.failed}
		}
		return reply{text: "Here is what I found: " + plainly(last.value)}
	}
	best, score := -1, 1
	for i, t := range in.Tools {
		if s := overlap(said, t.Name+" "+t.Description); s > score {
			best, score = i, s
		}
	}
	if best < 0 {
		if text := write(in, said); text != "" {
			return reply{text: text}
		}
		return reply{text: offerHelp(in, said)}
	}
	t := in.Tools[best]
	args, missing := argumentsOf(t.Parameters, f, in.Model)
	if len(missing) > 0 {
		return reply{text: fmt.Sprintf("For that I need to know: %s.", strings.Join(missing, ", "))}
	}
	text, err := json.Marshal(args)
	if err != nil {
		return reply{text: offerHelp(in, said)}
	}
	return reply{calls: []toolCall{{Name: t.Name, Arguments: string(text)}}}
}

func offerHelp(in *request, said string) string {
	var can []string
	for _, t := range in.Tools {
		can = append(can, strings.ToLower(strings.TrimSuffix(strings.SplitN(t.Description, ". ", 2)[0], ".")))
	}
	if len(can) == 0 {
		if first := sentences(said); len(first) > 0 {
			return "Noted: " + first[0] +
				" Tell me what I should do with it: answer it, sum it up, or look something up in it."
		}
		return "Tell me what it is about."
	}
	return "I did not quite follow. I can do these things here: " + strings.Join(can, "; ") + "."
}

// plainly says a value in words: names and values, a line for each of several.
func plainly(v any) string {
	switch v := v.(type) {
	case nil:
		return "nothing"
	case string:
		return v
	case []any:
		if len(v) == 0 {
			return "nothing"
		}
		var lines []string
		for _, item := range v {
			lines = append(lines, plainly(item))
		}
		return strings.Join(lines, "\n")
	case map[string]any:
		if len(v) == 1 {
			for _, only := range v {
				return plainly(only)
			}
		}
		var parts []string
		for _, key := range slices.Sorted(maps.Keys(v)) {
			parts = append(parts, strings.ReplaceAll(key, "_", " ")+" "+plainly(v[key]))
		}
		return strings.Join(parts, ", ")
	}
	return fmt.Sprint(v)
}

// overlap counts the longer words two texts share, by their first five letters.
func overlap(a, b string) int {
	words := map[string]bool{}
	for _, w := range split(b) {
		words[w] = true
	}
	n := 0
	for _, w := range split(a) {
		if words[w] {
			n++
			delete(words, w)
		}
	}
	return n
}

func split(s string) []string {
	var out []string
	for _, w := range strings.FieldsFunc(strings.ToLower(s), func(r rune) bool { return r < 'a' || r > 'z' }) {
		if len(w) > 3 {
			out = append(out, w[:min(5, len(w))])
		}
	}
	return out
}

// argumentsOf fills a tool's arguments from the facts by their schema: those it needs, and
// but for the small model also those it may have.
func argumentsOf(schema map[string]any, f facts, model string) (args map[string]any, missing []string) {
	args = map[string]any{}
	properties, _ := schema["properties"].(map[string]any)
	required, _ := schema["required"].([]any)
	for _, name := range slices.Sorted(maps.Keys(properties)) {
		p, _ := properties[name].(map[string]any)
		needed := slices.Contains(required, any(name))
		if !needed && small(model) {
			continue
		}
		if p["type"] == "object" && needed {
			inner, more := argumentsOf(p, f, model)
			args[name], missing = inner, append(missing, more...)
			continue
		}
		v, ok := argument(name, p, f, needed)
		switch {
		case ok:
			args[name] = v
		case needed:
			missing = append(missing, strings.ReplaceAll(name, "_", " "))
		}
	}
	sort.Strings(missing)
	return args, missing
}

// asks are names of arguments that hold what is asked, in words.
var asks = []string{"about", "message", "query", "question", "request", "task", "text", "topic", "what", "words"}

// argument finds the value of one argument; what merely fits by its type is taken only
// where it is needed.
func argument(name string, p map[string]any, f facts, needed bool) (any, bool) {
	switch {
	case f[name] != "" && p["type"] != "number" && p["type"] != "integer":
		return f[name], true
	case !needed:
		return nil, false
	case p["type"] == "string" && p["format"] == nil && p["enum"] == nil && slices.Contains(asks, name):
		return f["said"], f["said"] != ""
	case p["format"] == "date" && f["day"] != "":
		return f["day"], true
	case (p["type"] == "number" || p["type"] == "integer") && f["amount"] != "":
		n, _, _ := strings.Cut(f["amount"], " ")
		count, err := strconv.Atoi(n)
		return count, err == nil
	case p["enum"] != nil && strings.Contains(fmt.Sprint(p["enum"]), f["said"]):
		return f["said"], true
	}
	return nil, false
}
