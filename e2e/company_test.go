package e2e_test

import (
	"errors"
	"fmt"
	"maps"
	"strings"
	"testing"

	"woolsignal/client"
	"woolsignal/core/agent"
	"woolsignal/core/money"
	"woolsignal/core/run"
	"woolsignal/e2e/harness"
	"woolsignal/wire"
)

// company is a front agent that has a workflow for a tool and another agent to consult,
// none of them of the demo.
var company = map[string]string{
	"agents/front.yaml": `agent: front
title: Front
purpose: Answers growers.
model: medium
instructions: Weigh what was brought, and ask the scholar about breeds.
tools:
  - {workflow: weigh-in, approval: none}
helpers:
  - agent: scholar
    judge: A breed is asked about.
limits: {turns: 6, cost: 0.05}
`,
	"agents/scholar.yaml": `agent: scholar
title: Scholar
purpose: Knows breeds and their wool.
model: large
instructions: Say which wool the breed has.
inputs: {type: object, required: [breed], properties: {breed: {type: string, description: The breed.}}}
answer: {type: object, required: [wool], properties: {wool: {type: string}}}
`,
	"workflows/weigh-in.yaml": `workflow: weigh-in
title: Weigh in
purpose: Says the net weight of what was brought.
inputs:
  type: object
  required: [gross]
  properties: {gross: {type: number, description: Kilograms with the sacks.}}
result: {type: object, required: [net], properties: {net: {type: number}}}
gives:
  net: ${inputs.gross - 2.0}
steps:
  - label: {as: [weighed]}
`,
	"workflows/front-desk.yaml": `workflow: front-desk
title: Front desk
inputs: {type: object, required: [words], properties: {words: {type: string}}}
gives: {said: '${answer.text}'}
steps:
  - id: answer
    agent: front
    task: ${inputs.words}
`,
}

// asksBoth has the front agent weigh, consult the scholar, and answer from both.
func asksBoth(s *harness.Service) {
	rehearses(s, map[string]any{"words": []string{"we brought"}, "do": []map[string]any{
		{"tool": "workflow/weigh-in", "args": map[string]any{"gross": 40}},
		{"tool": "helper/scholar", "args": map[string]any{"task": "Which wool has it?",
			"inputs": map[string]any{"breed": "Fell Grey"}}}},
		"say": `{{(index . "weigh-in").net}} kg, {{.scholar.answer.wool}}.`},
		map[string]any{"words": []string{"Which wool has it", "does not fit"},
			"answer": map[string]any{"wool": "coarse and strong"}})
}

// opens the front desk and waits for what comes of it.
func frontDesk(t *testing.T, s *harness.Service, files map[string]string, words string) wire.Detail {
	t.Helper()
	ines := s.As("Ines")
	withFiles(t, s, files)
	if _, err := ines.Publish(harness.Context(t), wire.Publish{Workflows: []string{"weigh-in",
		"front-desk"}}); err != nil {
		t.Fatal(err)
	}
	id, err := ines.Start(harness.Context(t), "front-desk", wire.Start{Inputs: map[string]any{"words": words}})
	if err != nil {
		t.Fatal(err)
	}
	return s.Ended(id)
}

// TestAnAgentHasWorkflowsAndHelpers has an agent start a workflow and consult another
// agent: each is a run of its own, with its place in the caller's record, and its cost
// in the caller's sum.
func TestAnAgentHasWorkflowsAndHelpers(t *testing.T) {
	t.Parallel()
	s := harness.Demo(t)
	asksBoth(s)
	d := frontDesk(t, s, company, "We brought 40 kg of Fell Grey")
	step := stepOf(t, d, "answer")
	if d.Status != run.Done || fmt.Sprint(d.Result) != "map[said:38 kg, coarse and strong.]" {
		t.Fatalf("%s %s: %v, %+v", d.Status, d.Because, d.Result, step.Agent.Messages)
	}
	var below money.Micros
	for _, c := range step.Agent.Calls {
		child, err := s.As("Ines").Run(harness.Context(t), c.Child)
		if err != nil || c.State != agent.Done || child.Origin == nil || child.Origin.Run != d.ID {
			t.Fatalf("%s: %v, %+v, %+v", c.Tool, err, c, child.Origin)
		}
		if below += child.Cost; c.Cost != child.Cost {
			t.Errorf("%s cost %d, and its run %d", c.Tool, c.Cost, child.Cost)
		}
		if c.Tool == "helper/scholar" {
			system := stepOf(t, child, "answer").Agent.System
			if child.Workflow != "agents/scholar" || strings.Contains(system, "Weigh") {
				t.Errorf("the helper was told %s", system)
			}
		}
	}
	if below == 0 || d.Below != below || d.Cost <= below || step.Cost != d.Cost {
		t.Errorf("it cost %d, %d of it by the runs it called, whose cost is %d; its step cost %d", d.Cost, d.Below,
			below, step.Cost)
	}
}

