package e2e_test

import (
	"net/http"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"

	"woolsignal/client"
	"woolsignal/core/run"
	"woolsignal/e2e/browser"
	"woolsignal/e2e/harness"
	"woolsignal/standin/ledger"
	"woolsignal/wire"
)

// book talks until a slot is booked.
func book(t *testing.T, s *harness.Service, thread string) {
	t.Helper()
	d := s.Talk(thread, "Can I bring 30 fleeces on Thursday morning?")
	if said := s.Said(thread, d.ID); d.Status != run.Done || !strings.Contains(said, "Which farm") {
		t.Fatalf("asked for a slot without a farm: %s %q", d.Status, said)
	}
	d = s.Talk(thread, "Hollin Bank")
	if said := s.Said(thread, d.ID); !strings.Contains(said, "You are booked: Thursday") ||
		!strings.Contains(said, "30 fleeces from Hollin Bank") {
		t.Fatalf("named the farm: %s %q %s", d.Status, said, d.Because)
	}
}

func TestChatThroughApprovalToCancelling(t *testing.T) {
	t.Parallel()
	s := harness.Demo(t)
	book(t, s, "t1")
	if n := s.Count("almanac", "PUT", 201, 204, 200); n != 1 {
		t.Fatalf("Almanac was sent %d bookings, want 1", n)
	}
	d := s.Talk("t1", "Cancel it")
	review := s.OpenReview(d)
	if d.Status != run.Waiting || review.Ask != "grading-lead" || s.Count("almanac", "DELETE", 204, 200) != 0 {
		t.Fatalf("cancelling: %s, put to %s", d.Status, review.Ask)
	}
	c := harness.Context(t)
	if _, err := s.As("Ines").Decide(c, review.ID, wire.Decision{Choice: "approve"}); err == nil ||
		!strings.Contains(err.Error(), "the grading lead") {
		t.Errorf("somebody it was not put to decided: %v", err)
	}
	if _, err := s.As("Tobias").Decide(c, review.ID, wire.Decision{Choice: "perhaps"}); err == nil {
		t.Error("a choice that is none was taken")
	}
	if _, err := s.As("Tobias").Decide(c, review.ID,
		wire.Decision{Choice: "approve", Edited: map[string]any{"reason": "Trailer is off the road"}}); err != nil {
		t.Fatal(err)
	}
	if _, err := s.As("Elin").Decide(c, review.ID, wire.Decision{Choice: "decline"}); err == nil ||
		!strings.Contains(err.Error(), "Tobias Quill") {
		t.Errorf("a second decision: %v", err)
	}
	d = s.Ended(d.ID)
	if said := s.Said("t1", d.ID); d.Status != run.Done || !strings.Contains(said, "is cancelled") {
		t.Errorf("after the approval: %s %q", d.Status, said)
	}
	if n := s.Count("almanac", "DELETE", 204, 200); n != 1 {
		t.Errorf("Almanac removed %d events, want 1", n)
	}
	checkHistory(t, d)
}

// checkHistory holds a run's record against what a reader is promised.
func checkHistory(t *testing.T, d wire.Detail) {
	t.Helper()
	var step wire.Step
	for _, one := range d.Steps {
		if one.Agent != nil {
			step = one
		}
	}
	if step.Agent == nil || len(step.Agent.Turns) != 2 || step.Agent.Recalled == 0 || step.Cost == 0 {
		t.Fatalf("the agent's step: %+v", step)
	}
	for i, turn := range step.Agent.Turns {
		if turn.Input == 0 || turn.Output == 0 || turn.Cost == 0 || turn.Model != "bellwether-medium" ||
			turn.Answered.Before(turn.Asked) || turn.Sent == 0 {
			t.Errorf("turn %d: %+v", i+1, turn)
		}
	}
	call := step.Agent.Calls[0]
	if call.By != "Tobias Quill" || !call.Edited || call.Args["reason"] != "Trailer is off the road" ||
		call.Result == nil || call.Ended.IsZero() {
		t.Errorf("the call: %+v", call)
	}
	if r := d.Reviews[0]; r.By != "Tobias Quill" || r.Decided.IsZero() || r.Edit["reason"] != "Cancel it" {
		t.Errorf("the review: %+v", r)
	}
	if d.Cost == 0 || d.Input == 0 || d.Ended == nil {
		t.Errorf("the run: %+v", d.Run)
	}
}

