package e2e_test

import (
	"encoding/json"
	"net/http"
	"slices"
	"strings"
	"testing"

	"woolsignal/core/run"
	"woolsignal/e2e/browser"
	"woolsignal/e2e/harness"
	"woolsignal/wire"
)

// mostActs is how many acts building the weighbridge may take.
const mostActs = 120

// delivered is what the scale sends, before and after there is a key.
const delivered = `{"grower": "Hollin Bank", "gross_kg": 412.5, "tare_kg": 31, "farm_kg": 384, "bales": 2,
	"notes": "dry, some straw"}`

// TestTheWeighbridgeIsBuiltByHand builds the intake of a scale from nothing by
// mouse and keyboard: its key is made on the way, its schema comes from what the
// scale sends, it is tried on that, made live, sent a signed delivery, and the run
// of that is opened and gone through again from a step.
func TestTheWeighbridgeIsBuiltByHand(t *testing.T) { buildTheWeighbridge(t, &browser.Hand{}) }

// TestTheWeighbridgeIsBuiltByKeysAlone does the same without a mouse.
func TestTheWeighbridgeIsBuiltByKeysAlone(t *testing.T) {
	t.Parallel()
	buildTheWeighbridge(t, &browser.Hand{Keyboard: true})
}

func buildTheWeighbridge(t *testing.T, h *browser.Hand) {
	s := harness.Demo(t)
	ctx, ines := page(t), s.Person("Ines")
	do(t, ctx, browser.SignIn(s.URL, ines.Email, ines.Password), h.Click("link", "Workflows"))
	do(t, ctx, begunByHand(h)...)
	if status := sendPlain(t, s, "/in/second-scale", delivered); status != http.StatusAccepted {
		t.Fatalf("what the scale sends is answered %d", status)
	}
	do(t, ctx, browser.HasText("unsigned"), h.Click("button", "Accept what looks like this"),
		h.Click("button", "All are needed"), h.Click("checkbox", "needed: notes"))
	for _, part := range [][]browser.Step{workedOutByHand(h), decidedByHand(h), recordedByHand(h), answeredByHand(h)} {
		do(t, ctx, part...)
	}
	t.Logf("the weighbridge is built in %d acts", h.Acts)
	if h.Acts > mostActs {
		t.Errorf("it took %d acts, more than %d", h.Acts, mostActs)
	}
	built(t, s)
	do(t, ctx, h.Click("button", "Run"), browser.Sees("link", "Open the run"),
		h.Click("group", "Use Clip Register"), browser.HasText("clean"), browser.HasText("Held back"))
	if n := s.Count("clip-register", http.MethodPost); n != 0 {
		t.Errorf("the try posted %d deliveries", n)
	}
	do(t, ctx, h.Click("button", "Make live"), browser.HasText("No run is open"), h.Type("first"),
		h.Click("button", "Make it live"), browser.HasText("live, version 1"))
	sentSigned(t, s)
	do(t, ctx, h.Click("link", "Runs"), browser.HasText("Second scale"), h.Click("link", "Hollin Bank"),
		browser.HasText("Clip Register: add delivery"), h.Click("button", "3Use Clip Register"),
		h.Click("button", "Run again from here"), browser.HasText("repeats"))
	t.Logf("built, tried, made live and gone through again in %d acts", h.Acts)
}

// sentSigned sends what the scale sends, signed with the key that was made, and
// waits till it is recorded.
func sentSigned(t *testing.T, s *harness.Service) {
	t.Helper()
	var body any
	if err := json.Unmarshal([]byte(delivered), &body); err != nil {
		t.Fatal(err)
	}
	d, err := s.As("Ines").Delivery(harness.Context(t), "second-scale", wire.Deliver{Body: body, Live: true})
	if err != nil {
		t.Fatal(err)
	}
	if status := send(t, d, d.Body); status != http.StatusCreated {
		t.Fatalf("a signed delivery is answered %d", status)
	}
	ran := s.RunOf("second-scale", "ends", func(d wire.Detail) bool { return d.Status.Ended() && d.Origin == nil })
	if ran.Status != run.Done || s.Count("clip-register", http.MethodPost, http.StatusCreated) != 1 {
		t.Fatalf("%s %s", ran.Status, ran.Because)
	}
}

