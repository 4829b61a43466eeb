package bellwether

import (
	_ "embed"
	"encoding/json"
	"regexp"
	"strconv"
	"strings"
	"text/template"
	"time"

	"go.yaml.in/yaml/v3"
)

//go:embed rulebook.yaml
var rulebookText []byte

type rule struct {
	Intent   string
	Words    []string
	With     string // a fact without which the rule is not taken
	Needs    []struct{ Fact, Ask string }
	Do       []action
	Say      string
	Declined string
}

type action struct {
	Tool    string
	Args    map[string]string
	Nothing string
}

var rulebook = func() []rule {
	var rules []rule
	if err := yaml.Unmarshal(rulebookText, &rules); err != nil {
		panic(err) // it is part of the program
	}
	return rules
}()

// think gives the next message of a conversation: words, or tools to use.
func think(in *request) (string, []toolCall) {
	last := len(in.Messages) - 1
	for last >= 0 && in.Messages[last].Role != "user" {
		last--
	}
	if last < 0 {
		return "Hello. What can I do for you?", nil
	}
	results := readResults(in.Messages[last+1:])
	// What was known when the person spoke decides; what tools found since does not.
	f := gather(in.Messages[:last+1])
	for _, r := range rulebook {
		if (r.With == "" || f[r.With] != "") && r.fits(in, last) {
			return r.follow(in, f, results)
		}
	}
	return improvise(in, in.Messages[last].Content, f, results)
}

// fits tells whether a rule is about what was said last, or whether the last
// message answers a question the rule asked.
func (r rule) fits(in *request, last int) bool {
	for _, a := range r.Do {
		if in.tool(a.Tool) == "" {
			return false
		}
	}
	said := strings.ToLower(in.Messages[last].Content)
	for _, w := range r.Words {
		if strings.Contains(said, w) {
			return true
		}
	}
	for i := last - 1; i >= 0; i-- {
		if in.Messages[i].Role != "assistant" || in.Messages[i].Content == "" {
			continue
		}
		for _, n := range r.Needs {
			if in.Messages[i].Content == n.Ask {
				return true
			}
		}
		for _, a := range r.Do {
			if a.Nothing != "" && strings.HasSuffix(in.Messages[i].Content, lastSentence(a.Nothing)) {
				return true
			}
		}
		return false
	}
	return false
}

func lastSentence(s string) string {
	parts := strings.Split(strings.TrimSuffix(s, "?"), ". ")
	return parts[len(parts)-1] + "?"
}

// tool finds the full name of an offered tool by its operation.
func (in *request) tool(operation string) string {
	for _, t := range in.Tools {
		if name := t.Function.Name; name == operation || strings.HasSuffix(name, "__"+operation) {
			return name
		}
	}
	return ""
}

// result is what became of a tool since the person last spoke.
type result struct {
	operation string
	value     any
	failed    string
	declined  bool
	note      string
}

var saidWhy = regexp.MustCompile(`They said: (.*)$`)

func readResults(messages []message) []result {
	names := map[string]string{}
	var out []result
	for _, m := range messages {
		for _, c := range m.ToolCalls {
			_, operation, ok := strings.Cut(c.Function.Name, "__")
			if !ok {
				operation = c.Function.Name
			}
			names[c.ID] = operation
		}
		if m.Role != "tool" {
			continue
		}
		r := result{operation: names[m.ToolCallID]}
		switch {
		case strings.HasPrefix(m.Content, "error: "):
			r.failed = strings.TrimPrefix(m.Content, "error: ")
		case strings.Contains(m.Content, " declined this; it was not done."):
			r.declined = true
			if found := saidWhy.FindStringSubmatch(m.Content); found != nil {
				r.note = found[1]
			}
		default:
			_ = json.NewDecoder(strings.NewReader(m.Content)).Decode(&r.value) // what is no JSON is no value
		}
		out = append(out, r)
	}
	return out
}

func (r rule) follow(in *request, f facts, results []result) (string, []toolCall) {
	for _, n := range r.Needs {
		if f[n.Fact] == "" {
			return n.Ask, nil
		}
	}
	data := map[string]any{"facts": map[string]string(f)}
	done := map[string]bool{}
	for _, res := range results {
		switch {
		case res.declined:
			data["note"] = res.note
			return fill(r.Declined, data), nil
		case res.failed != "":
			return "That did not work: " + res.failed + ". Would another time do?", nil
		}
		done[res.operation], data[res.operation] = true, res.value
		if m, ok := res.value.(map[string]any); ok {
			if windows, ok := m["windows"].([]any); ok && len(windows) > 0 {
				data["window"] = windows[0]
			}
		}
	}
	for _, a := range r.Do {
		if !done[a.Tool] {
			return "", []toolCall{in.use(a, data)}
		}
		if a.Nothing != "" && data["window"] == nil {
			return fill(a.Nothing, data), nil
		}
	}
	return fill(r.Say, data), nil
}

// use fills the arguments of a tool in, each in the kind its schema asks for.
func (in *request) use(a action, data map[string]any) toolCall {
	name := in.tool(a.Tool)
	args := map[string]any{}
	for _, t := range in.Tools {
		if t.Function.Name != name {
			continue
		}
		properties, _ := t.Function.Parameters["properties"].(map[string]any)
		for key, text := range a.Args {
			schema, offered := properties[key].(map[string]any)
			if !offered {
				continue
			}
			filled := fill(text, data)
			args[key] = filled
			if n, err := strconv.ParseFloat(filled, 64); err == nil && schema["type"] != "string" {
				args[key] = n
			}
		}
	}
	text, _ := json.Marshal(args)
	return toolCall{Function: function{Name: name, Arguments: string(text)}}
}

func parseMoment(v any) time.Time {
	s, _ := v.(string)
	for _, layout := range []string{time.RFC3339, time.DateOnly} {
		if t, err := time.Parse(layout, s); err == nil {
			return t
		}
	}
	return time.Time{}
}

// fill fills a template of the rulebook in.
func fill(text string, data map[string]any) string {
	t, err := template.New("").Option("missingkey=zero").Funcs(template.FuncMap{
		"day":   func(v any) string { return parseMoment(v).Format("Monday 2 January") },
		"clock": func(v any) string { return parseMoment(v).Format("15:04") },
	}).Parse(text)
	if err != nil {
		return err.Error()
	}
	var b strings.Builder
	if err := t.Execute(&b, data); err != nil {
		return err.Error()
	}
	return b.String()
}
