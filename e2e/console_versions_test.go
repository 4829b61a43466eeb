package e2e_test

import (
	"strconv"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"

	"woolsignal/core/run"
	"woolsignal/e2e/browser"
	"woolsignal/e2e/harness"
	"woolsignal/wire"
)

// button finds a button by its words.
func button(words string) chromedp.JSPath {
	return chromedp.JSPath(`[...document.querySelectorAll('button')].find(b => b.textContent.trim() === ` +
		strconv.Quote(words) + `)`)
}

// TestConsoleVersions makes a draft live in the browser, reads what differs,
// goes back, and switches the workflow off.
func TestConsoleVersions(t *testing.T) {
	t.Parallel()
	s := harness.Demo(t)
	ctx, hand := page(t), &browser.Hand{}
	c, ines := harness.Context(t), s.Person("Ines")
	files, err := s.As("Ines").Files(c)
	if err != nil {
		t.Fatal(err)
	}
	files["workflows/store-watch.yaml"] = strings.Replace(files["workflows/store-watch.yaml"], "humidity_percent > 65",
		"humidity_percent > 62", 1)
	if _, err := s.As("Ines").Apply(c, wire.Files{Files: files}); err != nil {
		t.Fatal(err)
	}
	do(t, ctx, browser.SignIn(s.URL, ines.Email, ines.Password),
		chromedp.Navigate(s.URL+"/workflows"), browser.HasText("the draft differs"),
		chromedp.Navigate(s.URL+"/workflows/store-watch"), browser.HasText("live, version 1"),
		chromedp.Click(chromedp.CSS(`[role=tab][id$="trigger-versions"]`)), browser.HasText("what is written now"),
		chromedp.Click(button("What differs")), browser.HasText("if humidity percent of reading is more than 62"),
		browser.HasText("+        - when: reading.humidity_percent > 62"),
		hand.Click("button", "Make live"))
	do(t, ctx, browser.HasText("Not tried since it was changed"),
		hand.Type("drier air"), hand.Click("button", "Make it live"), browser.HasText("live, version 2"),
		browser.HasText("drier air"))
	do(t, ctx, hand.Click("button", "Make it live again"), browser.HasText("live, version 3"),
		browser.HasText("back to version 1"),
		hand.Click("button", "Switch off"), browser.HasText("off, version 3"))
	all, err := s.As("Ines").Versions(c, "store-watch")
	if err != nil || len(all) != 3 || all[1].Note != "drier air" || all[1].By != "Ines Faro" {
		t.Errorf("%+v %v", all, err)
	}
	tobias := s.Person("Tobias")
	do(t, ctx, browser.SignIn(s.URL, tobias.Email, tobias.Password), chromedp.Navigate(s.URL+"/workflows/store-watch"),
		browser.HasText("off, version 3"))
	if may, err := chromedp.Run(ctx,
		chromedp.Evaluate[bool](`[...document.querySelectorAll('button')].some(b => `+
			`/Switch|live/.test(b.textContent))`)); err != nil || may {
		t.Errorf("a reviewer is offered to publish (%v)", err)
	}
}

// TestConsoleItemsFoldAndRunsRepeat opens a run with an item for each grower,
// unfolds one, and runs it again from a step.
func TestConsoleItemsFoldAndRunsRepeat(t *testing.T) {
	t.Parallel()
	s := harness.Demo(t)
	ctx := page(t)
	c, ines := harness.Context(t), s.Person("Ines")
	id, err := s.As("Ines").Start(c, "payout-week", wire.Start{Inputs: map[string]any{"price_per_kg": 2}})
	if err != nil {
		t.Fatal(err)
	}
	d, err := s.As("Ines").Settled(c, id)
	if err != nil {
		t.Fatal(err)
	}
	do(t, ctx, browser.SignIn(s.URL, ines.Email, ines.Password), chromedp.Navigate(s.URL+"/runs/"+id),
		browser.HasText("waiting for the depot"), browser.HasText("Failed: Raven Gill"))
	const rows = `[...document.querySelectorAll('li')].filter(l => /read account/.test(l.textContent)).length`
	if n, err := chromedp.Run(ctx, chromedp.Evaluate[int](rows)); err != nil || n != 1 {
		t.Errorf("%d items lie open, want the one that failed (%v)", n, err)
	}
	do(t, ctx, chromedp.Click(chromedp.CSS(`li button[aria-expanded="false"]`)),
		chromedp.WaitVisible(chromedp.CSS(`button[aria-pressed="true"][aria-expanded="true"]`)))
	if n, err := chromedp.Run(ctx, chromedp.Evaluate[int](rows)); err != nil || n != 2 {
		t.Errorf("unfolded, %d items lie open (%v)", n, err)
	}
	if _, err := s.As("Elin").Decide(c, s.OpenReview(d).ID, wire.Decision{Choice: "not yet"}); err != nil {
		t.Fatal(err)
	}
	s.Ended(id)
	do(t, ctx, chromedp.Navigate(s.URL+"/runs/"+id), browser.HasText("label"), browser.HasText("not yet"),
		chromedp.Click(chromedp.JSPath(`[...document.querySelectorAll('li button')].find(b => /Ask the `+
			`depot/.test(b.textContent))`)),
		chromedp.Click(button("Run again from here")), browser.HasText("repeats"),
		browser.HasText("waiting for the depot"))
	again, err := s.As("Ines").Runs(c, filterWorkflow("payout-week"))
	if err != nil || len(again.Runs) != 2 || again.Runs[0].Status != run.Waiting ||
		*again.Runs[0].Origin != (wire.Origin{Kind: "again", Run: id}) {
		t.Errorf("%+v %v", again.Runs, err)
	}
}
