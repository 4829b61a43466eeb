package run_test

import (
	"encoding/json"
	"os"
	"reflect"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"testing"

	"go.yaml.in/yaml/v3"

	"woolsignal/core/expr"
	"woolsignal/core/flow"
	"woolsignal/core/run"
	"woolsignal/core/schema"
)

var (
	exampleBlock = regexp.MustCompile("(?s)```yaml\n(.*?)```")
	exampleGives = regexp.MustCompile(`(?m)^# gives (.*)$`)
)

// examples reads the examples of docs/language.md: steps, and what the last of
// them gives.
func examples(t *testing.T) []string {
	t.Helper()
	text, err := os.ReadFile("../../docs/language.md")
	if err != nil {
		t.Fatal(err)
	}
	var out []string
	for _, m := range exampleBlock.FindAllStringSubmatch(string(text), -1) {
		out = append(out, m[1])
	}
	if len(out) < 20 {
		t.Fatalf("only %d examples were found", len(out))
	}
	return out
}

// inWorkflow puts an example into a workflow, of a conversation where it says so.
func inWorkflow(steps string) string {
	trigger := "    webhook:\n      path: example\n      verify: key\n      accepts: schemas/delivery.json\n" +
		"      answer: computed\n"
	if talks(steps) {
		trigger = "    chat:\n      page: example\n"
	}
	return "\nworkflow: example\ntitle: Example\nmodel: medium\ntriggers:\n  - id: scale\n" + trigger + "steps:\n" +
		"  " + strings.ReplaceAll(strings.TrimSpace(steps), "\n", "\n  ") + "\n"
}

var exampleSays = regexp.MustCompile(`(?m)^# they write (.*)$`)

func talks(example string) bool {
	return strings.Contains(example, "- say:") || exampleSays.MatchString(example)
}

var exampleWorld = world{
	tool: answers.tool,
	model: func(prompt string) string {
		switch {
		case strings.Contains(prompt, "Criterion"):
			return `{"verdicts": [{"holds": true, "confidence": 0.9, "reason": "It says so."}]}`
		case strings.Contains(prompt, "Fill in"):
			return `{"where": "quarantine"}`
		case strings.Contains(prompt, "Which lane"):
			return `{"lane": "wet"}`
		}
		return "Said."
	},
	call: func(inputs map[string]any) (any, string) { return map[string]any{"n": inputs["n"].(int64) * 2}, "" },
	hear: &run.Signal{ID: "h", Kind: "webhook", Subject: "OF-7", Body: map[string]any{"kg": int64(30)}},
}

// TestTheExamplesOfTheLanguageRun checks each example as part of a workspace,
// holds it against the schema editors use, runs it, and compares what its last
// step gives.
func TestTheExamplesOfTheLanguageRun(t *testing.T) {
	text, _ := flow.FileSchema("workflow")
	doc, err := expr.DecodeJSON([]byte(text))
	if err != nil {
		t.Fatal(err)
	}
	fileSchema, err := schema.Compile(doc.(map[string]any))
	if err != nil {
		t.Fatal(err)
	}
	kinds := map[string]bool{}
	for _, example := range examples(t) {
		file := inWorkflow(example)
		var decoded any
		if err := yaml.Unmarshal([]byte(file), &decoded); err != nil {
			t.Errorf("%s\n%v", example, err)
			continue
		}
		if err := fileSchema.Validate(expr.Canonical(decoded)); err != nil {
			t.Errorf("%s\ndoes not fit the schema of workflows: %v", example, err)
		}
		w, problems := flow.Decode(exampleFiles(file))
		problems = append(problems, w.Check(catalogue)...)
		for _, p := range problems {
			if p.Severity == flow.Wrong {
				t.Errorf("%s\n%s", example, p)
			}
		}
		flow.Walk(w.Workflows["example"].Steps, func(s *flow.Step) { kinds[s.Kind] = true })
		readsAs(t, example, w)
		runExample(t, example, w)
	}
	for _, kind := range []string{"agent", "tool", "compute", "decide", "each", "together", "repeat", "section", "wait",
		"model", "call", "javascript", "say", "answer_caller", "review", "label", "remember", "end_run", "question"} {
		if !kinds[kind] {
			t.Errorf("no example has a %s step", kind)
		}
	}
}

