package engine

import (
	"context"
	"errors"
	"strings"
	"testing"

	"woolsignal/core/run"
	"woolsignal/server/testbed"
)

const ines = "ines@larkrigg.example"

// adds is a model that adds a thing by a call, and is done once it was answered.
func adds(p prompt) reply {
	switch all := p.all(); {
	case strings.Contains(all, "You weigh"):
		return reply{text: `{"verdicts":[{"holds":false,"confidence":0.95,"reason":"cheap"}]}`}
	case strings.Contains(all, "tool: "):
		return reply{text: "Done."}
	}
	return reply{tool: "things/add", args: map[string]any{"name": "ram"}}
}

// told gives an agent a task in a conversation and gives its run.
func told(t *testing.T, e *Engine, who, words string, held bool) string {
	t.Helper()
	ticket, err := e.StartTask(context.Background(), Task{Agent: who, Words: words, Held: held,
		Source: "/console/ines", Thread: "t1", From: map[string]string{"name": "Ines"}, For: ines})
	if err != nil {
		t.Fatal(err)
	}
	return ticket.Run
}

// approves says yes to every review of a run.
func approves(t *testing.T, e *Engine, id string) {
	t.Helper()
	for _, r := range becomes(t, e, id, run.Waiting).Reviews {
		yes := run.Decided{Review: r.ID, Choice: run.Approve, By: ines}
		if err := e.Decide(context.Background(), id, yes); err != nil {
			t.Fatal(err)
		}
	}
}

// TestATryMakesNoCallWhoeverSaidYes has an agent add a row in a try, by every way a call
// gets through: a person's yes, the speaker's, a judge that finds nobody need be asked.
func TestATryMakesNoCallWhoeverSaidYes(t *testing.T) {
	for approval, yes := range map[string]func(t *testing.T, e *Engine, id string){
		"none":                            func(*testing.T, *Engine, string) {},
		"{always: true, ask: owner}":      approves,
		"{judge: It is dear, ask: owner}": func(*testing.T, *Engine, string) {},
		"{always: true, ask: speaker}": func(t *testing.T, e *Engine, id string) {
			becomes(t, e, id, run.Waiting)
			if heard := told(t, e, "clerk", "yes", true); heard != id {
				t.Errorf("the yes went to %s", heard)
			}
		},
	} {
		t.Run(approval, func(t *testing.T) {
			e, bed, _ := thinking(t, map[string]string{
				"agents/clerk.yaml": clerk("  - {tool: things/add, approval: " + approval + "}\n")}, adds)
			for _, held := range []bool{true, false} {
				id := told(t, e, "clerk", "Add a ram", held)
				if held || approval != "{always: true, ask: speaker}" {
					yes(t, e, id)
				} else {
					becomes(t, e, id, run.Waiting)
					told(t, e, "clerk", "yes", false)
				}
				call := becomes(t, e, id, run.Done).Step("0").Agent.Calls[0]
				if n := things(t, bed); (n == 0) != held {
					t.Errorf("held %t: %d rows were written; its call is %+v", held, n, call)
				}
				if call.Held != held {
					t.Errorf("held %t: the call says %t", held, call.Held)
				}
			}
		})
	}
}

// TestATryAndWhatIsLiveDoNotHearEachOther says yes in a try while a real call waits for
// one in the same conversation, and the other way round.
func TestATryAndWhatIsLiveDoNotHearEachOther(t *testing.T) {
	for _, held := range []bool{false, true} {
		e, bed, _ := thinking(t, map[string]string{
			"agents/clerk.yaml": clerk("  - {tool: things/add, approval: {always: true, ask: speaker}}\n")}, adds)
		id := told(t, e, "clerk", "Add a ram", held)
		becomes(t, e, id, run.Waiting)
		if other := told(t, e, "clerk", "yes", !held); other == id {
			t.Errorf("held %t: what was said to the other was heard", held)
		}
		if n := things(t, bed); n != 0 {
			t.Errorf("held %t: %d rows were written", held, n)
		}
	}
}

