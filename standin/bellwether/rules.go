package bellwether

import (
	"cmp"
	_ "embed"
	"encoding/json"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"text/template"
	"time"

	"go.yaml.in/yaml/v3"
)

//go:embed rulebook.yaml
var rulebookText []byte

// rule says what is answered when its words stand in what was said last.
type rule struct {
	Intent   string   `yaml:"intent" json:"intent,omitempty"`
	Words    []string `yaml:"words" json:"words,omitempty"` // any of them; none is whatever is said
	Model    string   `yaml:"model" json:"model,omitempty"` // small, medium or large; "" is any
	With     string   `yaml:"with" json:"with,omitempty"`   // a fact without which the rule is not taken
	Needs    []need   `yaml:"needs" json:"needs,omitempty"`
	Do       []action `yaml:"do" json:"do,omitempty"`
	Say      string   `yaml:"say" json:"say,omitempty"`
	Answer   any      `yaml:"answer" json:"answer,omitempty"` // where JSON of a shape is asked for
	Declined string   `yaml:"declined" json:"declined,omitempty"`
	Fault    string   `yaml:"fault" json:"fault,omitempty"` // how the answer goes wrong; see faults
}

// need is a fact that is asked for where nobody said it.
type need struct {
	Fact string `yaml:"fact" json:"fact"`
	Ask  string `yaml:"ask" json:"ask"`
}

type action struct {
	Tool    string         `yaml:"tool" json:"tool"`
	Args    map[string]any `yaml:"args" json:"args,omitempty"` // texts in them are templates
	Nothing string         `yaml:"nothing" json:"nothing,omitempty"`
}

var rulebook = func() []rule {
	var rules []rule
	if err := yaml.Unmarshal(rulebookText, &rules); err != nil {
		panic(err) // it is part of the program
	}
	return rules
}()

// think gives the next message of a conversation: words, or tools to use. rules are
// others', and come before those of the demo.
func think(in *request, rules []rule) reply {
	last := in.lastSaid()
	if last < 0 {
		return reply{text: "Hello. What can I do for you?"}
	}
	for i, m := range in.Messages {
		if m.Role == "user" {
			in.Messages[i].Content = speaker.ReplaceAllString(m.Content, "")
		}
	}
	results := readResults(in.Messages[last+1:])
	// What was known when the person spoke decides; what tools found since does not.
	f := gather(in.Messages[:last+1])
	for _, r := range slices.Concat(rules, rulebook) {
		if (r.With == "" || f[r.With] != "") && r.fits(in, last) {
			if in.Schema != nil && len(r.Do) == done(r, results) {
				return r.shape(in, told(f, results))
			}
			out := r.follow(in, f, results)
			out.fault = r.Fault
			return out
		}
	}
	if in.Schema != nil {
		return reply{text: answerShaped(in, in.Schema)}
	}
	return improvise(in, in.Messages[last].Content, f, results)
}

// lastSaid is the place of what a person said last; -1 where nobody did.
func (in *request) lastSaid() int {
	last := len(in.Messages) - 1
	for last >= 0 && in.Messages[last].Role != "user" {
		last--
	}
	return last
}

// done is how many of a rule's tools gave something.
func done(r rule, results []result) int {
	n := 0
	for _, a := range r.Do {
		if slices.ContainsFunc(results, func(res result) bool { return res.is(a.Tool) }) {
			n++
		}
	}
	return n
}

// shape is a rule's answer where JSON is asked for: what the rule says, else what can
// be read out of the conversation.
func (r rule) shape(in *request, data map[string]any) reply {
	out := reply{fault: r.Fault}
	if r.Answer == nil {
		out.text = answerShaped(in, in.Schema)
		return out
	}
	text, err := json.Marshal(filledIn(r.Answer, in.Schema, data))
	if err != nil {
		return reply{text: "The rule's answer is no JSON: " + err.Error()}
	}
	out.text = string(text)
	return out
}

