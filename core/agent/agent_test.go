package agent_test

import (
	"reflect"
	"strings"
	"testing"
	"time"

	"woolsignal/core/agent"
	"woolsignal/core/expr"
	"woolsignal/core/flow"
	"woolsignal/core/schema"
)

var noon = time.Date(2026, 11, 23, 12, 0, 0, 0, time.UTC)

// desk is an agent with one tool of each manner of approval.
func desk(t *testing.T) (*flow.Agent, []agent.Grant) {
	t.Helper()
	a, problems := flow.DecodeAgent("agents/desk.yaml", `
agent: desk
title: Desk
model: medium
instructions: Help.
tools:
  - slots/find
  - slots/unsaid
  - {tool: slots/free, approval: none}
  - tool: slots/move
    approval: {when: "args.hours_ahead < 24", ask: lead}
    args: {calendar: "docks of ${signal.from.name}"}
limits: {turns: 3, tool_calls: 4, time: 10m, cost: 0.01, tries_per_tool: 2}
`)
	if len(problems) > 0 {
		t.Fatal(problems)
	}
	moves := map[string]any{"type": "object", "required": []any{"hours_ahead", "calendar"},
		"additionalProperties": false,
		"properties": map[string]any{"hours_ahead": map[string]any{"type": "integer"},
			"calendar": map[string]any{"type": "string"}}}
	compiled, err := schema.Compile(moves)
	if err != nil {
		t.Fatal(err)
	}
	specs := map[string]flow.Tool{"slots/find": {Name: "slots/find", ReadOnly: true},
		"slots/unsaid": {Name: "slots/unsaid"},
		"slots/free":   {Name: "slots/free"}, "slots/move": {Name: "slots/move", Input: moves}}
	var grants []agent.Grant
	for _, g := range a.Tools {
		grant := agent.Grant{AgentTool: g, Spec: specs[g.Tool]}
		if g.Tool == "slots/move" {
			grant.Schema = compiled
		}
		grants = append(grants, grant)
	}
	return a, grants
}

func scope() expr.Scope {
	return expr.Scope{Now: noon,
		Names: map[string]any{"signal": map[string]any{"from": map[string]any{"name": "Ines"}}}}
}

// thinking is a state in which the model just asked for some tools.
func thinking(asks ...agent.Request) *agent.State {
	s := &agent.State{Began: noon, Model: "medium", Messages: []agent.Message{{Role: "user", Text: "do it"}}}
	s.PutRecalled(nil, nil)
	s.PutAsked(noon, agent.Turn{})
	s.PutAnswered(agent.Message{Role: "assistant", Asks: asks}, agent.Turn{Answered: noon, Cost: 100})
	return s
}

func TestApprovalIsAskedWhenItMust(t *testing.T) {
	a, grants := desk(t)
	for name, c := range map[string]struct {
		tool   string
		args   map[string]any
		review bool
	}{
		"reading":                {"slots/find", map[string]any{}, false},
		"nothing written down":   {"slots/unsaid", map[string]any{}, true},
		"none on purpose":        {"slots/free", map[string]any{}, false},
		"the condition holds":    {"slots/move", map[string]any{"hours_ahead": int64(3)}, true},
		"the condition does not": {"slots/move", map[string]any{"hours_ahead": int64(48)}, false},
	} {
		moves := thinking(agent.Request{ID: "a", Tool: c.tool, Args: c.args}).Next(a, grants, scope())
		if len(moves) != 1 || (moves[0].Review != nil) != c.review || (moves[0].Start != nil) == c.review {
			t.Errorf("%s: %+v", name, moves)
		}
	}
}

func TestFixedArgumentsAreNeitherSeenNorSet(t *testing.T) {
	a, grants := desk(t)
	offered := grants[3].Offered()
	if p := offered["properties"].(map[string]any); p["calendar"] != nil || p["hours_ahead"] == nil ||
		!reflect.DeepEqual(offered["required"], []any{"hours_ahead"}) {
		t.Errorf("the model is offered %v", offered)
	}
	if grants[3].Spec.Input["properties"].(map[string]any)["calendar"] == nil {
		t.Error("offering changed the tool's own schema")
	}
	asked := map[string]any{"hours_ahead": int64(48), "calendar": "somebody else's"}
	moves := thinking(agent.Request{ID: "a", Tool: "slots/move", Args: asked}).Next(a, grants, scope())
	if got := moves[0].Start.Args["calendar"]; got != "docks of Ines" {
		t.Errorf("the model set a fixed argument to %v", got)
	}
	if asked["calendar"] != "somebody else's" {
		t.Error("what the model asked for was rewritten in the record")
	}
}

