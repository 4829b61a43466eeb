package flow_test

import (
	"fmt"
	"slices"
	"strings"
	"testing"
	"time"

	"woolsignal/core/flow"
	"woolsignal/core/fuzztest"
)

// files is a small workspace without problems; each test changes one file.
func files() map[string]string {
	return map[string]string{
		"woolsignal.yaml": "name: Larkrigg\nzone: Europe/London\nteams:\n  grading-lead: [tobias@larkrigg.example]\n",
		"connections/models.yaml": `connection: models
title: Bellwether
address: http://127.0.0.1:7421/v1
model_server:
  protocol: chat-completions
  models:
    medium: {name: "bellwether-medium", input_price: 0.4}
`,
		"connections/key.yaml": "connection: key\ntitle: Key\nsigning_key:\n  scheme: standard-webhooks\n",
		"schemas/delivery.json": `{"type": "object", "required": ["kg", "grower"], "properties": {"kg": {"type": ` +
			`"number"}, "grower": {"type": "string"}}}`,
		"agents/clerk.yaml": `agent: clerk
title: Clerk
model: medium
instructions: |
  Help.
tools:
  - slots/find
  - tool: slots/remove
    approval: {always: true, ask: grading-lead}
`,
		"workflows/intake.yaml": `workflow: intake
title: Intake
triggers:
  - id: scale
    webhook: {path: intake, verify: key, accepts: "schemas/delivery.json", answer: computed}
steps:
  - id: net
    compute:
      half: signal.body.kg / 2
  - id: sort
    decide:
      cases:
        - when: net.half > 10
          do:
            - id: free
              tool: slots/find
              args:
                day: ${signal.body.grower}
          gives:
            lane: ${free.day}
      otherwise:
        gives:
          lane: clean
  - answer_caller:
      status: 201
      body:
        lane: ${sort.lane}
`,
		"workflows/desk.yaml": "workflow: desk\ntitle: Desk\ntriggers:\n  - id: page\n    chat: {page: desk}\n" +
			"steps:\n  - id: answer\n    agent: clerk\n    task: ${signal.text}\n  - say:\n" +
			"      text: ${answer.text}\n",
	}
}

func catalogue(name string) (flow.Tool, bool) {
	day := map[string]any{"type": "object", "required": []any{"day"}, "additionalProperties": false,
		"properties": map[string]any{"day": map[string]any{"type": "string"}}}
	t, ok := map[string]flow.Tool{
		"slots/find": {Name: "slots/find", Title: "Slots: find", ReadOnly: true, Input: day, Output: day},
		"slots/remove": {Name: "slots/remove", Title: "Slots: remove",
			Input: map[string]any{"type": "object", "properties": map[string]any{"id": map[string]any{}}}},
	}[name]
	return t, ok
}

func problems(all map[string]string) []flow.Problem {
	w, found := flow.Decode(all)
	return append(found, w.Check(catalogue)...)
}

func TestASoundWorkspaceHasNoProblems(t *testing.T) {
	for _, p := range problems(files()) {
		t.Error(p)
	}
}