func TestDeclinedIsToldAndNothingIsDone(t *testing.T) {
	t.Parallel()
	s := harness.Demo(t)
	book(t, s, "t1")
	d := s.Talk("t1", "Cancel it")
	if _, err := s.As("Tobias").Decide(harness.Context(t), s.OpenReview(d).ID,
		wire.Decision{Choice: "decline", Note: "the dock is kept for you"}); err != nil {
		t.Fatal(err)
	}
	d = s.Ended(d.ID)
	if said := s.Said("t1", d.ID); !strings.Contains(said, "stands as booked") ||
		!strings.Contains(said, "the dock is kept for you") {
		t.Errorf("after declining: %q", said)
	}
	if n := s.Count("almanac", "DELETE", 200, 204); n != 0 {
		t.Errorf("%d events were removed", n)
	}
}

func TestThreadsAreKeptApartAndInOrder(t *testing.T) {
	t.Parallel()
	s := harness.Demo(t)
	book(t, s, "t1")
	if d := s.Talk("t2", "Cancel it"); d.Status != run.Done || !strings.Contains(s.Said("t2", d.ID), "Which slot") {
		t.Errorf("another thread knows of the booking: %q", s.Said("t2", d.ID))
	}
	first := s.Talk("t1", "Cancel it") // waits for a person
	heard, err := s.As("Ines").Say(harness.Context(t), "depot-slots", "t1", "What about Friday afternoon instead?")
	if err != nil {
		t.Fatal(err)
	}
	if d, err := s.As("Ines").Run(harness.Context(t), heard.Run); err != nil || d.Status != run.Queued {
		t.Errorf("a message behind one that waits is %s, %v; want queued", d.Status, err)
	}
	s.Kill()
	if _, err := s.As("Tobias").Decide(harness.Context(t), s.OpenReview(first).ID,
		wire.Decision{Choice: "approve"}); err != nil {
		t.Fatal(err)
	}
	d := s.Ended(heard.Run)
	if said := s.Said("t1", d.ID); !strings.Contains(said, "You are booked: Friday") {
		t.Errorf("the message that was queued: %s %q", d.Because, said)
	}
}

func TestModelTroubleEndsClearly(t *testing.T) {
	t.Parallel()
	s := harness.Demo(t)
	s.Misbehave("bellwether", ledger.Order{Match: "/chat/completions", Times: 2, Status: 429,
		Body: `{"error":{"message":"slow down"}}`})
	if d := s.Talk("t1", "Can I bring 30 fleeces on Thursday morning?"); d.Status != run.Done {
		t.Errorf("two 429s: %s %s", d.Status, d.Because)
	}
	for what, o := range map[string]ledger.Order{
		"slow down":      {Status: 429, Body: `{"error":{"message":"slow down"}}`},
		"broke off":      {Status: 200, Body: "data: {\"choices\":[{\"delta\":{\"content\":\"half a\"}}]}\n\n"},
		"cannot be read": {Status: 200, Body: "data: <html>\n\n"},
	} {
		o.Match, o.Times = "/chat/completions", 3
		s.Misbehave("bellwether", o)
		d := s.Talk("trouble", "Can I bring 30 fleeces on Thursday morning?")
		if d.Status != run.Failed || !strings.Contains(d.Because, what) || !strings.Contains(d.Because, "Bellwether") {
			t.Errorf("%s: %s %q", what, d.Status, d.Because)
		}
	}
}

func TestChatRefusals(t *testing.T) {
	t.Parallel()
	s := harness.Demo(t)
	for name, c := range map[string]struct{ who, workflow, thread, text, want string }{
		"no such workflow": {"Ines", "depot-slats", "t", "hello", "no workflow"},
		"nobody listens":   {"Ines", "weighbridge", "t", "hello", "no chat trigger"},
		"nothing said":     {"Ines", "depot-slots", "t", "  ", "Nothing was said"},
		"too long":         {"Ines", "depot-slots", "t", strings.Repeat("x", 20_001), "Too long"},
		"no thread":        {"Ines", "depot-slots", "", "hello", "Which conversation"},
		"a reader":         {"Owen", "depot-slots", "t", "hello", "needs the role reviewer"},
	} {
		_, err := s.As(c.who).Say(harness.Context(t), c.workflow, c.thread, c.text)
		if err == nil || !strings.Contains(err.Error(), c.want) {
			t.Errorf("%s: %v, want %q", name, err, c.want)
		}
	}
	// What is not published may do more than anybody agreed to.
	err := s.As("Tobias").Do(harness.Context(t), http.MethodPost, "/workflows/depot-slots/chat",
		wire.Said{Thread: "t", Text: "hello", Draft: true}, nil)
	if err == nil || !strings.Contains(err.Error(), "tried by builders") {
		t.Errorf("a reviewer tried a draft: %v", err)
	}
	if page, err := s.As("Ines").Runs(harness.Context(t), client.Filter{}); err != nil || len(page.Runs) != 0 {
		t.Errorf("refused messages started runs: %v, %v", page.Runs, err)
	}
}