var exampleReads = regexp.MustCompile(`(?m)^# reads (.*)$`)

// readsAs holds the sentences of an example's last step against those the
// example says it reads as.
func readsAs(t *testing.T, example string, w *flow.Workspace) {
	t.Helper()
	one := w.Workflows["example"]
	last := strconv.Itoa(len(one.Steps) - 1)
	var got, want []string
	for _, l := range w.Explain(one, catalogue) {
		if l.Path == last || strings.HasPrefix(l.Path, last+"/") {
			got = append(got, strings.Repeat("  ", l.Depth)+l.Text())
		}
	}
	for _, m := range exampleReads.FindAllStringSubmatch(example, -1) {
		want = append(want, m[1])
	}
	if !slices.Equal(got, want) {
		t.Errorf("%s\nreads\n# reads %s", example, strings.Join(got, "\n# reads "))
	}
}

func exampleFiles(file string) map[string]string {
	return map[string]string{
		"woolsignal.yaml":        "name: Larkrigg\nzone: UTC\nmodel: medium\n",
		"workflows/example.yaml": file,
		"workflows/double.yaml": "workflow: double\ntitle: Double\n" +
			"inputs: {type: object, required: [n], properties: {n: {type: number}}}\ngives: {n: '${inputs.n * 2}'}\n" +
			"steps:\n  - label: {as: [doubled]}\n",
		"agents/clerk.yaml":    strings.Replace(clerk, "ask: lead", "ask: owner", 1),
		"connections/key.yaml": "connection: key\ntitle: Key\nsigning_key: {scheme: standard-webhooks}\n",
		"connections/models.yaml": "connection: models\ntitle: Models\naddress: https://models.example\n" +
			"model_server:\n  models:\n    medium: {name: medium}\n",
		"schemas/delivery.json": `{"type": "object", "required": ["gross", "tare", "notes", "Gross kg"], ` +
			`"properties": {"gross": {"type": "number"}, "tare": {"type": "number"}, "notes": {"type": "string"}, ` +
			`"Gross kg": {"type": "number"}, "colour": {"type": "string"}}}`,
	}
}

func runExample(t *testing.T, example string, w *flow.Workspace) {
	t.Helper()
	def := &run.Definition{Workflow: w.Workflows["example"], Agents: w.Agents, Tools: catalogue, Zone: w.Zone,
		Model: w.Model}
	signal := run.Signal{ID: "d1", Kind: "webhook", Trigger: "scale",
		Body: map[string]any{"gross": int64(410), "tare": int64(30), "notes": "wet", "Gross kg": int64(410)}}
	var said []string
	if talks(example) {
		for _, m := range exampleSays.FindAllStringSubmatch(example, -1) {
			said = append(said, m[1])
		}
		signal = chat("hello")
	}
	l := begin(t, def, signal)
	w2 := exampleWorld
	if talks(example) {
		w2.hear = nil // what they write comes one by one
	}
	if strings.Contains(example, "longest:") || strings.Contains(example, "id: longest") {
		w2.script = map[string]any{"name": "Nettlecote"}
	}
	for n, going := 0, true; going; n++ {
		if n > 500 {
			t.Fatalf("%s\ndoes not end", example)
		}
		if l.state.Status == run.Waiting && len(said) > 0 {
			l.answered(said[0])
			said = said[1:]
			continue
		}
		going = w2.step(l)
	}
	wanted := exampleGives.FindStringSubmatch(example)
	if wanted == nil {
		t.Errorf("%s\ndoes not say what it gives", example)
		return
	}
	want, err := expr.DecodeJSON([]byte(wanted[1]))
	if err != nil {
		t.Errorf("%s\n%v", example, err)
		return
	}
	last := l.state.Root.Steps[len(l.state.Root.Steps)-1]
	if !reflect.DeepEqual(last.Output, want) {
		got, _ := json.Marshal(last.Output)
		t.Errorf("%s\ngives %s %s (the run: %s %s)", example, got, last.Error, l.state.Status, l.state.Because)
	}
}
