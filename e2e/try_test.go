package e2e_test

import (
	"fmt"
	"slices"
	"strings"
	"testing"
	"time"

	"woolsignal/core/run"
	"woolsignal/e2e/harness"
	"woolsignal/wire"
)

// handWritten is a signal of the scale, as somebody would write it by hand.
func handWritten(notes string) *wire.Signal {
	return &wire.Signal{Trigger: "scale", Body: map[string]any{"grower": "Hollin Bank", "gross_kg": 512.5,
		"tare_kg": 100, "farm_kg": 415, "bales": 4, "notes": notes}}
}

// tried waits for what became of a try.
func tried(t *testing.T, s *harness.Service, workflow string, try wire.Try) wire.Detail {
	t.Helper()
	id, err := s.As("Ines").Try(harness.Context(t), workflow, try)
	if err != nil {
		t.Fatal(err)
	}
	d, err := s.As("Ines").Settled(harness.Context(t), id)
	if err != nil {
		t.Fatal(err)
	}
	return d
}

func stepCalled(t *testing.T, d wire.Detail, id string) wire.Step {
	t.Helper()
	for _, step := range d.Steps {
		if step.ID == id {
			return step
		}
	}
	t.Fatalf("no step %s in %+v", id, d.Steps)
	return wire.Step{}
}

// TestAWholeDraftIsTried goes through weighbridge's draft: nothing is written
// down outside, what is held back gives an example, and once a real delivery
// came what that gave; what is said to be real is.
func TestAWholeDraftIsTried(t *testing.T) {
	t.Parallel()
	s := harness.Demo(t)
	posts := func() int { return s.Count("clip-register", "POST", 201) }
	d := tried(t, s, "weighbridge", wire.Try{Signal: handWritten("dry")})
	row := stepCalled(t, d, "row")
	if d.Status != run.Done || row.Held != run.HeldMadeUp || posts() != 0 || !d.Held {
		t.Fatalf("%s %s: %+v; %d posts", d.Status, d.Because, row, posts())
	}
	if id, _ := row.Output.(map[string]any)["id"].(string); id == "" || !strings.Contains(fmt.Sprint(d.Response), id) {
		t.Errorf("what follows a call that is held back sees %v and answers %v", row.Output, d.Response)
	}
	d = tried(t, s, "weighbridge", wire.Try{Signal: handWritten("dry"), Really: []string{"clip-register/add_delivery"}})
	if row = stepCalled(t, d, "row"); row.Held != "" || posts() != 1 {
		t.Fatalf("%+v; %d posts", row, posts())
	}
	real := fmt.Sprint(row.Output)
	d = tried(t, s, "weighbridge", wire.Try{Signal: handWritten("dry")})
	if row = stepCalled(t, d, "row"); row.Held != run.HeldLast || fmt.Sprint(row.Output) != real || posts() != 1 {
		t.Errorf("after a real one: %+v; %d posts", row, posts())
	}
	d = tried(t, s, "weighbridge", wire.Try{Signal: handWritten("dry"),
		Gives: map[string]any{row.Path: map[string]any{"id": "D-7"}}})
	if !strings.Contains(fmt.Sprint(d.Response), "D-7") {
		t.Errorf("what somebody wrote in is not seen: %v", d.Response)
	}
}

