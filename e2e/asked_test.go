package e2e_test

import (
	"testing"

	"github.com/chromedp/chromedp"

	"woolsignal/demo"
	"woolsignal/e2e/browser"
	"woolsignal/e2e/harness"
	"woolsignal/wire"
)

// TestATryAsksForWhatIsMissing tries a workflow whose connection has no secret:
// the try asks for it, goes on once it is given, and asks for a decision then.
func TestATryAsksForWhatIsMissing(t *testing.T) {
	t.Parallel()
	s := harness.Demo(t)
	ctx, h, ines := page(t), &browser.Hand{}, s.Person("Ines")
	c := s.As("Ines")
	state, err := demo.LoadState(s.Data)
	if err != nil {
		t.Fatal(err)
	}
	one, err := c.Definition(harness.Context(t), "connection", "clip-register")
	if err != nil {
		t.Fatal(err)
	}
	file := "connection: gate-register\ntitle: Gate register\naddress: " + addressOf(t, c, "clip-register") +
		"\nauth:\n  header: X-Register-Key\nnetworks: [loopback]\nopenapi:\n  description: schemas/clip-register.json\n"
	if _, err := c.Define(harness.Context(t), "connection", "gate-register", wire.Redefine{Text: file}); err != nil {
		t.Fatal(err, one.Text)
	}
	text := "workflow: gate\ntitle: Gate\ninputs: {type: object}\nsteps:\n  - id: growers\n" +
		"    tool: gate-register/list_growers\n  - review:\n      ask: builder\n" +
		"      show: ${growers}\n      choices: [yes they are, no]\n"
	if _, err := c.Edit(harness.Context(t), "gate", wire.Draft{Text: text}); err != nil {
		t.Fatal(err)
	}
	do(t, ctx, browser.SignIn(s.URL, ines.Email, ines.Password), chromedp.Navigate(s.URL+"/workflows/gate"),
		h.Click("combobox", "What it begins with"), h.Type("one written"), h.Press("Enter"), h.Click("button", "Run"),
		browser.HasText("nobody has given its secret yet"), h.Click("textbox", "Secret"), h.Paste(state.Keys.Register),
		h.Click("button", "Keep and test"), h.Click("button", "Yes they are"), browser.HasText("done"))
}