// TestProblemsSayWhereWhatAndWhatWouldBeRight changes one text of a sound
// workspace at a time.
func TestProblemsSayWhereWhatAndWhatWouldBeRight(t *testing.T) {
	const intake, desk, clerk = "workflows/intake.yaml", "workflows/desk.yaml", "agents/clerk.yaml"
	const models, main = "connections/models.yaml", "woolsignal.yaml"
	for _, c := range []struct {
		file, old, new string
		line, column   int
		what, remedy   string
	}{
		{intake, "title: Intake", "titel: Intake", 2, 1, "no key titel", "did you mean title?"},
		{intake, "title: Intake\n", "", 1, 1, "title is missing", "add title"},
		{intake, "workflow: intake", "workflow: intakes", 1, 1, "is called intake but says it is intakes",
			"workflow: intake"},
		{intake, "half: signal.body.kg / 2", "half: signal.body.kgs / 2", 9, 13, "signal.body.kgs: there is no kgs",
			"signal.body has grower, kg"},
		{intake, "half: signal.body.kg / 2", "half: signal.body.kg /", 9, 29, "breaks off", ""},
		{intake, "half: signal.body.kg / 2", "half: nett.kg", 9, 13, "there is no nett here", ""},
		{intake, "when: net.half > 10", "when: net.hlf > 10", 13, 17, "net.hlf: there is no hlf", "net has half"},
		{intake, "lane: ${free.day}", "lane: ${free.dy}", 20, 21, "free.dy: there is no dy", "free has day"},
		{intake, "lane: ${sort.lane}", "lane: ${free.day}", 27, 17, "there is no free here", ""},
		{intake, "lane: ${sort.lane}", "lane: ${sort.lane", 27, 15, "without its closing }", ""},
		{intake, "day: ${signal", "week: ${signal", 18, 23, "slots/find takes no week", "slots/find has day"},
		{intake, "tool: slots/find", "tool: slots/look", 16, 21, "nothing here is called slots",
			"connections/slots.yaml"},
		{intake, "tool: slots/find", "tool: models/find", 16, 21, "there is no tool models/find",
			"woolsignal tools models"},
		{intake, "verify: key", "verify: kee", 5, 37, "no signing key called kee", "connections/kee.yaml"},
		{intake, "schemas/delivery.json", "schemas/load.json", 5, 51, "no schema schemas/load.json", ""},
		{intake, "answer: computed", "answer: later", 5, 84, "answer cannot be \"later\"", "receipt, computed"},
		{intake, "status: 201", "status: 99", 25, 7, "status must be from 200 to 599", ""},
		{intake, "  - id: net\n", "  - id: signal\n", 7, 5, "signal already means something", ""},
		{intake, "  - id: net\n", "  - id: Net-1\n", 7, 9, "cannot be used as id", "free_windows"},
		{intake, "  - id: sort\n", "  - id: net\n", 10, 5, "the name net is already taken", ""},
		{intake, "      half: signal.body.kg / 2", "      half:", 9, 7, "the key half has no value", ""},
		{intake, "        lane: ${sort.lane}", "        lane: !lane x", 27, 15, "starts with !", "in quotes"},
		{intake, "title: Intake", "title: &t Intake", 2, 8, "anchors and aliases", ""},
		{intake, "title: Intake", "title: [Intake", 0, 1, "not YAML", ""},
		{intake, "grower}", "grower} ${signal.from.name}", 18, 46, "there is no name", "signal.from has no fields"},
		{desk, "${signal.text}", "${signal.body.text}", 9, 13, "signal.body.text: there is no text", "no fields"},
		{desk, "agent: clerk", "agent: clark", 8, 12, "no agent clark", "did you mean clerk?"},
		{desk, "    task: ${signal.text}\n", "", 7, 5, "given nothing to do", ""},
		{desk, "${answer.text}", "${answer.words}", 11, 15, "there is no words", "answer has agent, text"},
		{desk, "  - say:", "  - end_run:\n      outcome: done\n  - say:", 12, 5, "never reached", ""},
		{desk, "chat: {page: desk}", "schedule: {every: soon}", 5, 16, "\"soon\" is not a duration", "15m"},
		{desk, "chat: {page: desk}", "schedule: {every: 15m}", 10, 5, "nobody is talking here",
			"chat or phone trigger"},
		{clerk, "model: medium", "model: medum", 1, 1, "no connection offers the model medum", "did you mean medium?"},
		{clerk, "ask: grading-lead", "ask: grading-led", 8, 5, "nobody is called grading-led", "grading-lead"},
		{clerk, "    approval: {always: true, ask: grading-lead}\n", "", 8, 5, "nobody wrote down who approves",
			"approval: none"},
		{clerk, "always: true", "always: true, when: args.id == \"\"", 9, 15, "in one way", ""},
		{clerk, "always: true", `when: "args.ids > 1"`, 9, 23, "there is no ids", "args has id"},
		{models, "address: http://127.0.0.1:7421/v1\n", "", 1, 1, "address is missing", ""},
		{models, "protocol: chat-completions", "protocol: chat", 5, 13, "protocol cannot be", ""},
		{models, "0.4", "cheap", 7, 41, "input_price must be a number", ""},
		{main, "Europe/London", "Larkrigg", 2, 7, "not a time zone", "Europe/London"},
	} {
		all := files()
		if !strings.Contains(all[c.file], c.old) {
			t.Fatalf("%s does not hold %q", c.file, c.old)
		}
		all[c.file] = strings.Replace(all[c.file], c.old, c.new, 1)
		found := problems(all)
		if !slices.ContainsFunc(found, func(p flow.Problem) bool {
			return p.File == c.file && (c.line == 0 || p.Line == c.line && p.Column == c.column) &&
				strings.Contains(p.What, c.what) && strings.Contains(p.Remedy, c.remedy)
		}) {
			t.Errorf("%q for %q: want %s:%d:%d %q (%q), got %v", c.new, c.old, c.file, c.line, c.column, c.what,
				c.remedy, found)
		}
	}
}