func TestLimits(t *testing.T) {
	a, grants := desk(t)
	find := agent.Request{ID: "a", Tool: "slots/find", Args: map[string]any{}}
	asks := make([]agent.Request, 6)
	for i := range asks {
		asks[i] = agent.Request{ID: string(rune('a' + i)), Tool: "slots/find", Args: map[string]any{}}
	}
	refused := 0
	for _, m := range thinking(asks...).Next(a, grants, scope()) {
		if m.Refuse != nil && strings.Contains(m.Refuse.Error, "limit of 4 tool calls") {
			refused++
		}
	}
	if refused != 2 {
		t.Errorf("of six calls at once, with a limit of four, %d were refused", refused)
	}
	settled := func(s *agent.State) *agent.State {
		s.PutCall(agent.Call{ID: "call1", Ask: "a", Tool: "slots/find", State: agent.Done, Result: "x"})
		return s
	}
	for want, change := range map[string]func(*agent.State, *expr.Scope){
		"turns": func(s *agent.State, _ *expr.Scope) { s.Turns = append(s.Turns, s.Turns[0], s.Turns[0]) },
		"time":  func(_ *agent.State, e *expr.Scope) { e.Now = noon.Add(11 * time.Minute) },
		"cost":  func(s *agent.State, _ *expr.Scope) { s.Turns[0].Cost = 10_000 },
		"":      func(*agent.State, *expr.Scope) {},
	} {
		s, e := settled(thinking(find)), scope()
		change(s, &e)
		moves := s.Next(a, grants, e)
		if len(moves) != 1 || want == "" && !moves[0].Ask || want != "" &&
			(moves[0].Fail == nil || moves[0].Fail.Limit != want) {
			t.Errorf("limit %q: %+v", want, moves)
		}
	}
}

func TestNothingIsDoneWhileSomethingIsAwaited(t *testing.T) {
	a, grants := desk(t)
	fresh := &agent.State{}
	asking := &agent.State{}
	asking.PutRecalled(nil, nil)
	asking.PutAsked(noon, agent.Turn{})
	running := thinking(agent.Request{ID: "a", Tool: "slots/find", Args: map[string]any{}})
	running.PutCall(agent.Call{ID: "call1", Ask: "a", Tool: "slots/find", State: agent.Running})
	for name, s := range map[string]*agent.State{"memory": fresh, "the model": asking, "a tool": running} {
		if moves := s.Next(a, grants, scope()); len(moves) != 0 {
			t.Errorf("while %s is awaited: %+v", name, moves)
		}
	}
	if !asking.Thinking() || fresh.Thinking() || running.Thinking() {
		t.Error("thinking is not told from not thinking")
	}
}

func TestAnswersJoinInTheOrderOfTheAsks(t *testing.T) {
	s := thinking(agent.Request{ID: "a", Tool: "slots/find"}, agent.Request{ID: "b", Tool: "slots/find"})
	s.PutCall(agent.Call{ID: "call2", Ask: "b", State: agent.Failed, Error: "no"})
	if len(s.Messages) != 2 {
		t.Fatalf("half of the answers joined: %+v", s.Messages)
	}
	s.PutCall(agent.Call{ID: "call1", Ask: "a", State: agent.Declined, By: "Tobias Quill", Note: "not today"})
	if len(s.Messages) != 4 || s.Messages[2].CallID != "a" || !strings.Contains(s.Messages[2].Text, "not today") ||
		s.Messages[3].Text != "error: no" {
		t.Errorf("joined as %+v", s.Messages[2:])
	}
	if kept := s.Remember(); len(kept) != 4 || kept[0].Text != "do it" {
		t.Errorf("the thread keeps %+v", kept)
	}
}
