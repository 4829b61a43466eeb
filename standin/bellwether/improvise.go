package bellwether

import (
	"encoding/json"
	"fmt"
	"sort"
	"strconv"
	"strings"
)

// improvise answers what no rule is about.
func improvise(in *request, said string, f facts, results []result) (string, []toolCall) {
	if len(results) > 0 {
		last := results[len(results)-1]
		switch {
		case last.declined:
			return "That was declined, so I left it.", nil
		case last.failed != "":
			return "That did not work: " + last.failed, nil
		}
		text, _ := json.Marshal(last.value)
		return "Here is what I found: " + string(text), nil
	}
	best, score := -1, 1
	for i, t := range in.Tools {
		if s := overlap(said, t.Function.Name+" "+t.Function.Description); s > score {
			best, score = i, s
		}
	}
	if best < 0 {
		return offerHelp(in), nil
	}
	t := in.Tools[best].Function
	args, missing := take(t.Parameters, f)
	if len(missing) > 0 {
		return fmt.Sprintf("For that I need to know: %s.", strings.Join(missing, ", ")), nil
	}
	text, _ := json.Marshal(args)
	return "", []toolCall{{Function: function{Name: t.Name, Arguments: string(text)}}}
}

func offerHelp(in *request) string {
	var can []string
	for _, t := range in.Tools {
		can = append(can, strings.ToLower(strings.TrimSuffix(strings.SplitN(t.Function.Description, ". ", 2)[0], ".")))
	}
	if len(can) == 0 {
		return "I am a stand-in for a model and have no rule for that. Could you say it another way?"
	}
	return "I did not quite follow. I can do these things here: " + strings.Join(can, "; ") + "."
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

// take fills a tool's required arguments from the facts by their schema.
func take(schema map[string]any, f facts) (args map[string]any, missing []string) {
	args = map[string]any{}
	properties, _ := schema["properties"].(map[string]any)
	required, _ := schema["required"].([]any)
	for _, r := range required {
		name, _ := r.(string)
		p, _ := properties[name].(map[string]any)
		switch {
		case p["format"] == "date" && f["day"] != "":
			args[name] = f["day"]
		case (p["type"] == "number" || p["type"] == "integer") && f["amount"] != "":
			n, _, _ := strings.Cut(f["amount"], " ")
			args[name], _ = strconv.Atoi(n)
		case f[name] != "":
			args[name] = f[name]
		case p["enum"] != nil && strings.Contains(fmt.Sprint(p["enum"]), f["said"]):
			args[name] = f["said"]
		default:
			missing = append(missing, strings.ReplaceAll(name, "_", " "))
		}
	}
	sort.Strings(missing)
	return args, missing
}
