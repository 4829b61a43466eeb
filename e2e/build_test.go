package e2e_test

import (
	"net/http"
	"strings"
	"testing"

	"woolsignal/core/run"
	"woolsignal/demo"
	"woolsignal/e2e/browser"
	"woolsignal/e2e/harness"
	"woolsignal/wire"
)

// mostActs is how many acts building a scale's workflow may take.
const mostActs = 120

// TestAWorkflowIsBuiltByHand builds an intake for a second scale from nothing,
// by mouse and keyboard, tries it, makes it live, posts a signed delivery to it,
// and opens the run that came of it.
func TestAWorkflowIsBuiltByHand(t *testing.T) {
	s := harness.Demo(t)
	ctx, h, ines := page(t), &browser.Hand{}, s.Person("Ines")
	do(t, ctx, browser.SignIn(s.URL, ines.Email, ines.Password), h.Click("link", "Workflows"))
	do(t, ctx, begunByHand(h)...)
	do(t, ctx, workedOutByHand(h)...)
	do(t, ctx, decidedByHand(h)...)
	do(t, ctx, recordedByHand(h)...)
	for _, written := range []string{"kg: signal.body.gross_kg - signal.body.tare_kg", "when: net.kg <= 0",
		"lane: ${sort.lane}", "condition: "} {
		harness.Eventually(t, written+" is kept", func() bool {
			return strings.Contains(text(t, s, "second-scale"),
				written)
		})
	}
	do(t, ctx, h.Click("group", "Use Clip Register"), h.Click("combobox", "What it begins with"),
		h.Type("one written"), h.Press("Enter"),
		h.Click("textbox", "grower"), h.Type("Hollin Bank"), h.Click("spinbutton", "gross kg"), h.Type("412.5"),
		h.Click("spinbutton", "tare kg"), h.Type("31"), h.Click("spinbutton", "farm kg"), h.Type("384"),
		h.Click("spinbutton", "bales"), h.Type("2"),
		h.Click("button", "Run"), browser.Sees("link", "Open the run"), browser.HasText(`lane "clean"`))
	if n := s.Count("clip-register", http.MethodPost); n != 0 {
		t.Errorf("the try posted %d deliveries", n)
	}
	do(t, ctx, h.Click("button", "Make live"), browser.HasText("No run is open"), h.Type("first"),
		h.Click("button", "Make it live"), browser.HasText("live, version 1"))
	t.Logf("built, tried and made live in %d acts", h.Acts)
	if h.Acts > mostActs {
		t.Errorf("it took %d acts, more than %d", h.Acts, mostActs)
	}
	state, err := demo.LoadState(s.Data)
	if err != nil {
		t.Fatal(err)
	}
	r, err := demo.Post(harness.Context(t), s.URL, "second-scale", state.Signing, "second-1", delivery())
	if err != nil {
		t.Fatal(err)
	}
	if body := read(t, r); r.StatusCode >= http.StatusBadRequest {
		t.Fatalf("a signed delivery is answered %d %v", r.StatusCode, body)
	}
	d := s.RunOf("second-scale", "ends", func(d wire.Detail) bool { return d.Status.Ended() && d.Origin == nil })
	if d.Status != run.Done || s.Count("clip-register", http.MethodPost, http.StatusCreated) != 1 {
		t.Fatalf("%s %s", d.Status, d.Because)
	}
	do(t, ctx, h.Click("link", "Runs"), browser.HasText("Second scale"), h.Click("link", "Hollin Bank · dry"),
		browser.HasText("Clip Register: add delivery"))
}

func begunByHand(h *browser.Hand) []browser.Step {
	return []browser.Step{h.Click("button", "New workflow"), h.Type("Second scale"), h.Press("Enter"),
		h.Click("button", "When… Choose what starts it"), h.Type("verified POST"), h.Press("Enter"),
		browser.Sees("textbox", "path"), h.Type("second-scale"), h.Press("Tab"), h.Type("weighbridge"),
		h.Press("Enter"),
		h.Click("button", "▸ More it can say"), h.Click("combobox", "accepts"), h.Type("delivery"), h.Press("Enter"),
		browser.HasText("filled in as")}
}

func workedOutByHand(h *browser.Hand) []browser.Step {
	return []browser.Step{h.Click("button", "Then… Put in the first step"), h.Type("work out"), h.Press("Enter"),
		browser.Sees("textbox", "Name of one more value"), h.Type("kg"), h.Press("Enter"),
		browser.Sees("textbox", "kg"), h.Press("/"), h.Type("gross"), h.Press("Enter"),
		h.Click("button", "More with kg"), h.Click("menuitem", "− another"), h.Press("/"), h.Type("tare"),
		h.Press("Enter"), browser.Sees("button", "Change gross kg − tare kg"),
		h.Click("textbox", "Name of one more value"), h.Type("notes"), h.Press("Enter"),
		browser.Sees("textbox", "notes"), h.Press("/"), h.Type("body notes"), h.Press("Enter"),
		browser.Sees("button", "Change notes, or nothing"),
		h.Click("button", "▸ Its name"), h.Click("textbox", "id"), h.Press("Control+a"), h.Type("net"),
		h.Press("Enter"),
		browser.Sees("button", "Change net")}
}

func decidedByHand(h *browser.Hand) []browser.Step {
	return []browser.Step{h.Click("button", "Add below"), h.Type("decide"), h.Press("Enter"),
		h.Click("textbox", "when: value"), h.Press("/"), h.Type("net kg"), h.Press("Enter"),
		h.Click("combobox", "when: what is said of it"), h.Type("at most"), h.Press("Enter"),
		h.Click("textbox", "when: compared with"), h.Type("0"), browser.Sees("group", "if kg of net is at most 0"),
		h.Click("button", "▸ Its name"), h.Click("textbox", "id"), h.Press("Control+a"), h.Type("sort"),
		h.Press("Enter"),
		browser.Sees("button", "Change sort"),
		h.Click("group", "if kg of net"), h.Click("textbox", "Name of one more value"), h.Type("lane"),
		h.Press("Enter"),
		browser.Sees("textbox", "lane"), h.Type("check by hand"), browser.HasText("giving lane “check by hand”"),
		h.Click("group", "otherwise"), h.Click("textbox", "Name of one more value"), h.Type("lane"), h.Press("Enter"),
		browser.Sees("textbox", "lane"), h.Type("clean"), browser.HasText("giving lane “clean”")}
}

func recordedByHand(h *browser.Hand) []browser.Step {
	return []browser.Step{h.Click("group", "Decide sort"), h.Press("Escape"), h.Press("/"), h.Type("add delivery"),
		h.Press("Enter"), browser.Sees("button", "Change grower"), browser.Sees("button", "Change lane of sort"),
		h.Click("button", "+ condition"), browser.Sees("combobox", "condition"),
		h.Click("button", "Leave it to a model: condition"),
		browser.HasText("a model fills in condition")}
}