// built waits till all of it is kept, as somebody would write it who likes the file.
func built(t *testing.T, s *harness.Service) {
	t.Helper()
	for _, written := range []string{"kg: signal.body.gross_kg - signal.body.tare_kg",
		"shrinkage: round((signal.body.farm_kg - kg) / signal.body.farm_kg * 100, 1)",
		`notes: otherwise(signal.body.notes, "")`, "when: compute.kg <= 0", "when: compute.shrinkage > 8",
		`when: compute.notes == ""`, "judge: The driver's notes mention wet", "going_by: ${compute.notes}",
		"lane: quarantine", "outcome: failed", "lane: ${decide.lane}", "condition: How the fleece felt when it came",
		"status: 201", "receipt: ${add_delivery.id}", "answer: computed"} {
		harness.Eventually(t, written+" is kept", func() bool {
			return strings.Contains(text(t, s, "second-scale"), written)
		})
	}
}

func begunByHand(h *browser.Hand) []browser.Step {
	return []browser.Step{h.Click("button", "New workflow"), h.Type("Second scale"), h.Press("Enter"),
		h.Click("button", "When… Choose what starts it"), h.Type("verified POST"), h.Press("Enter"),
		browser.Sees("combobox", "verify"), h.Type("new"), h.Press("Enter"), // a key is made
		browser.Sees("button", "Make the key"), browser.HasText("Named second-scale-key"), h.Press("Enter"),
		browser.Sees("button", "Use it"), h.Press("Enter"), browser.Sees("button", "Change Second scale key"),
		h.Click("combobox", "What it begins with"), h.Type("the next"), h.Press("Enter"),
		h.Click("button", "Wait for it"), browser.HasText("Waiting for it")}
}

func workedOutByHand(h *browser.Hand) []browser.Step {
	value := func(label, words, chip string) []browser.Step {
		return []browser.Step{h.Press("/"), h.Type(words), browser.Sees("option", chip), h.Press("Enter"),
			browser.Sees("button", label+": "+chip)}
	}
	sign := func(key string) []browser.Step { return []browser.Step{h.Press(key)} } // and on, without a look
	return slices.Concat([]browser.Step{h.Click("button", "Then… Put in the first step"), h.Type("work out"),
		h.Press("Enter"), browser.Sees("textbox", "Name of one more value"), h.Type("kg"), h.Press("Enter"),
		browser.Sees("textbox", "kg")}, value("kg", "gross", "gross kg"),
		sign("-"), value("kg, second", "tare", "tare kg"),
		[]browser.Step{browser.Sees("button", "Change gross kg − tare kg"),
			h.Click("textbox", "Name of one more value"), h.Type("shrinkage"), h.Press("Enter"),
			browser.Sees("textbox", "shrinkage")}, value("shrinkage", "farm", "farm kg"),
		sign("-"), value("shrinkage, second", "kg", "kg"),
		sign("/"), value("shrinkage, second", "farm", "farm kg"),
		sign("*"),
		[]browser.Step{h.Type("100"), browser.Sees("button", "Change (farm kg − kg) ÷ farm kg × 100"),
			h.Click("button", "More with shrinkage"), h.Click("menuitem", "round to places"), h.Type("1"),
			browser.Sees("button", "Change (farm kg − kg) ÷ farm kg × 100, rounded to 1 place"),
			h.Click("textbox", "Name of one more value"), h.Type("notes"), h.Press("Enter"),
			browser.Sees("button", "Change notes, or nothing")})
}