// TestADraftIsTalkedToWithItsTurnsOpen changes depot-slots without making it live,
// talks with the draft on its page, and opens what its answer came of.
func TestADraftIsTalkedToWithItsTurnsOpen(t *testing.T) {
	t.Parallel()
	s := harness.Demo(t)
	ctx, h, ines := page(t), &browser.Hand{}, s.Person("Ines")
	now := text(t, s, "depot-slots")
	if _, err := s.As("Ines").Edit(harness.Context(t), "depot-slots", wire.Draft{From: now,
		Text: now + "  - label:\n      as: [drafted]\n"}); err != nil {
		t.Fatal(err)
	}
	do(t, ctx, browser.SignIn(s.URL, ines.Email, ines.Password),
		chromedp.Navigate(s.URL+"/workflows/depot-slots"), browser.HasText("Label the run “drafted”"),
		h.Click("textbox", "Message"), h.Type("Can I bring 30 fleeces on Thursday morning? I am from Hollin Bank."),
		h.Press("Enter"), h.Click("DisclosureTriangle", "How it came about"), browser.HasText("Turn 1"),
		browser.HasText("depot calendar: free windows"), browser.HasText("Label the run “drafted”"),
		h.Click("button", "Messages as sent"), browser.HasText("Held back"))
	if n := s.Count("almanac", http.MethodPut); n != 0 {
		t.Errorf("a draft that is talked to booked %d slots", n)
	}
	if d := s.RunOf("depot-slots", "ends", func(d wire.Detail) bool { return d.Status.Ended() }); d.Labels == nil {
		t.Errorf("it was not the draft that answered: %+v", d.Labels)
	}
}

// TestADraftAsksAndIsAnswered talks with a draft that asks back: the answer goes
// to the run that waits, and what changes anything is held back.
func TestADraftAsksAndIsAnswered(t *testing.T) {
	t.Parallel()
	s := harness.Demo(t)
	ctx, c := harness.Context(t), s.As("Ines")
	draft := "workflow: gate\ntitle: Gate\ntriggers:\n  - id: page\n    chat: {page: gate}\nsteps:\n" +
		"  - id: how_many\n" +
		"    question:\n      text: How many bales?\n      valid: {type: string}\n  - id: row\n" +
		"    tool: clip-register/add_delivery\n    args: {grower: 'Hollin Bank', kg: 3, notes: \"${how_many.value}\"," +
		" lane: clean}\n  - say:\n      text: Noted, ${how_many.value} bales.\n"
	if _, err := c.Edit(ctx, "gate", wire.Draft{Text: draft}); err != nil {
		t.Fatal(err)
	}
	said := func(text string) wire.Heard {
		t.Helper()
		var heard wire.Heard
		if err := c.Do(ctx, http.MethodPost, "/workflows/gate/chat",
			wire.Said{Thread: "c-1", Text: text, Draft: true}, &heard); err != nil {
			t.Fatal(err)
		}
		return heard
	}
	first := said("Hello")
	harness.Eventually(t, "it asks", func() bool {
		d, err := c.Run(ctx, first.Run)
		return err == nil && d.Status == run.Waiting
	})
	if second := said("4"); second.Run != first.Run {
		t.Errorf("the answer went to %s, not to %s, which waits", second.Run, first.Run)
	}
	d := s.Ended(first.Run)
	if d.Status != run.Done || !d.Draft || s.Count("clip-register", http.MethodPost) != 0 {
		t.Errorf("%s %s, %d deliveries", d.Status, d.Because, s.Count("clip-register", http.MethodPost))
	}
}
