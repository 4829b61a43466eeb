package e2e_test

import (
	"strings"
	"testing"

	"github.com/chromedp/chromedp"

	"woolsignal/e2e/browser"
	"woolsignal/e2e/harness"
	"woolsignal/wire"
)

// TestWhatIsChangedInTheBrowserIsTakenBackToTheByte changes words, moves and
// removes steps by the keyboard alone: each act changes its own lines, and undone
// the file is what it was.
func TestWhatIsChangedInTheBrowserIsTakenBackToTheByte(t *testing.T) {
	t.Parallel()
	s := harness.Demo(t)
	ctx, h, ines := page(t), &browser.Hand{}, s.Person("Ines")
	do(t, ctx, browser.SignIn(s.URL, ines.Email, ines.Password))
	kept := func(workflow, words string, is bool) {
		t.Helper()
		harness.Eventually(t, words+" is kept", func() bool {
			return strings.Contains(text(t, s, workflow),
				words) == is
		})
	}
	for workflow, change := range map[string]struct {
		word, role, field, written string
		acts                       []browser.Step
	}{
		"front-door": {"Change Did this help?", "textbox", "text", "Was this of help?",
			[]browser.Step{h.Press("Control+a"), h.Type("Was this of help?"), h.Press("Enter")}},
		"payout-week": {"Change 4", "spinbutton", "at once", "at_once: 7",
			[]browser.Step{h.Press("Control+a"), h.Type("7"), h.Press("Enter")}},
	} {
		was := text(t, s, workflow)
		do(t, ctx, chromedp.Navigate(s.URL+"/workflows/"+workflow), h.Click("button", change.word),
			browser.Sees(change.role, change.field))
		do(t, ctx, change.acts...)
		kept(workflow, change.written, true)
		if now := text(t, s, workflow); others(was, now) != 1 {
			t.Errorf("%s: more than a line changed:\n%s", workflow, now)
		}
		do(t, ctx, h.Click("group", "Label the run"), h.Press("Escape"), h.Press("Alt+ArrowUp"), h.Press("Delete"))
		kept(workflow, "- label:", false)
		for range 3 {
			do(t, ctx, h.Click("button", "Undo"))
		}
		harness.Eventually(t, workflow+" is as it was", func() bool { return text(t, s, workflow) == was })
	}
}

// others counts the lines of a text that are not in another, in their order.
func others(a, b string) int {
	x, y := strings.Split(a, "\n"), strings.Split(b, "\n")
	n, m := 0, 0
	for n < min(len(x), len(y)) && x[n] == y[n] {
		n++
	}
	for m < min(len(x), len(y))-n && x[len(x)-1-m] == y[len(y)-1-m] {
		m++
	}
	return len(x) - n - m
}

// TestTwoBrowsersEditOneDraft has somebody else change another step while one
// writes: both stand. The same step changed by both is shown, and whose words
// count is asked.
func TestTwoBrowsersEditOneDraft(t *testing.T) {
	t.Parallel()
	s := harness.Demo(t)
	ctx, h, ines := page(t), &browser.Hand{}, s.Person("Ines")
	elin := func(old, new string) {
		t.Helper()
		from := text(t, s, "weighbridge")
		if _, err := s.As("Elin").Edit(harness.Context(t), "weighbridge",
			wire.Draft{Text: strings.Replace(from, old, new, 1), From: from}); err != nil {
			t.Fatal(err)
		}
	}
	do(t, ctx, browser.SignIn(s.URL, ines.Email, ines.Password), chromedp.Navigate(s.URL+"/workflows/weighbridge"),
		h.Click("button", "Change 201"), browser.Sees("spinbutton", "status"), h.Press("Control+a"), h.Type("202"))
	elin("> 8", "> 9")
	harness.Eventually(t, "both changes stand", func() bool {
		now := text(t, s, "weighbridge")
		return strings.Contains(now, "status: 202") && strings.Contains(now, "> 9")
	})
	do(t, ctx, browser.HasText("shrinkage of net is more than 9"), h.Press("Escape"))
	do(t, ctx, h.Click("button", "Change 202"), browser.Sees("spinbutton", "status"),
		h.Press("Control+a"), away(true), h.Type("203"))
	elin("status: 202", "status: 204")
	do(t, ctx, away(false), browser.HasText("changed the same step meanwhile"), browser.HasText("status: 204"),
		h.Click("button", "Keep yours"), browser.HasText("Draft kept"))
	if now := text(t, s, "weighbridge"); !strings.Contains(now, "status: 203") || !strings.Contains(now, "> 9") {
		t.Errorf("what was preferred is not kept:\n%s", now)
	}
}

// away takes the page off the network, or brings it back.
func away(gone bool) browser.Step { return browser.Offline(gone) }