// TestCompanyThatGoesWrong has each thing go wrong that company brings: the agent is told,
// and its run says so.
func TestCompanyThatGoesWrong(t *testing.T) {
	t.Parallel()
	for name, c := range map[string]struct {
		change map[string]string // what is another in which file
		says   string
	}{
		"a result that does not fit": {map[string]string{"workflows/weigh-in.yaml": "net: {type: number}|net: " +
			"{type: number, minimum: 100}"},
			"error: Weigh in failed: "},
		"inputs that do not fit": {map[string]string{"workflows/weigh-in.yaml": "gross: {type: number|gross: " +
			"{type: number, maximum: 9"},
			"the arguments do not fit"},
		"a helper that fails": {map[string]string{"agents/scholar.yaml": "wool: {type: string}|wool: {type: " +
			"string, maxLength: 3}"},
			"Scholar's answer does not fit after 3 tries"},
		"a helper that spends its caller's budget": {map[string]string{"agents/front.yaml": "cost: 0.05|cost: 0.0003"},
			"what is left of the limit of Front"},
		"a run that has nothing left": {map[string]string{"workflows/front-desk.yaml": "gives:|budget: {run: " +
			"0.0003}\ngives:"},
			"for a run of Front desk is spent"},
	} {
		t.Run(name, func(t *testing.T) {
			s := harness.Demo(t)
			asksBoth(s)
			files := maps.Clone(company)
			for path, change := range c.change {
				from, to, _ := strings.Cut(change, "|")
				files[path] = strings.Replace(files[path], from, to, 1)
			}
			d := frontDesk(t, s, files, "We brought 40 kg of Fell Grey")
			said := d.Because
			for _, m := range stepOf(t, d, "answer").Agent.Messages {
				said += "\n" + m.Text
			}
			if !strings.Contains(said, c.says) || !d.Status.Ended() {
				t.Errorf("%s: %s", d.Status, said)
			}
			if limit := money.FromUnits(0.0003); strings.Contains(name, "budget") && d.Cost > limit {
				t.Errorf("it spent %d of %d", d.Cost, limit)
			}
		})
	}
}

// TestAgentsThatAskEachOther finds a circle before anything runs, and refuses it where it
// runs all the same: the last one is told, and everybody answers.
func TestAgentsThatAskEachOther(t *testing.T) {
	t.Parallel()
	s := harness.Demo(t)
	files := maps.Clone(company)
	files["agents/scholar.yaml"] += "helpers: [front]\n"
	all, err := s.As("Ines").Files(harness.Context(t))
	if err != nil {
		t.Fatal(err)
	}
	maps.Copy(all, files)
	_, err = s.As("Ines").Apply(harness.Context(t), wire.Files{Files: all})
	var refused *client.Problem
	if !errors.As(err, &refused) {
		t.Fatalf("applied: %v", err)
	}
	found := ""
	for _, p := range refused.Problems {
		found += p.File + ": " + p.What + "\n"
	}
	const circle = "these ask each other in a circle: helper/front → helper/scholar → helper/front"
	if !strings.Contains(found, "agents/front.yaml: "+circle) {
		t.Errorf("the checker says\n%s", found)
	}
}

// TestAWorkflowAnAgentStartsIsRenamed gives such a workflow another name: the agents that
// start it follow, in what is written and in what is live.
func TestAWorkflowAnAgentStartsIsRenamed(t *testing.T) {
	t.Parallel()
	s := harness.Demo(t)
	asksBoth(s)
	frontDesk(t, s, company, "We brought 40 kg of Fell Grey")
	ines := s.As("Ines")
	if err := ines.Rename(harness.Context(t), "weigh-in", "weigh-all"); err != nil {
		t.Fatal(err)
	}
	if text := agentText(t, s, "front"); !strings.Contains(text, "{workflow: weigh-all, approval: none}") {
		t.Errorf("the agent's file says\n%s", text)
	}
	id, err := ines.Start(harness.Context(t), "front-desk", wire.Start{Inputs: map[string]any{
		"words": "We brought 40 kg of Fell Grey"}})
	if err != nil {
		t.Fatal(err)
	}
	if d := s.Ended(id); fmt.Sprint(d.Result) != "map[said:38 kg, coarse and strong.]" {
		t.Errorf("what is live says %v: %+v", d.Result, stepOf(t, d, "answer").Agent.Messages)
	}
}

