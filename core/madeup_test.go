package core_test

import (
	"reflect"
	"slices"
	"strings"
	"testing"
	"time"

	"woolsignal/core/expr"
	"woolsignal/core/flow"
	"woolsignal/core/run"
	"woolsignal/core/schema"
	"woolsignal/core/shape"
	_ "woolsignal/core/step"
)

// shear is a kind of step that exists in this file alone.
type shear struct {
	Of    *flow.Expression
	Blade string
}

func init() {
	run.Register("shear", "Shears a flock.", func() run.Doing { return &shear{} })
}

func (s *shear) Fields() []flow.Field {
	return []flow.Field{
		{Name: "of", Into: &s.Of, Missing: "nothing says which flock", Help: "How many sheep.",
			Example: "signal.body.sheep"},
		{Name: "blade", Into: &s.Blade, Choices: []string{"coarse", "fine"}, Default: "fine", Help: "The blade.",
			Example: "coarse"},
	}
}

func (s *shear) Check(c *flow.Checker, _ *flow.Step, names expr.Names) shape.Shape {
	if s.Of != nil {
		c.Insist(s.Of, "number", "give it a number", "sheep are counted", names)
	}
	return shape.Map(map[string]shape.Shape{"fleeces": shape.Number()})
}

func (s *shear) Tell(p *flow.Sentence, _ *flow.Step) {
	p.Say("Shear ").Expression(s.Of).Say(" sheep with a ").Word(s.Blade).Say(" blade")
}

func (s *shear) Advance(at *run.At) run.Outcome {
	if at.Did != nil {
		return run.Blocked
	}
	n, err := s.Of.Eval(at.Scope)
	if err != nil {
		return at.Fail("of: %v", err)
	}
	at.BeginCall("shed/shear", map[string]any{"sheep": n, "blade": s.Blade})
	return at.Wait()
}

func (s *shear) Answered(at *run.At, reply run.Reply) {
	r, is := reply.(*run.Returned)
	if !is || r.Error != "" {
		at.FailReturned(r)
		return
	}
	at.End(map[string]any{"fleeces": r.Result})
}

func (s *shear) Outstanding(at *run.At) []run.Errand {
	return []run.Errand{at.Call(0, "shed/shear")}
}

const shearing = `workflow: shearing
title: Shearing
triggers:
  - id: day
    schedule: {every: 1h}
steps:
  - id: done
    shear:
      of: 20 + 2
  - compute: {n: done.fleeces}
`

// decoded reads a workspace with a workflow, and what the checker says of it.
func decoded(text string) (*flow.Workflow, *flow.Workspace, []flow.Problem) {
	w, problems := flow.Decode(map[string]string{flow.MainFile: "name: L\nzone: UTC\n",
		"workflows/shearing.yaml": text})
	problems = append(problems, w.Check(noTools)...)
	return w.Workflows["shearing"], w, problems
}

func noTools(string) (flow.Tool, bool) { return flow.Tool{}, false }

// A kind of step that is added in one file is read, checked, told, described,
// run, taken up after a crash and documented.
func TestAMadeUpStepIsWhole(t *testing.T) {
	for name, c := range map[string]struct{ was, is, problem string }{
		"sound":                 {"", "", ""},
		"a key it has not":      {"of: 20 + 2", "of: 20 + 2\n      blades: 2", "shear has no key blades"},
		"a choice it has not":   {"of: 20 + 2", "of: 20 + 2\n      blade: blunt", `blade cannot be "blunt"`},
		"nothing where needed":  {"of: 20 + 2", "blade: fine", "nothing says which flock"},
		"a key without value":   {"of: 20 + 2", "of: 20 + 2\n      blade:", "the key blade has no value"},
		"a trap of YAML":        {"of: 20 + 2", "of: 20 #2", "is cut"},
		"of another type":       {"of: 20 + 2", "of: '\"many\"'", "sheep are counted"},
		"what it does not give": {"done.fleeces", "done.lambs", "lambs"},
	} {
		_, _, problems := decoded(strings.Replace(shearing, c.was, c.is, 1))
		said := ""
		for _, p := range problems {
			said += p.What + "\n"
		}
		if c.problem == "" && said != "" || !strings.Contains(said, c.problem) {
			t.Errorf("%s: %s", name, said)
		}
	}
	one, w, _ := decoded(shearing)
	if got := w.Explain(one, noTools)[1].Text(); got != "Shear 20 + 2 sheep with a fine blade" {
		t.Errorf("told as %q", got)
	}
	text, _ := flow.FileSchema("workflow")
	doc, err := expr.DecodeJSON([]byte(text))
	if err != nil {
		t.Fatal(err)
	}
	compiled, err := schema.Compile(doc.(map[string]any))
	if err != nil {
		t.Fatal(err)
	}
	step := map[string]any{"shear": map[string]any{"of": "20 + 2", "blade": "fine"}}
	file := map[string]any{"workflow": "a", "title": "A", "steps": []any{step}}
	if err := compiled.Validate(file); err != nil {
		t.Errorf("an editor refuses it: %v", err)
	}
	step["shear"].(map[string]any)["blade"] = "blunt"
	if compiled.Validate(file) == nil {
		t.Error("an editor takes a blade there is not")
	}
	language := flow.TheLanguage()
	i := slices.IndexFunc(language.Steps, func(k flow.StepKind) bool { return k.Name == "shear" })
	if i < 0 || len(language.Steps[i].Fields) != 2 || language.Steps[i].Fields[1].Default != "fine" {
		t.Errorf("a form would be drawn from %+v", language.Steps)
	}
	if page := language.Markdown(); !strings.Contains(page,
		"| `blade` | coarse, fine; fine if missing | The blade. |") {
		t.Error("the reference does not have it")
	}
	runs(t, one)
}

// runs takes a run of the workflow over a crash to its end.
func runs(t *testing.T, one *flow.Workflow) {
	t.Helper()
	def := &run.Definition{Workflow: one, Tools: noTools, Zone: time.UTC}
	at, state := time.Date(2026, 11, 26, 8, 0, 0, 0, time.UTC), run.NewState("r1")
	first, sent, err := run.Move(def, state, at, run.Host{},
		&run.Arrive{Signal: &run.Signal{ID: "d", Kind: "schedule"}},
		&run.Begin{})
	if err != nil || len(sent) != 1 {
		t.Fatalf("%d errands, %v, %s", len(sent), err, state.Because)
	}
	folded, err := run.Fold("r1", []run.Entry{first})
	if err != nil {
		t.Fatal(err)
	}
	again, err := run.Outstanding(def, folded, at)
	if err != nil || len(again) != 1 || again[0].Key() != sent[0].Key() ||
		!reflect.DeepEqual(again[0].Task, sent[0].Task) {
		t.Fatalf("after a crash %+v is sent, and before %+v was (%v)", again, sent, err)
	}
	if _, _, err := run.Move(def, folded, at, run.Host{},
		again[0].Answer(&run.Returned{Result: int64(22)})); err != nil ||
		folded.Status != run.Done {
		t.Errorf("%s %s, %v", folded.Status, folded.Because, err)
	}
	if got := folded.Step("1").Output; !reflect.DeepEqual(got, map[string]any{"n": int64(22)}) {
		t.Errorf("the step behind it gives %v", got)
	}
}
