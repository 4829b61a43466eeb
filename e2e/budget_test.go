package e2e_test

import (
	"strings"
	"sync"
	"testing"

	"woolsignal/core/money"
	"woolsignal/core/run"
	"woolsignal/e2e/harness"
	"woolsignal/wire"
)

const spender = `workflow: spender
title: Spender
inputs: {type: object, required: [text], properties: {text: {type: string}}}
budget: {BUDGET}
steps:
  - id: one
    model: large
    prompt: "Sum this up: ${inputs.text}"
  - id: two
    model: large
    prompt: "Sum this up: ${one.text}"
  - label: {as: ['${two.text}']}
`

// spends starts the spender with a text of some letters, and waits for its end.
func spends(t *testing.T, s *harness.Service, letters int) wire.Detail {
	t.Helper()
	id, err := s.As("Ines").Start(harness.Context(t), "spender",
		wire.Start{Inputs: map[string]any{"text": strings.Repeat("Wool is dear. ", letters/14)}})
	if err != nil {
		t.Fatal(err)
	}
	return s.Ended(id)
}

// TestNothingIsBegunThatABudgetHasNoRoomFor spends up to budgets of every kind: the step
// that could exceed one is not begun, the model is not asked, and the run says why.
func TestNothingIsBegunThatABudgetHasNoRoomFor(t *testing.T) {
	t.Parallel()
	for budget, says := range map[string]string{"run: 0.002": "for a run of Spender is spent",
		"day: 0.002": "for a day of Spender is spent", "month: 0.002": "for a month of Spender is spent"} {
		s := harness.Demo(t)
		if err := with(t, s, "spender", strings.Replace(spender, "BUDGET", budget, 1)); err != nil {
			t.Fatal(err)
		}
		before := s.Count("bellwether", "POST")
		d := spends(t, s, 8000) // about 2,000 tokens at 2.00 for a million: 0.004
		if d.Status != run.Failed || !strings.Contains(d.Because, says) || s.Count("bellwether", "POST") != before {
			t.Errorf("%s: %s %s, after %d requests", budget, d.Status, d.Because, s.Count("bellwether", "POST")-before)
		}
		d = spends(t, s, 140)
		if d.Status != run.Done && !strings.Contains(d.Because, says) || d.Cost > money.FromUnits(0.002) {
			t.Errorf("%s, something small: %s %s, %d", budget, d.Status, d.Because, d.Cost)
		}
	}
}

// TestManyAtOnceDoNotExceedABudget starts many runs at the same moment: together they
// spend no more than the day's budget, and what was spent is told.
func TestManyAtOnceDoNotExceedABudget(t *testing.T) {
	t.Parallel()
	s := harness.Demo(t)
	if err := with(t, s, "spender", strings.Replace(spender, "BUDGET", "day: 0.02", 1)); err != nil {
		t.Fatal(err)
	}
	var all sync.WaitGroup
	var mu sync.Mutex
	var sum money.Micros
	failed := 0
	for range 12 {
		all.Go(func() {
			d := spends(t, s, 2800)
			mu.Lock()
			defer mu.Unlock()
			sum += d.Cost
			if d.Status == run.Failed {
				failed++
			}
		})
	}
	all.Wait()
	if sum > money.FromUnits(0.02) || sum == 0 || failed == 0 {
		t.Errorf("twelve at once spent %d of 20000 millionths, %d failed", sum, failed)
	}
	told, err := s.As("Owen").Spending(harness.Context(t))
	if err != nil {
		t.Fatal(err)
	}
	found := false
	for _, one := range told {
		found = found || one.Workflow == "spender" && one.Period == "day" && one.Spent == sum && one.Most == 20_000
	}
	if !found {
		t.Errorf("what was spent is told as %+v, and was %d", told, sum)
	}
	for n := 0; spends(t, s, 8000).Status == run.Done; n++ {
		if n == 20 {
			t.Fatal("twenty more runs fit the budget")
		}
	}
	s.Kill()
	if d := spends(t, s, 8000); d.Status != run.Failed || !strings.Contains(d.Because, "budget") {
		t.Errorf("after a restart: %s %s", d.Status, d.Because)
	}
}

// TestToolsHavePrices has a tool cost something by call and result: the run's sum says
// so, and its budget holds.
func TestToolsHavePrices(t *testing.T) {
	t.Parallel()
	s := harness.Demo(t)
	ines := s.As("Ines")
	files, err := ines.Files(harness.Context(t))
	if err != nil {
		t.Fatal(err)
	}
	withFiles(t, s, map[string]string{"connections/clip-register.yaml": files["connections/clip-register.yaml"] +
		"\ntools: {list_growers: {price: 0.25, result_price: 0.01}}\n"})
	const priced = "workflow: priced\ntitle: Priced\ninputs: {type: object}\nbudget: {run: BUDGET}\nsteps:\n" +
		"  - id: all\n    tool: clip-register/list_growers\n  - label: {as: ['${string(size(all))}']}\n"
	for budget, status := range map[string]run.Status{"5": run.Done, "0.1": run.Failed} {
		if err := with(t, s, "priced", strings.Replace(priced, "BUDGET", budget, 1)); err != nil {
			t.Fatal(err)
		}
		id, err := ines.Start(harness.Context(t), "priced", wire.Start{})
		if err != nil {
			t.Fatal(err)
		}
		d := s.Ended(id)
		step := stepOf(t, d, "all")
		if d.Status != status || (status == run.Done) != (d.Cost > 250_000) || step.Cost != d.Cost {
			t.Errorf("with a budget of %s: %s %s, %d", budget, d.Status, d.Because, d.Cost)
		}
	}
}

// TestTextsAreOrderedByWhatTheyMean uses a model that makes embeddings, which costs what
// its texts do.
func TestTextsAreOrderedByWhatTheyMean(t *testing.T) {
	t.Parallel()
	s := harness.Demo(t)
	if err := with(t, s, "alike", "workflow: alike\ntitle: Alike\ninputs: {type: object}\nsteps:\n  - id: near\n"+
		"    tool: reading-models/nearest\n    args:\n      to: coarse fleece from the fell\n"+
		"      among: [telephone bill, a fleece that is coarse, sheepdog trials]\n      most: 2\n"+
		"  - label: {as: ['${near.results[0].text}']}\n"); err != nil {
		t.Fatal(err)
	}
	id, err := s.As("Ines").Start(harness.Context(t), "alike", wire.Start{})
	if err != nil {
		t.Fatal(err)
	}
	d := s.Ended(id)
	if d.Status != run.Done || strings.Join(d.Labels, "") != "a fleece that is coarse" || d.Cost == 0 {
		t.Errorf("%s %s: %v, %d", d.Status, d.Because, d.Labels, d.Cost)
	}
}