// TestACircleIsRefusedWhereItRuns has a workflow that an agent starts become one that has
// the agent asked: the second start is refused with the way round, and everybody ends.
func TestACircleIsRefusedWhereItRuns(t *testing.T) {
	t.Parallel()
	s := harness.Demo(t)
	asksBoth(s)
	frontDesk(t, s, company, "We brought 40 kg of Fell Grey")
	ines := s.As("Ines")
	files, err := ines.Files(harness.Context(t))
	if err != nil {
		t.Fatal(err)
	}
	// What is written has no circle: only what is live of the front desk still weighs.
	files["workflows/weigh-in.yaml"] = strings.Replace(files["workflows/weigh-in.yaml"], "  - label: {as: [weighed]}",
		"  - {call: front-desk, inputs: {words: 'We brought some'}}", 1)
	files["agents/front.yaml"] = strings.Replace(files["agents/front.yaml"],
		"tools:\n  - {workflow: weigh-in, approval: none}\n", "", 1)
	if _, err := ines.Apply(harness.Context(t), wire.Files{Files: files}); err != nil {
		t.Fatal(err)
	}
	if _, err := ines.Publish(harness.Context(t), wire.Publish{Workflows: []string{"weigh-in"}}); err != nil {
		t.Fatal(err)
	}
	id, err := ines.Start(harness.Context(t), "front-desk",
		wire.Start{Inputs: map[string]any{"words": "We brought 40 kg"}})
	if err != nil {
		t.Fatal(err)
	}
	if d := s.Ended(id); d.Status != run.Done {
		t.Errorf("%s %s", d.Status, d.Because)
	}
	s.RunOf("front-desk", "is refused in the circle", func(d wire.Detail) bool {
		for _, step := range d.Steps {
			if step.Agent == nil {
				continue
			}
			for _, c := range step.Agent.Calls {
				if strings.Contains(c.Error,
					"it cannot be asked: front-desk → weigh-in → front-desk → weigh-in") {
					return true
				}
			}
		}
		return false
	})
}

// TestWhoWaitsForARunWaitsForThoseItCalled starts a workflow from the command line that
// waits for another, which takes its time and then asks a person.
func TestWhoWaitsForARunWaitsForThoseItCalled(t *testing.T) {
	t.Parallel()
	s := harness.Demo(t)
	slow := "const end = Date.now() + 600; while (Date.now() < end); return {n: kg / 2}"
	for id, c := range map[string]struct{ then, want string }{
		"slow-one": {"", "done"},
		"slow-two": {"  - review: {ask: owner, show: 'Is that all'}\n", "waiting"},
	} {
		called := "workflow: " + id + "\ntitle: Slow\n" +
			"inputs: {type: object, required: [kg], properties: {kg: {type: number}}}\nsteps:\n  - id: half\n" +
			"    javascript: {inputs: {kg: '${inputs.kg}'}, code: '" + slow + "'}\n" + c.then +
			"gives: {kg: '${half.n}'}\n"
		calls := "workflow: calls-" + id + "\ntitle: Calls\ninputs: {type: object}\nsteps:\n  - id: got\n" +
			"    call: " + id + "\n    inputs: {kg: '${80}'}\ngives: {kg: '${got.kg}'}\n"
		if err := errors.Join(with(t, s, id, called), with(t, s, "calls-"+id, calls)); err != nil {
			t.Fatal(err)
		}
		out, errs, code := s.Command("Ines", "", "start", "calls-"+id)
		if first, _, _ := strings.Cut(out, "\n"); code != 0 || !strings.Contains(first, c.want) {
			t.Errorf("start calls-%s: exit %d, %s %s", id, code, out, errs)
		}
		if strings.Contains(out, "running") {
			t.Errorf("it did not wait: %s", out)
		}
	}
}
