package bellwether

import (
	"encoding/json"
	"regexp"
	"slices"
	"strconv"
	"strings"
)

// answerShaped answers with JSON that fits a schema: what a request with a
// response_format asks for. It reads the prompt with plain heuristics.
func answerShaped(in *request, schema map[string]any) string {
	prompt := ""
	for _, m := range in.Messages {
		if m.Role == "user" {
			prompt = m.Content // what comes behind only says what was wrong with the answer
			break
		}
	}
	var out any
	if properties, _ := schema["properties"].(map[string]any); properties["verdicts"] != nil {
		out = map[string]any{"verdicts": verdicts(prompt, in.Model)}
	} else {
		out = shaped(schema, "", prompt, in.Model)
	}
	text, _ := json.Marshal(out)
	return string(text)
}

var (
	criterionLine = regexp.MustCompile(`(?m)^Criterion \d+: (.*)$`)
	aboutLine     = regexp.MustCompile(`^\nAbout what stands between the two lines (\S+)\. .*\n\S+\n`)
	number        = regexp.MustCompile(`-?\d+(?:\.\d+)?`)
	quotedPart    = regexp.MustCompile(`["“]([^"”]*)["”]`)
)

// akin are words that stand for others, though less surely. The small model
// does not know them.
var akin = map[string][]string{
	"wet": {"damp", "ford", "rain", "soaked", "puddle", "moist"}, "mouldy": {"musty", "smells", "spots"},
	"contaminated": {"tar", "straw", "paint", "twine", "bramble"}, "late": {"delayed", "waiting"},
	"angry": {"unacceptable", "complaint"},
}

// hedges make a judgement less sure.
var hedges = []string{"maybe", "perhaps", "a bit", "slightly", "not sure", "might", "looked"}

// verdicts holds each criterion against what it is about.
func verdicts(prompt, model string) []any {
	var out []any
	for {
		found := criterionLine.FindStringSubmatchIndex(prompt)
		if found == nil {
			return out
		}
		criterion := prompt[found[2]:found[3]]
		prompt = prompt[found[1]:]
		about := ""
		if marked := aboutLine.FindStringSubmatch(prompt); marked != nil {
			about, prompt, _ = strings.Cut(prompt[len(marked[0]):], "\n"+marked[1]+"\n")
		}
		out = append(out, verdict(strings.ToLower(criterion), strings.ToLower(about), model))
	}
}

func verdict(criterion, about, model string) map[string]any {
	say := func(holds bool, sure float64, reason string) map[string]any {
		return map[string]any{"holds": holds, "confidence": sure, "reason": reason}
	}
	if strings.TrimSpace(about) == "" {
		return say(false, 0.95, "There is nothing to go by.")
	}
	for _, w := range strings.FieldsFunc(criterion, func(r rune) bool { return r < 'a' || r > 'z' }) {
		if len(w) < 3 || common[w] {
			continue
		}
		if strings.Contains(about, "not "+w) || strings.Contains(about, "no "+w) {
			return say(false, 0.85, "It says not "+w+".")
		}
		if strings.Contains(about, w) {
			sure := 0.92
			for _, h := range hedges {
				if strings.Contains(about, h) {
					sure = 0.55
				}
			}
			return say(true, sure, "It says "+w+".")
		}
		if small(model) {
			continue
		}
		for _, other := range akin[w] {
			if strings.Contains(about, other) {
				return say(true, 0.6, "It says "+other+", which may mean "+w+".")
			}
		}
	}
	return say(false, 0.9, "Nothing in it says so.")
}

// common are words of criteria that say nothing.
var common = map[string]bool{"the": true, "driver": true, "notes": true, "mention": true, "mentions": true,
	"fleece": true, "and": true, "any": true, "that": true, "with": true, "for": true, "was": true, "are": true,
	"has": true, "text": true, "says": true}

// shaped makes a value of a schema out of what a text says.
func shaped(schema map[string]any, name, text, model string) any {
	if line := guidance(name, text); line != "" {
		text = line
	}
	if strings.Contains(text, unreadable) {
		text = ""
	}
	if choices, _ := schema["enum"].([]any); len(choices) > 0 {
		said, _ := schema["description"].(string)
		return choose(choices, said, text, model)
	}
	switch schema["type"] {
	case "object":
		out := map[string]any{}
		properties, _ := schema["properties"].(map[string]any)
		for key, p := range properties {
			inner, _ := p.(map[string]any)
			out[key] = shaped(inner, key, text, model)
		}
		return out
	case "array":
		items, _ := schema["items"].(map[string]any)
		return []any{shaped(items, name, text, model)}
	case "number", "integer":
		f, _ := strconv.ParseFloat(number.FindString(behind(name, text)), 64)
		if schema["type"] == "integer" {
			return int(f)
		}
		return f
	case "boolean":
		return strings.Contains(strings.ToLower(text), "yes")
	}
	if line := named(name, text); line != "" {
		return clipped(schema, line)
	}
	if found := farm.FindStringSubmatch(text); found != nil && slices.Contains([]string{"farm", "grower"}, name) {
		return clipped(schema, found[1])
	}
	if slices.Contains([]string{"reason", "why", "summary"}, name) {
		return clipped(schema, inShort(name, text))
	}
	return clipped(schema, words(text))
}