func TestRemarksHinderNothing(t *testing.T) {
	all := files()
	all["agents/clerk.yaml"] = strings.Replace(all["agents/clerk.yaml"], "approval: {always: true, ask: grading-lead}",
		"approval: none", 1)
	found := problems(all)
	if len(found) != 1 || found[0].Severity != flow.Remark || flow.Wrongs(found) != 0 {
		t.Errorf("an approval that is none on purpose: %v", found)
	}
}

func TestTwoWebhooksCannotShareAPath(t *testing.T) {
	all := files()
	all["workflows/other.yaml"] = strings.Replace(all["workflows/intake.yaml"], "workflow: intake", "workflow: other",
		1)
	if found := problems(all); len(found) != 1 ||
		!strings.Contains(found[0].What, "the workflow intake already has the webhook path") {
		t.Errorf("%v", found)
	}
}

func TestFilesWithoutAPlaceAreNamed(t *testing.T) {
	all := files()
	for _, path := range []string{"notes.txt", "workflows/deep/intake.yaml", "workflows/../desk.yaml", "agents/.yaml",
		"/etc/x.yaml"} {
		all[path] = all["workflows/desk.yaml"]
	}
	delete(all, "woolsignal.yaml")
	found := problems(all)
	if len(found) != 7 || strings.Count(fmt.Sprint(found), "no place for this file") != 5 ||
		!strings.Contains(fmt.Sprint(found), "woolsignal.yaml is missing") {
		t.Errorf("%v", found)
	}
}

func TestExplainReadsAsSentences(t *testing.T) {
	w, _ := flow.Decode(files())
	var got []string
	for _, l := range w.Explain(w.Workflows["intake"], catalogue) {
		got = append(got, fmt.Sprintf("%s|%s%s|%s", l.Path, strings.Repeat(" ", l.Depth), l.Number, l.Text()))
	}
	want := []string{
		"trigger/scale||When scale posts to /in/intake, checked by Key, filled in as delivery",
		"0|1|Work out net: half = kg ÷ 2",
		"1|2|Decide sort",
		"1/case-1| |if half of net is more than 10, giving lane day of free:",
		"1/case-1/0|  2.a1|Use Slots: find with day grower",
		"1/otherwise| |otherwise, giving lane “clean”",
		"2|3|Answer the caller with 201: lane of sort",
	}
	if !slices.Equal(got, want) {
		t.Errorf("explained as\n%s\nwant\n%s", strings.Join(got, "\n"), strings.Join(want, "\n"))
	}
}

func FuzzDecodeWorkflow(fuzzed *testing.F) {
	f := fuzztest.New(fuzzed)
	for _, text := range files() {
		f.Add(text)
	}
	f.Fuzz(func(t *testing.T, text string) {
		all := files()
		all["workflows/intake.yaml"], all["agents/clerk.yaml"] = text, text
		w, _ := flow.Decode(all)
		w.Check(catalogue)
		for _, one := range w.Workflows {
			w.Explain(one, catalogue)
		}
	})
}

func ExampleDurationWords() {
	d, _ := flow.ParseDuration("90m")
	fmt.Println(flow.DurationWords(d), "·", flow.DurationWords(15*time.Minute), "·", flow.DurationWords(time.Hour))
	// Output: 90 minutes · 15 minutes · hour
}