// decidedByHand fills in four cases, one of them judged, and what each gives.
func decidedByHand(h *browser.Hand) []browser.Step {
	row := func(value, says string) []browser.Step {
		return []browser.Step{browser.Sees("combobox", "Find a value"), h.Type("compute " + value),
			browser.Sees("option", value+" of compute"), h.Press("Enter"),
			browser.Sees("button", "when: value: "+value+" of compute"), h.Type(says), h.Press("Enter")}
	}
	return slices.Concat([]browser.Step{h.Click("button", "+ one more step"), h.Type("decide"), h.Press("Enter")},
		row("kg", "at most"), []browser.Step{h.Type("0"), browser.Sees("group", "if kg of compute is at most 0"),
			h.Click("button", "One more case")},
		row("shrinkage", "more than"), []browser.Step{h.Type("8"),
			browser.Sees("group", "if shrinkage of compute is more than 8"), h.Click("button", "One more case")},
		row("notes", "empty"), []browser.Step{browser.Sees("group", "if notes of compute is empty"),
			h.Click("button", "One more, judged"), browser.Sees("textbox", "judge"),
			h.Paste("The driver's notes mention wet, mouldy or contaminated fleece."),
			h.Click("textbox", "going by"), h.Press("/"), h.Type("compute notes"),
			browser.Sees("option", "notes of compute"), h.Press("Enter"),
			h.Click("group", "Decide"),
			h.Click("textbox", "Name of one more value of every way"), h.Type("lane"), h.Press("Enter"),
			browser.Sees("textbox", "lane if kg"),
			h.PasteLines("", "check by hand", "clean", "quarantine", "check by hand", "clean"),
			browser.Sees("group", "otherwise, giving lane “clean”"),
			h.Click("group", "if kg of compute"), h.Press("/"), h.Type("end the run"), h.Press("Enter"),
			browser.Sees("combobox", "outcome"), h.Type("failed"), h.Click("textbox", "because"),
			h.Type("Weigh the empty trailer again, kg: "), h.Press("/"), h.Type("compute kg"),
			browser.Sees("option", "kg of compute"), h.Press("Enter"),
			browser.Sees("button", "Change Weigh the empty trailer again, kg: kg of compute")})
}

func recordedByHand(h *browser.Hand) []browser.Step {
	return []browser.Step{h.Click("button", "+ one more step"), h.Type("add delivery"), h.Press("Enter"),
		browser.Sees("button", "Change grower"), browser.Sees("button", "Change lane of decide"),
		h.Click("button", "+ condition"), browser.Sees("combobox", "condition"),
		h.Click("button", "Leave it to a model: condition"), browser.HasText("a model fills in condition"),
		h.Click("button", "+ one more step"), h.Type("label"), h.Press("Enter"), browser.Sees("textbox", "as 1"),
		h.Press("/"), h.Type("decide lane"), browser.Sees("option", "lane of decide"), h.Press("Enter"),
		browser.Sees("group", "Label the run lane of decide")}
}

func answeredByHand(h *browser.Hand) []browser.Step {
	more := "Name of one more value of body"
	return []browser.Step{h.Click("button", "+ one more step"), h.Type("reply to the caller"), h.Press("Enter"),
		browser.Sees("spinbutton", "status"), h.Type("201"), browser.Sees("group", "Answer the caller with 201"),
		h.Click("textbox", more), h.Type("receipt"), h.Press("Enter"), browser.Sees("textbox", "receipt"), h.Press("/"),
		h.Type("add delivery id"), browser.Sees("option", "id of add delivery"), h.Press("Enter"),
		browser.Sees("group", "Answer the caller with 201: receipt id"),
		h.Click("textbox", more), h.Type("kg"), h.Press("Enter"), browser.Sees("textbox", "kg"),
		h.Type("lane"), h.Press("Enter"), browser.Sees("textbox", "lane"),
		h.Click("button", "Write answer: computed"), browser.HasText("Draft kept")}
}
