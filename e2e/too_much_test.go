package e2e_test

import (
	"fmt"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"

	"woolsignal/core/run"
	"woolsignal/e2e/browser"
	"woolsignal/e2e/harness"
	"woolsignal/wire"
)

// TestBuildingBearsTooMuch gives the building page what nobody should: a value of
// two megabytes, a list of five thousand items, a connection of four hundred
// tools, and a name of letters that run the other way with markup in it.
func TestBuildingBearsTooMuch(t *testing.T) {
	t.Parallel()
	s := harness.Demo(t)
	ctx, h, ines := page(t), &browser.Hand{}, s.Person("Ines")
	c := s.As("Ines")
	do(t, ctx, browser.SignIn(s.URL, ines.Email, ines.Password))

	name := "שלום <img src=x onerror=\"window.pwned=1\"> \u202efleece"
	text := "workflow: much\ntitle: '" + name +
		"'\ninputs: {type: object, properties: {t: {type: string}}}\nsteps:\n" +
		"  - id: big\n    compute:\n      all: inputs.t + inputs.t\n  - id: many\n    compute:\n" +
		"      items: inputs.t.split('x').map(one, 'item ' + one)\n" +
		"  - id: through\n    each:\n      of: many.items\n      at_once: 50\n      do:\n" +
		"        - id: one\n          compute:\n            said: item\n"
	if _, err := c.Edit(harness.Context(t), "much", wire.Draft{Text: text}); err != nil {
		t.Fatal(err)
	}
	long := strings.Repeat("y", 1<<20)
	d := tried(t, s, "much", wire.Try{Until: "big", Inputs: map[string]any{"t": long}})
	if d.Status != run.Done {
		t.Fatalf("%s %s", d.Status, d.Because)
	}
	do(t, ctx, chromedp.Navigate(s.URL+"/runs/"+d.ID), browser.HasText("Work out"),
		h.Click("button", "1Work out big"), browser.HasText("yyyyyy"))
	d = tried(t, s, "much", wire.Try{Inputs: map[string]any{"t": strings.Repeat("x", 4999)}})
	if d.Status != run.Done {
		t.Fatalf("%s %s", d.Status, d.Because)
	}
	do(t, ctx, chromedp.Navigate(s.URL+"/workflows/much"), browser.HasText("שלום <img"),
		h.Click("combobox", "What it begins with"), h.Type("one written"), h.Press("Enter"),
		h.Click("textbox", "t"), h.Paste(strings.Repeat("x", 4999)), h.Click("button", "Run"),
		browser.Sees("link", "Open the run"), h.Click("group", "Work out big"),
		browser.HasText("It gave"), h.Click("group", "Work out one"), browser.HasText("item"))
	if number(t, ctx, `window.pwned ?? 0`) != 0 {
		t.Error("a title runs as markup")
	}
	manyTools(t, s)
	do(t, ctx, chromedp.Navigate(s.URL+"/workflows/much"), browser.HasText("שלום <img"),
		h.Click("button", "+ one more step"), h.Type("do thing 399"), browser.Sees("option", "do thing 399"),
		h.Press("Enter"), browser.Sees("button", "Change Much: do thing 399"))
}

// manyTools connects to an API of four hundred operations.
func manyTools(t *testing.T, s *harness.Service) {
	t.Helper()
	var paths []string
	for i := range 400 {
		paths = append(paths, fmt.Sprintf(`"/things/%d": {"post": {"operationId": "do_thing_%d", "responses":
			{"200": {"description": "done"}}}}`, i, i))
	}
	description := `{"openapi": "3.1.0", "info": {"title": "Much", "version": "1"}, "paths": {` +
		strings.Join(paths, ",") + "}}"
	in := wire.Redefine{Text: "connection: much\ntitle: Much\naddress: http://127.0.0.1:1\nnetworks: [loopback]\n" +
		"openapi:\n  description: schemas/much.json\n", Beside: map[string]string{"schemas/much.json": description}}
	if _, err := s.As("Ines").Define(harness.Context(t), "connection", "much", in); err != nil {
		t.Fatal(err)
	}
}