// inShort says in a sentence what a text gives: the figures and words under their
// names, or what was said.
func inShort(name, text string) string {
	var parts []string
	for _, line := range factLine.FindAllStringSubmatch(text, -1) {
		key := strings.ToLower(strings.ReplaceAll(line[1], "_", " "))
		if key == "said" {
			return summary(line[2])
		}
		if key != "sample" && key != "grower" {
			parts = append(parts, key+" "+strings.TrimSuffix(line[2], "."))
		}
	}
	if len(parts) == 0 {
		return words(text)
	}
	if name == "summary" {
		return strings.Join(parts, ", ") + "."
	}
	return "Going by " + strings.Join(parts, ", ") + "."
}

// behind is what stands behind a value's name in a text; the text where the
// name does not stand there.
func behind(name, text string) string {
	if name == "" {
		return text
	}
	if i := strings.LastIndex(strings.ToLower(text), strings.ReplaceAll(name, "_", " ")); i >= 0 &&
		number.MatchString(text[i:]) {
		return text[i:]
	}
	return text
}

// named is what a line says that begins with a value's name, as in
// "Supplier: Thrawl Sacking".
func named(name, text string) string {
	for _, line := range strings.Split(text, "\n") {
		head, rest, ok := strings.Cut(strings.TrimSpace(line), ":")
		if ok && name != "" && strings.EqualFold(strings.TrimSpace(head), strings.ReplaceAll(name, "_", " ")) {
			return strings.TrimSpace(rest)
		}
	}
	return ""
}

// guidance is the line of a prompt that says what one value is to be.
func guidance(name, text string) string {
	for _, line := range strings.Split(text, "\n") {
		if rest, ok := strings.CutPrefix(strings.TrimSpace(line), "- "+name+": "); ok && name != "" {
			return rest
		}
	}
	return ""
}

// choose takes the choice that a text is most about: one that stands in its quoted
// part, or else in it, or whose meaning shares most words with it; the first where
// none does. The small model mistakes a choice for one that is near by.
func choose(choices []any, meanings, text, model string) any {
	quoted := text
	if found := quotedPart.FindStringSubmatch(text); found != nil {
		quoted = found[1]
	}
	quoted = strings.ToLower(quoted)
	best, second, score, next := 0, -1, 0, 0
	for i, c := range choices {
		word, _ := c.(string)
		n := overlap(quoted, word+" "+meaning(word, meanings))
		if strings.Contains(quoted, strings.ToLower(word)) {
			n += 10
		}
		for _, other := range akin[strings.ToLower(word)] {
			if strings.Contains(quoted, other) && !small(model) {
				n += 5
			}
		}
		switch {
		case n > score:
			best, second, score, next = i, best, n, score
		case n > next:
			second, next = i, n
		}
	}
	if small(model) && second >= 0 && next > 0 && score-next < 2 {
		return choices[second]
	}
	if score == 0 {
		best = max(0, slices.IndexFunc(choices, isTheRest))
	}
	return choices[best]
}

// isTheRest tells whether a choice is for what none of the others fits.
func isTheRest(choice any) bool {
	word, _ := choice.(string)
	return slices.Contains([]string{"something else", "other", "none", "none of these"}, strings.ToLower(word))
}

// meaning is what a list of choices says of one of them.
func meaning(choice, meanings string) string {
	for _, line := range strings.Split(meanings, "\n") {
		if rest, ok := strings.CutPrefix(strings.TrimSpace(line), "- "+choice+": "); ok {
			return rest
		}
	}
	return ""
}

// words are what a text is about: what it quotes, or its last line.
func words(text string) string {
	if found := quotedPart.FindStringSubmatch(text); found != nil && found[1] != "" {
		return found[1]
	}
	lines := strings.Split(strings.TrimSpace(text), "\n")
	return strings.TrimSpace(lines[len(lines)-1])
}

func clipped(schema map[string]any, text string) string {
	longest := 400
	if n, ok := schema["maxLength"].(float64); ok {
		longest = int(n)
	}
	if runes := []rune(text); len(runes) > longest {
		return string(runes[:longest])
	}
	return text
}