// bossAndWorker are an agent and its helper, which adds a thing.
func bossAndWorker() map[string]string {
	return map[string]string{
		"agents/boss.yaml": "agent: boss\ntitle: Boss\npurpose: Leads.\nmodel: small\ninstructions: You lead.\n" +
			"helpers: [worker]\n",
		"agents/worker.yaml": "agent: worker\ntitle: Worker\npurpose: Works.\nmodel: small\ninstructions: You toil.\n" +
			"tools:\n  - {tool: things/add, approval: none}\n"}
}

// asksItsWorker has the boss ask the worker, who adds a thing.
func asksItsWorker(p prompt) reply {
	switch all := p.all(); {
	case strings.Contains(all, "tool: "):
		return reply{text: "Done."}
	case strings.Contains(all, "You lead"):
		return reply{tool: "helper/worker", args: map[string]any{"task": "Add a ram"}}
	}
	return reply{tool: "things/add", args: map[string]any{"name": "ram"}}
}

// TestATryIsNotRepeated goes again through a try and through its helper's run.
func TestATryIsNotRepeated(t *testing.T) {
	e, bed, _ := thinking(t, bossAndWorker(), asksItsWorker)
	id := told(t, e, "boss", "Add a ram", true)
	becomes(t, e, id, run.Done)
	var helper string
	if err := bed.Store.Read().QueryRow("SELECT id FROM runs WHERE origin = 'call'").Scan(&helper); err != nil {
		t.Fatal(err)
	}
	for what, id := range map[string]string{"this was a try": id, "this was done for a try": helper} {
		for _, same := range []bool{false, true} {
			var refused *InputError
			_, err := e.Again(context.Background(), Repeat{Run: id, Same: same, By: ines})
			if !errors.As(err, &refused) || !strings.Contains(err.Error(), what) {
				t.Errorf("again is answered %v, want %q", err, what)
			}
		}
	}
	if n := things(t, bed); n != 0 {
		t.Errorf("%d rows were written", n)
	}
}

// TestATryLeavesNoTraces has a try remember, follow up and be remembered.
func TestATryLeavesNoTraces(t *testing.T) {
	e, bed, m := thinking(t, map[string]string{
		"agents/clerk.yaml": clerk("  - self/follow_up\n  - self/remember\n"),
		"workflows/keeps.yaml": "workflow: keeps\ntitle: Keeps\n" + callable +
			"steps:\n  - remember: {about: workspace, name: usual, fact: 'A fact of a try'}\n"},
		func(p prompt) reply {
			switch last := p.last(); {
			case strings.Contains(last, "Look after"):
				return reply{tool: "self/follow_up", args: map[string]any{"at": "2099-01-01T09:00", "what": "ring"}}
			case strings.Contains(last, "Keep"):
				return reply{tool: "self/remember", args: map[string]any{"about": "workspace", "fact": "They owe us."}}
			}
			return reply{text: "The ram is added."}
		})
	becomes(t, e, told(t, e, "clerk", "Keep it in mind", true), run.Done)
	becomes(t, e, told(t, e, "clerk", "Look after it", true), run.Done)
	ticket, err := e.Try(context.Background(), Trial{Workflow: "keeps"})
	if err != nil {
		t.Fatal(err)
	}
	becomes(t, e, ticket.Run, run.Done)
	leaves(t, bed)
	becomes(t, e, told(t, e, "clerk", "Is it there?", false), run.Done)
	if last := m.asked[len(m.asked)-1].all(); strings.Contains(last, "The ram is added") {
		t.Errorf("a real task reads of a try:\n%s", last)
	}
	becomes(t, e, told(t, e, "clerk", "And now?", true), run.Done)
	if last := m.asked[len(m.asked)-1].all(); !strings.Contains(last, "Keep it in mind") {
		t.Errorf("a try does not remember the one before it:\n%s", last)
	}
}

// leaves looks for what a try must not leave.
func leaves(t *testing.T, bed *testbed.Bed) {
	t.Helper()
	for _, table := range []string{"follow_ups", "facts"} {
		if n := counted(t, bed, "SELECT count(*) FROM "+table); n != 0 {
			t.Errorf("the tries left %d %s", n, table)
		}
	}
}