// TestADraftIsTriedInPart goes up to a step, one step alone, and on from a step
// with another value before it.
func TestADraftIsTriedInPart(t *testing.T) {
	t.Parallel()
	s := harness.Demo(t)
	d := tried(t, s, "weighbridge", wire.Try{Signal: handWritten(""), Until: "sort"})
	if d.Status != run.Done || stepCalled(t, d, "sort").Status != run.Done || stepCalled(t, d, "row").Status != "" {
		t.Fatalf("up to sort: %s, %+v", d.Status, d.Steps)
	}
	on := tried(t, s, "weighbridge", wire.Try{Run: d.ID, From: "sort", Edited: map[string]any{"net": map[string]any{
		"kg": 300, "shrinkage": 20, "notes": ""}}})
	if lane := stepCalled(t, on, "sort").Output; !strings.Contains(fmt.Sprint(lane), "check by hand") ||
		!stepCalled(t, on, "net").Recorded || stepCalled(t, on, "row").Held == "" {
		t.Errorf("on from sort: %v", lane)
	}
	d = tried(t, s, "payout-week", wire.Try{Until: "account", Inputs: map[string]any{}})
	reached := slices.ContainsFunc(d.Steps, func(step wire.Step) bool {
		return step.ID == "account" && step.Status == run.Done
	})
	if !reached || stepCalled(t, d, "sums").Status != "" || d.Status != run.Done {
		t.Errorf("up to a step inside: %s", d.Status)
	}
	for name, wrong := range map[string]wire.Try{
		"a step that is not there": {Until: "nosuch"}, "from nowhere": {From: "sort"},
		"two ways at once": {Step: "sort", Until: "row"}, "a sample that is not there": {Sample: "nosuch"},
	} {
		if id, err := s.As("Ines").Try(harness.Context(t), "weighbridge", wrong); err == nil {
			t.Errorf("%s: %s was tried", name, id)
		}
	}
}

// TestNobodyElseIsAskedInATry puts a review of a try to who tries, and asks
// nobody of the team.
func TestNobodyElseIsAskedInATry(t *testing.T) {
	t.Parallel()
	s := harness.Demo(t)
	d := tried(t, s, "payout-week", wire.Try{Inputs: map[string]any{"price_per_kg": 2}})
	if d.Status != run.Waiting || len(d.Reviews) != 1 || d.Reviews[0].Ask != s.Person("Ines").Email {
		t.Fatalf("%s: %+v", d.Status, d.Reviews)
	}
	if _, err := s.As("Ines").Decide(harness.Context(t), d.Reviews[0].ID,
		wire.Decision{Choice: "not yet"}); err != nil {
		t.Fatal(err)
	}
	if d = s.Ended(d.ID); d.Status != run.Done {
		t.Errorf("%s %s", d.Status, d.Because)
	}
	if n := s.Count("postbag", "POST"); n != 0 {
		t.Errorf("%d mails were sent", n)
	}
}

// TestWaitsOfATryAreHurried ends a wait of days at once, and takes it to be that
// much later then.
func TestWaitsOfATryAreHurried(t *testing.T) {
	t.Parallel()
	s := harness.Demo(t)
	const later = `workflow: later
title: Later
inputs: {type: object}
gives: {before: '${before.at}', after: '${after.at}'}
steps:
  - id: before
    compute: {at: now()}
  - wait: {for: 3d}
  - id: after
    compute: {at: now()}
`
	if _, err := s.As("Ines").Edit(harness.Context(t), "later", wire.Draft{Text: later}); err != nil {
		t.Fatal(err)
	}
	thursday := time.Date(2026, 12, 3, 9, 0, 0, 0, time.UTC)
	d := tried(t, s, "later", wire.Try{Hurry: true, At: &thursday, Inputs: map[string]any{}})
	before, after := fmt.Sprint(stepCalled(t, d, "before").Output), fmt.Sprint(stepCalled(t, d, "after").Output)
	if d.Status != run.Done || !strings.Contains(before, "2026-12-03T09:00") || !strings.Contains(after,
		"2026-12-06T09:0") {
		t.Errorf("%s: %s, then %s", d.Status, before, after)
	}
}

// TestAnAgentsCallsAreHeldBackInATry has the depot desk book a slot in a try: it
// is told that it did, and no calendar has it.
func TestAnAgentsCallsAreHeldBackInATry(t *testing.T) {
	t.Parallel()
	s := harness.Demo(t)
	before := s.Count("almanac", "PUT")
	d := tried(t, s, "depot-slots", wire.Try{Signal: &wire.Signal{Trigger: "page",
		Text: "Can I bring 30 fleeces from Hollin Bank on Thursday morning?"}})
	held := 0
	for _, step := range d.Steps {
		if step.Agent == nil {
			continue
		}
		for _, c := range step.Agent.Calls {
			if c.Held {
				held++
			}
		}
	}
	if n := s.Count("almanac", "PUT") - before; n != 0 || held == 0 {
		t.Errorf("%s %s: %d events were written, %d calls held back", d.Status, d.Because, n, held)
	}
}
