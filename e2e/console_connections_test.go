package e2e_test

import (
	"net/http"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"

	"woolsignal/e2e/browser"
	"woolsignal/e2e/harness"
	"woolsignal/wire"
)

func labelled(words string) chromedp.JSPath {
	return chromedp.JSPath(`document.querySelector('[aria-label="` + words + `"]')`)
}

// TestConsoleConnections reads a connection, tests it, breaks and mends its
// secret, and signs in at another service, all in the browser.
func TestConsoleConnections(t *testing.T) {
	t.Parallel()
	s := harness.Demo(t)
	ctx := page(t)
	ines := s.Person("Ines")
	keys := demoKeys(t, s)
	do(t, ctx, browser.SignIn(s.URL, ines.Email, ines.Password),
		chromedp.Navigate(s.URL+"/connections"), browser.HasText("16 connections"), browser.HasText("Choose one"),
		chromedp.Navigate(s.URL+"/connections/shieling"), browser.HasText("Writes in a room, as the bot."),
		chromedp.Click(chromedp.JSPath(`[...document.querySelectorAll('summary')].find(s => s.closest('li').innerText `+
			`.includes('list_rooms'))`)), browser.HasText("rooms[].member bool"),
		chromedp.Click(button("Test it")), browser.HasText("Signed in as the bot; there are 7 rooms."),
		chromedp.SendKeys(labelled("Secret"), "sh-quite-another"), chromedp.Click(button("Keep and test")),
		browser.HasText("does not accept the secret"), browser.HasText("What to do: Replace the secret"),
		browser.HasText("does not work"),
		chromedp.SendKeys(labelled("Secret"), keys.Shieling))
	hidden := func(when string) {
		t.Helper()
		if shown, err := chromedp.Run(ctx, chromedp.Evaluate[bool](`document.documentElement.outerHTML.includes("`+
			keys.Shieling+`")`)); err != nil || shown {
			t.Errorf("%s, the page has the secret in it (%v)", when, err)
		}
	}
	hidden("as it is written")
	do(t, ctx, chromedp.Click(button("Keep and test")), browser.HasText("Signed in as the bot"))
	accessible(t, ctx, "a connection")
	hidden("once it is kept")
	do(t, ctx, chromedp.Navigate(s.URL+"/connections/minutes"), browser.HasText("Nobody has signed in yet"),
		browser.HasText(s.URL+"/oauth/return/minutes"),
		chromedp.Click(button("Sign in for Minutes")), browser.HasText("Allow woolsignal?"),
		chromedp.Click(button("Allow")), browser.HasText("Signed in at Minutes."),
		browser.HasText("Somebody has signed in"))
	do(t, ctx, chromedp.Click(button("Sign in again")), browser.HasText("Allow woolsignal?"),
		chromedp.Click(button("Do not allow")), browser.HasText("The person said no"))
	owen := s.Person("Owen")
	do(t, ctx, browser.SignIn(s.URL, owen.Email, owen.Password), chromedp.Navigate(s.URL+"/connections"),
		browser.HasText("Not allowed"))
}