// fits tells whether a rule is about what was said last, or whether the last
// message answers a question the rule asked.
func (r rule) fits(in *request, last int) bool {
	if r.Model != "" && !strings.HasSuffix(in.Model, r.Model) {
		return false
	}
	for _, a := range r.Do {
		if in.tool(a.Tool) == "" {
			return false
		}
	}
	said := strings.ToLower(in.Messages[last].Content)
	if len(r.Words) == 0 && len(r.Needs) == 0 {
		return true
	}
	for _, w := range r.Words {
		if strings.Contains(said, strings.ToLower(w)) {
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

// tool finds the full name of an offered tool by its operation, or by both, as in
// loft/read.
func (in *request) tool(operation string) string {
	wire := strings.ReplaceAll(operation, "/", "__")
	for _, t := range in.Tools {
		if t.Name == wire || strings.HasSuffix(t.Name, "__"+wire) {
			return t.Name
		}
	}
	return ""
}

// is tells whether it is what a tool of a rule gave.
func (r result) is(tool string) bool {
	if strings.Contains(tool, "/") {
		return r.name == strings.ReplaceAll(tool, "/", "__")
	}
	return r.operation == tool
}

// result is what became of a tool since the person last spoke.
type result struct {
	name      string // as it was offered
	operation string
	value     any
	failed    string
	declined  bool
	note      string
}

var saidWhy = regexp.MustCompile(`They said: (.*)$`)

func readResults(messages []message) []result {
	names, operations := map[string]string{}, map[string]string{}
	var out []result
	for _, m := range messages {
		for _, c := range m.Calls {
			_, operation, ok := strings.Cut(c.Name, "__")
			if !ok {
				operation = c.Name
			}
			names[c.ID], operations[c.ID] = c.Name, operation
		}
		if m.Role != "tool" {
			continue
		}
		r := result{name: names[m.CallID], operation: operations[m.CallID]}
		switch {
		case strings.HasPrefix(m.Content, "error: "):
			r.failed = strings.TrimPrefix(m.Content, "error: ")
		case strings.Contains(m.Content, "it was not done."):
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

func (r rule) follow(in *request, f facts, results []result) reply {
	for _, n := range r.Needs {
		if f[n.Fact] == "" {
			return reply{text: n.Ask}
		}
	}
	data := map[string]any{"facts": map[string]string(f)}
	for _, res := range results {
		switch {
		case res.declined:
			data["note"] = res.note
			return reply{text: fill(cmp.Or(r.Declined, "That was declined, so I left it."), data)}
		case res.failed != "":
			return reply{text: "That did not work: " + res.failed + ". Would another time do?"}
		}
		data[res.operation], data["result"] = res.value, res.value
		if m, ok := res.value.(map[string]any); ok {
			if windows, ok := m["windows"].([]any); ok && len(windows) > 0 {
				data["window"] = windows[0]
			}
		}
	}
	for _, a := range r.Do {
		if !slices.ContainsFunc(results, func(res result) bool { return res.is(a.Tool) }) {
			return reply{calls: []toolCall{in.use(a, data)}}
		}
		if a.Nothing != "" && data["window"] == nil {
			return reply{text: fill(a.Nothing, data)}
		}
	}
	if r.Say == "" && len(results) > 0 {
		return reply{text: plainly(results[len(results)-1].value)}
	}
	return reply{text: fill(r.Say, data)}
}

// use fills the arguments of a tool in, each in the kind its schema asks for.
func (in *request) use(a action, data map[string]any) toolCall {
	name := in.tool(a.Tool)
	args := map[string]any{}
	for _, t := range in.Tools {
		if t.Name != name {
			continue
		}
		properties, _ := t.Parameters["properties"].(map[string]any)
		for key, value := range a.Args {
			if schema, offered := properties[key].(map[string]any); offered {
				args[key] = filledIn(value, schema, data)
			}
		}
	}
	text, _ := json.Marshal(args)
	return toolCall{Name: name, Arguments: string(text)}
}

// filledIn is an argument with its texts filled in, each in the kind its schema asks for.
func filledIn(value any, schema, data map[string]any) any {
	switch v := value.(type) {
	case string:
		filled := fill(v, data)
		if n, err := strconv.ParseFloat(filled, 64); err == nil && schema["type"] != "string" {
			return n
		}
		return filled
	case []any:
		items, _ := schema["items"].(map[string]any)
		out := make([]any, len(v))
		for i, item := range v {
			out[i] = filledIn(item, items, data)
		}
		return out
	case map[string]any:
		properties, _ := schema["properties"].(map[string]any)
		out := map[string]any{}
		for key, inner := range v {
			of, _ := properties[key].(map[string]any)
			out[key] = filledIn(inner, of, data)
		}
		return out
	}
	return value
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

// told is what templates see: the facts, and what each tool gave.
func told(f facts, results []result) map[string]any {
	data := map[string]any{"facts": map[string]string(f)}
	for _, r := range results {
		data[r.operation], data["result"] = r.value, r.value
	}
	return data
}

// best is the line of a text that a question has most words in common with.
func best(text, question string) string {
	line, most := "", 0
	for one := range strings.Lines(text) {
		if n := overlap(strings.ToLower(one), strings.ToLower(question)); n > most {
			line, most = strings.TrimSpace(one), n
		}
	}
	return cmp.Or(line, "No rule says anything of that.")
}

// fill fills a template of the rulebook in.
func fill(text string, data map[string]any) string {
	t, err := template.New("").Option("missingkey=zero").Funcs(template.FuncMap{
		"day":   func(v any) string { return parseMoment(v).Format("Monday 2 January") },
		"clock": func(v any) string { return parseMoment(v).Format("15:04") },
		"best":  best,
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