// TestAServiceThatIsGoneLosesNothing writes while the service does not answer:
// one line says so, a browser that is left keeps what was written, and it is
// there once the service is.
func TestAServiceThatIsGoneLosesNothing(t *testing.T) {
	t.Parallel()
	s := harness.Demo(t)
	ctx, h, ines := page(t), &browser.Hand{}, s.Person("Ines")
	do(t, ctx, browser.SignIn(s.URL, ines.Email, ines.Password), chromedp.Navigate(s.URL+"/workflows/weighbridge"),
		browser.Sees("button", "Change 201"), away(true),
		h.Click("button", "Change 201"), browser.Sees("spinbutton", "status"),
		h.Press("Control+a"), h.Type("202"),
		browser.HasText("The service does not answer"))
	before := text(t, s, "weighbridge")
	if strings.Contains(before, "202") {
		t.Fatal("the service was not away")
	}
	do(t, ctx, away(false), chromedp.Navigate(s.URL+"/workflows"), chromedp.Navigate(s.URL+"/workflows/weighbridge"),
		browser.Sees("button", "Change 202"))
	harness.Eventually(t, "what was written is kept", func() bool {
		return strings.Contains(text(t, s, "weighbridge"), "status: 202")
	})
}

// TestAStepIsRenamedEverywhere gives a step another name: all that reads it
// follows, and is one change to take back.
func TestAStepIsRenamedEverywhere(t *testing.T) {
	t.Parallel()
	s := harness.Demo(t)
	ctx, h, ines := page(t), &browser.Hand{}, s.Person("Ines")
	was := text(t, s, "weighbridge")
	do(t, ctx, browser.SignIn(s.URL, ines.Email, ines.Password), chromedp.Navigate(s.URL+"/workflows/weighbridge"),
		h.Click("button", "Change net"), browser.Sees("textbox", "id"), h.Press("Control+a"), h.Type("weight"),
		h.Press("Enter"), browser.HasText("kg of weight"))
	harness.Eventually(t, "the name is kept everywhere", func() bool {
		return text(t, s, "weighbridge") == strings.NewReplacer("id: net", "id: weight", "net.", "weight.").Replace(was)
	})
	do(t, ctx, h.Click("button", "Undo"))
	harness.Eventually(t, "it is as it was", func() bool { return text(t, s, "weighbridge") == was })
}

// TestAValueIsDraggedFromWhatAStepGave tries the weighbridge, keeps what its first
// step gave in sight, and drags a value of that into another step's text.
func TestAValueIsDraggedFromWhatAStepGave(t *testing.T) {
	t.Parallel()
	s := harness.Demo(t)
	ctx, h, ines := page(t), &browser.Hand{}, s.Person("Ines")
	if err := s.As("Ines").KeepSample(harness.Context(t), "weighbridge", "dry",
		wire.KeepSample{Signal: handWritten("dry")}); err != nil {
		t.Fatal(err)
	}
	do(t, ctx, browser.SignIn(s.URL, ines.Email, ines.Password), chromedp.Navigate(s.URL+"/workflows/weighbridge"),
		h.Click("button", "Run"), browser.Sees("link", "Open the run"), h.Click("combobox", "Whose is shown"),
		h.Type("1 Work out"), h.Press("Enter"), browser.HasText("It gave"), h.Click("group", "Use Clip Register"),
		browser.Sees("textbox", "lane"), h.Drag("term", "shrinkage", "textbox", "lane"))
	harness.Eventually(t, "the value is where it was let go", func() bool {
		return strings.Count(text(t, s, "weighbridge"), "${net.shrinkage}") == 2 // one stood there before
	})
}

const blocked = `workflow: blocked
title: Blocked
triggers:
  - id: lots
    webhook: {path: blocked, verify: weighbridge-key}
steps:
  - each:
      of: signal.body.lots
      do:
        - id: net
          compute: {kg: 'item - 20.0'}
  - label: {as: [weighed]}
`

// TestAValueIsDraggedOutOfItsBlock drags what a step inside a block gave to a line
// below the block: the block gives it from then on. Let go above the block, it says
// why it cannot be read there.
func TestAValueIsDraggedOutOfItsBlock(t *testing.T) {
	t.Parallel()
	s := harness.Demo(t)
	ctx, h, ines := page(t), &browser.Hand{}, s.Person("Ines")
	if err := with(t, s, "blocked", blocked); err != nil {
		t.Fatal(err)
	}
	sample := wire.KeepSample{Signal: &wire.Signal{Trigger: "lots", Body: map[string]any{"lots": []any{120, 140}}}}
	if err := s.As("Ines").KeepSample(harness.Context(t), "blocked", "two", sample); err != nil {
		t.Fatal(err)
	}
	do(t, ctx, browser.SignIn(s.URL, ines.Email, ines.Password), chromedp.Navigate(s.URL+"/workflows/blocked"),
		h.Click("button", "Run"), browser.Sees("link", "Open the run"), h.Click("combobox", "Whose is shown"),
		h.Type("1.1 Work out"), h.Press("Enter"), browser.HasText("It gave"), h.Click("group", "Label"),
		browser.Sees("textbox", "as"), h.Drag("term", "kg", "textbox", "as"))
	harness.Eventually(t, "the loop gives the value, and it stands where it was let go", func() bool {
		now := text(t, s, "blocked")
		return strings.Contains(now, "      gives:\n        kg: ${net.kg}\n") && strings.Contains(now, "id: each_kg") &&
			strings.Contains(now, "${each_kg.results.map(one, one.kg)}")
	})
}