// TestConsoleTables adds, changes, searches and removes rows in the browser.
func TestConsoleTables(t *testing.T) {
	t.Parallel()
	s := harness.Demo(t)
	ctx := page(t)
	ines := s.Person("Ines")
	field := func(name string) chromedp.JSPath {
		return chromedp.JSPath(`document.querySelector('[name=` + name + `]')`)
	}
	do(t, ctx, browser.SignIn(s.URL, ines.Email, ines.Password),
		chromedp.Navigate(s.URL+"/tables/fibre-tests"), browser.HasText("a little coarse at the britch"),
		chromedp.Click(button("Add a row")), chromedp.SendKeys(field("sample"), "FT-9"),
		chromedp.SendKeys(field("grower"), "Skell Top"), chromedp.SendKeys(field("microns"), "28,4"),
		chromedp.Click(button("Add it")), browser.HasText("4 rows"), browser.HasText("28.4"))
	accessible(t, ctx, "a table")
	do(t, ctx, chromedp.Click(button("Add a row")), chromedp.SendKeys(field("sample"), "FT-9"),
		chromedp.SendKeys(field("grower"), "Nettlecote"), chromedp.SendKeys(field("microns"), "30"),
		chromedp.Click(button("Add it")), browser.HasText("another row has this key already"),
		chromedp.Click(button("Leave it")),
		chromedp.Click(button("FT-9")), chromedp.SendKeys(field("notes"), "fine"),
		chromedp.Click(button("Keep changes")), browser.HasText("fine"),
		chromedp.SendKeys(labelled("Search rows"), "nettlecote"), browser.HasText("FT-3"))
	rows, err := s.As("Ines").Rows(harness.Context(t), "fibre-tests", wire.RowQuery{Words: "FT-9"})
	if err != nil || len(rows.Rows) != 1 || rows.Rows[0].Values["notes"] != "fine" ||
		rows.Rows[0].Values["microns"] != 28.4 {
		t.Errorf("%+v %v", rows, err)
	}
	added, err := s.As("Ines").ImportRows(harness.Context(t), "fibre-tests",
		"sample,grower,microns\nFT-10,Nettlecote,31\nFT-9,Skell Top,28.5\n")
	if err != nil || added.Added != 1 || added.Changed != 1 {
		t.Errorf("%+v %v", added, err)
	}
	for csv, words := range map[string]string{"sample,colour\nFT-1,red\n": `no column "colour"`,
		"sample,grower,microns\nFT-20,A,1\nFT-21,B,much\n": "line 3", "": "first line",
		"sample,grower,microns\nFT-1,A,1\nFT-1,A,1\n": "stands in line 2 already"} {
		if _, err := s.As("Ines").ImportRows(harness.Context(t), "fibre-tests", csv); err == nil ||
			!strings.Contains(err.Error(), words) {
			t.Errorf("%q: %v", csv, err)
		}
	}
	if text, err := s.As("Owen").ExportRows(harness.Context(t), "fibre-tests"); err != nil ||
		strings.Count(text, "\n") != 6 || strings.Contains(text, "FT-20") {
		t.Errorf("%s %v", text, err)
	}
	for first, allowed := range map[string]bool{"Owen": false, "Tobias": true} {
		_, err := s.As(first).AddRow(harness.Context(t), "mishaps", map[string]any{"workflow": "x", "state": "open"})
		if (err == nil) != allowed {
			t.Errorf("%s adds a row: %v", first, err)
		}
	}
}

// TestConsoleHostedPage is a visitor with a browser and no account.
func TestConsoleHostedPage(t *testing.T) {
	t.Parallel()
	s := harness.Demo(t)
	ctx := page(t)
	do(t, ctx, chromedp.Navigate(s.URL+"/talk/front-door"), browser.HasText("What is it about?"),
		chromedp.Click(button("this week's prices")), browser.HasText("Fine crossbred 2.45"),
		browser.HasText("Did this help?"),
		chromedp.Click(button("yes")), browser.HasText("Until next time."))
	accessible(t, ctx, "a hosted page")
	do(t, ctx, chromedp.Navigate(s.URL+"/talk/depot"), browser.HasText("There is no such page"))
	// Hosted forms wear the console's colours.
	do(t, ctx, chromedp.Navigate(s.URL+"/slip/none"), browser.HasText("There is no such form"))
	if paper, err := chromedp.Run(ctx, chromedp.Evaluate[string](
		`getComputedStyle(document.body).backgroundColor`)); err != nil || paper != "rgb(246, 242, 233)" {
		t.Errorf("a hosted form stands on %s: %v", paper, err)
	}
	response, err := http.Get(s.URL + "/slip/none")
	if err != nil || response.StatusCode != http.StatusNotFound {
		t.Errorf("%v %v", response, err)
	}
}
