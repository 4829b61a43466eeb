package e2e_test

import (
	"maps"
	"net/http"
	"strings"
	"testing"

	"woolsignal/core/run"
	"woolsignal/e2e/harness"
	"woolsignal/wire"
)

// grader is an agent that is not of the demo: what it is given and answers is typed,
// and a part of its answer is chosen from a table.
var grader = map[string]string{
	"tables/grades.yaml": "table: grades\ntitle: Grades\ncolumns:\n  - {name: grade, type: text}\n" +
		"  - {name: meaning, type: text}\n",
	"tables/grades.csv": "grade,meaning\nfine,soft and even\ncoarse,harsh and strong\n",
	"agents/grader.yaml": `agent: grader
title: Grader
purpose: Says which grade a sample is.
model: medium
instructions: Look the sample up, then say its grade.
tools: [fibre-tests/find]
inputs: {type: object, required: [sample], properties: {sample: {type: string}}}
answer:
  type: object
  required: [grade, why]
  properties:
    grade: {type: string, choices: {table: grades, column: grade, describe: meaning}}
    why: {type: string, minLength: 3}
limits: {turns: 6}
`,
}

// rehearses puts rules to Bellwether, as anybody can who has no model.
func rehearses(s *harness.Service, rules ...map[string]any) {
	s.Outside(http.MethodPut, "bellwether", "/_rules", rules, nil)
}

func withFiles(t *testing.T, s *harness.Service, more map[string]string) {
	t.Helper()
	ines := s.As("Ines")
	files, err := ines.Files(harness.Context(t))
	if err != nil {
		t.Fatal(err)
	}
	for path, text := range more {
		files[path] = text
	}
	checked, err := ines.Apply(harness.Context(t), wire.Files{Files: files})
	if err != nil {
		t.Fatalf("%v %+v", err, checked)
	}
}

// TestAnAgentIsRehearsedWithoutAModel gives an agent of somebody's own a task, with a
// model that follows their rules: it calls a tool, answers what does not fit, is told
// so, and answers what does, chosen from a table.
func TestAnAgentIsRehearsedWithoutAModel(t *testing.T) {
	t.Parallel()
	s := harness.Demo(t)
	withFiles(t, s, grader)
	rehearses(s, map[string]any{"words": []string{"does not fit"}, "answer": map[string]any{"grade": "fine",
		"why": "29 microns"}},
		map[string]any{"words": []string{"grade it"}, "do": []any{map[string]any{"tool": "fibre-tests/find",
			"args": map[string]string{}}},
			"answer": map[string]any{"grade": "superb", "why": "It is lovely."}})
	id, err := s.As("Ines").StartTask(harness.Context(t), "grader",
		wire.Task{Task: "Please grade it", Inputs: map[string]any{"sample": "FT-1"}})
	if err != nil {
		t.Fatal(err)
	}
	d := s.Ended(id)
	step := stepOf(t, d, "answer")
	gave, _ := step.Output.(map[string]any)
	if d.Status != run.Done || gave["grade"] != "fine" || d.Workflow != "agents/grader" || d.Title != "Grader" {
		t.Fatalf("%s %s: %+v", d.Status, d.Because, step.Output)
	}
	a := step.Agent
	if len(a.Turns) != 3 || len(a.Calls) != 1 || a.Wrong != 1 || !strings.Contains(a.Messages[0].Text, "sample: FT-1") {
		t.Errorf("%d turns, %d calls, %d wrong answers; told %q", len(a.Turns), len(a.Calls), a.Wrong,
			a.Messages[0].Text)
	}
	if fill := a.Turns[2].Fill; fill.Told == 0 || fill.Tools == 0 || fill.Task == 0 {
		t.Errorf("what fills its window is %+v", fill)
	}
	again, err := s.As("Ines").Again(harness.Context(t), id, wire.Again{})
	if err != nil {
		t.Fatal(err)
	}
	if d := s.Ended(again); d.Status != run.Done || d.Origin == nil {
		t.Errorf("gone through again: %s %s", d.Status, d.Because)
	}
}

// TestATaskIsHeldAgainstWhatTheAgentTakes gives tasks that cannot be: each is refused in
// words, and starts nothing.
func TestATaskIsHeldAgainstWhatTheAgentTakes(t *testing.T) {
	t.Parallel()
	s := harness.Demo(t)
	files := maps.Clone(grader)
	delete(files, "tables/grades.csv")
	withFiles(t, s, files)
	for name, c := range map[string]struct {
		agent, who, says string
		task             wire.Task
	}{
		"nobody":       {"nobody", "Ines", "There is no agent nobody", wire.Task{Task: "x"}},
		"nothing":      {"grader", "Ines", "Send task", wire.Task{Task: " "}},
		"no inputs":    {"grader", "Ines", "sample", wire.Task{Task: "x"}},
		"wrong inputs": {"grader", "Ines", "sample", wire.Task{Task: "x", Inputs: map[string]any{"sample": 3}}},
		"inputs nobody": {"depot-desk", "Ines", "given nothing beside its task", wire.Task{Task: "x",
			Inputs: map[string]any{"a": 1}}},
		"too long": {"depot-desk", "Ines", "20,000 bytes", wire.Task{Task: strings.Repeat("x", 20_001)}},
		"a reader": {"depot-desk", "Owen", "builder", wire.Task{Task: "x"}},
	} {
		if id, err := s.As(c.who).StartTask(harness.Context(t), c.agent, c.task); err == nil ||
			!strings.Contains(err.Error(), c.says) {
			t.Errorf("%s: %q %v", name, id, err)
		}
	}
	// A table without rows has nothing to choose from: the run says so.
	id, err := s.As("Ines").StartTask(harness.Context(t), "grader", wire.Task{Task: "x",
		Inputs: map[string]any{"sample": "FT-1"}})
	if err != nil {
		t.Fatal(err)
	}
	if d := s.Ended(id); d.Status != run.Failed || !strings.Contains(d.Because, "nothing to choose from") {
		t.Errorf("%s %s", d.Status, d.Because)
	}
}

// TestWhateverAModelSendsHasOneOutcome has the model go wrong in every way: the run
// says how, keeps what was reached, and everything else goes on.
func TestWhateverAModelSendsHasOneOutcome(t *testing.T) {
	t.Parallel()
	s := harness.Demo(t)
	for fault, says := range map[string]string{"length": "cut off", "filter": "filter", "refusal": "refused",
		"half": "broke off", "garbage": "cannot be read", "nothing": "answered nothing", "thinking": "answered nothing",
		"huge": "more than 2 MB", "calls": "more than 64 calls", "arguments": "more than 2 MB"} {
		rehearses(s, map[string]any{"fault": fault})
		id, err := s.As("Ines").StartTask(harness.Context(t), "depot-desk", wire.Task{Task: "Hello"})
		if err != nil {
			t.Fatal(err)
		}
		d := s.Ended(id)
		if d.Status != run.Failed || !strings.Contains(d.Because, says) {
			t.Errorf("%s: %s %q, want %q", fault, d.Status, d.Because, says)
		}
		kept, _ := stepOf(t, d, "answer").Output.(map[string]any)
		if (fault == "length" || fault == "refusal") && kept["reached"] == nil {
			t.Errorf("%s: what was reached is not kept", fault)
		}
	}
	rehearses(s)
	if d := s.Talk("t9", "Can I bring 30 fleeces on Thursday morning?"); d.Status != run.Done {
		t.Errorf("afterwards: %s %s", d.Status, d.Because)
	}
}
