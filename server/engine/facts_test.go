package engine

import (
	"context"
	"errors"
	"fmt"
	"strings"
	"testing"

	"woolsignal/core/flow"
	"woolsignal/core/run"
)

// known lists what is known, the newest first.
func known(t *testing.T, e *Engine, q FactQuery) []Fact {
	t.Helper()
	if q.Most == 0 {
		q.Most = 100
	}
	all, err := e.Facts(context.Background(), q)
	if err != nil {
		t.Fatal(err)
	}
	return all
}

// TestAFactIsCorrectedAndRemovedForGood has a person correct one fact and remove another:
// agents are told so, whoever read something older is refused, and lists that are made anew
// say the same.
func TestAFactIsCorrectedAndRemovedForGood(t *testing.T) {
	e, bed, m := thinking(t, map[string]string{"agents/noter.yaml": noter,
		"workflows/desk.yaml": desk("{id: m, agent: noter, task: '${signal.text}'}")}, keeping)
	from := map[string]string{"name": "Ines", "email": ines}
	writes(t, e, "t1", "about workspace: We close at four.", from, ines)
	writes(t, e, "t2", "about workspace: The ford floods.", from, ines)
	all := known(t, e, FactQuery{})
	if len(all) != 2 || all[0].Fact != "The ford floods." || all[1].About != run.AboutWorkspace {
		t.Fatalf("%+v", all)
	}
	if found := known(t, e, FactQuery{Contains: "CLOSE"}); len(found) != 1 || found[0].ID != all[1].ID {
		t.Errorf("by a word there are %+v", found)
	}
	if next := known(t, e, FactQuery{After: all[0].ID}); len(next) != 1 || next[0].ID != all[1].ID {
		t.Errorf("behind the first there are %+v", next)
	}
	ctx := context.Background()
	if err := e.ChangeFact(ctx, all[1].ID, all[1].Fact, "We close at five.", "Tobias"); err != nil {
		t.Fatal(err)
	}
	if err := e.ChangeFact(ctx, all[1].ID, all[1].Fact, "We close at six.", "Elin"); !errors.Is(err, run.ErrStale) {
		t.Errorf("a correction of what it does not say any more gives %v", err)
	}
	if err := e.ChangeFact(ctx, all[0].ID, "", "", "Tobias"); err != nil {
		t.Fatal(err)
	}
	if err := e.ChangeFact(ctx, all[0].ID, "", "again", "Tobias"); !errors.Is(err, run.ErrStale) {
		t.Errorf("a correction of what was removed gives %v", err)
	}
	e.Stop(ctx)
	if _, err := e.Rebuild(ctx); err != nil {
		t.Fatal(err)
	}
	e = restart(t, nil, bed)
	left := known(t, e, FactQuery{})
	if len(left) != 1 || left[0].Fact != "We close at five." || left[0].By != "Tobias" {
		t.Fatalf("afterwards %+v is known", left)
	}
	writes(t, e, "t3", "Good morning", from, ines)
	if said := m.asked[len(m.asked)-1].all(); !strings.Contains(said, "- We close at five.\n") ||
		strings.Contains(said, "ford") || strings.Contains(said, "four") {
		t.Errorf("the agent is told %s", said)
	}
}

// TestWithAPersonsYesAStrangersWordIsKept has a visitor ask to have a fact kept about the
// workspace where somebody is asked first: it is kept with their yes, and not without.
func TestWithAPersonsYesAStrangersWordIsKept(t *testing.T) {
	for choice, kept := range map[string]int{run.Approve: 1, run.Decline: 0} {
		t.Run(choice, func(t *testing.T) {
			asks := strings.Replace(noter, "self/remember",
				"{tool: self/remember, approval: {always: true, ask: owner}}", 1)
			e, bed, _ := thinking(t, map[string]string{"agents/noter.yaml": asks,
				"workflows/desk.yaml": desk("{id: m, agent: noter, task: '${signal.text}'}")}, keeping)
			ticket, err := e.Receive(context.Background(), "desk", &run.Signal{ID: "s1", Kind: "chat",
				Source: "/talk/desk", Trigger: "page", Thread: "hers", Text: "about workspace: The ford floods.",
				Stranger: true})
			if err != nil {
				t.Fatal(err)
			}
			for _, r := range becomes(t, e, ticket.Run, run.Waiting).Reviews {
				if err := e.Decide(context.Background(), ticket.Run,
					run.Decided{Review: r.ID, Choice: choice, By: ines}); err != nil {
					t.Fatal(err)
				}
			}
			ends(t, e, ticket.Run)
			if n := counted(t, bed, "SELECT count(*) FROM facts WHERE about = 'workspace'"); n != kept {
				t.Errorf("%d facts are kept", n)
			}
		})
	}
}

// TestFactsAreBounded has more facts kept about one thing than are: the oldest are forgotten.
// One that is longer than a fact is not kept, and the step says so.
func TestFactsAreBounded(t *testing.T) {
	e, bed := workshop(t, map[string]string{"note": "inputs: {type: object, properties: {facts: {type: array}}}\n" +
		"steps:\n  - each:\n      of: otherwise(inputs.facts, [])\n      do:\n" +
		"        - remember: {about: ford, fact: '${item}'}\n",
		"one": "inputs: {type: object, properties: {fact: {type: string}}}\nsteps:\n" +
			"  - remember: {about: ford, fact: '${otherwise(inputs.fact, \"\")}'}\n"})
	var levels []any
	for n := range mostKept + 5 {
		levels = append(levels, fmt.Sprint("level ", n))
	}
	if s := ends(t, e, call(t, e, "note", map[string]any{"facts": levels})); s.Status != run.Done {
		t.Fatalf("%s: %s", s.Status, s.Because)
	}
	if n := counted(t, bed, "SELECT count(*) FROM facts"); n != mostKept {
		t.Errorf("%d facts are kept about one thing, and %d are at most", n, mostKept)
	}
	if newest := known(t, e, FactQuery{About: "ford", Most: 1}); newest[0].Fact != fmt.Sprint("level ", mostKept+4) {
		t.Errorf("the newest is %+v", newest[0])
	}
	long := ends(t, e, call(t, e, "one", map[string]any{"fact": strings.Repeat("w", flow.LongestFact+1)}))
	if long.Status != run.Failed || !strings.Contains(long.Because, "at most 1000 characters") {
		t.Errorf("%s: %s", long.Status, long.Because)
	}
}
