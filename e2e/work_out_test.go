package e2e_test

import (
	"errors"
	"fmt"
	"net/http"
	"testing"

	"woolsignal/client"
	"woolsignal/core/expr"
	"woolsignal/core/run"
	"woolsignal/e2e/harness"
	"woolsignal/wire"
)

// TestAnExpressionIsWorkedOutWhereItStands says what a condition means and
// gives on its place, for a run and for a kept sample, and how often it held.
func TestAnExpressionIsWorkedOutWhereItStands(t *testing.T) {
	t.Parallel()
	s := harness.Demo(t)
	ctx, c := harness.Context(t), s.As("Ines")
	script := text(t, s, "weighbridge")
	d := tried(t, s, "weighbridge", wire.Try{Signal: handWritten("dry")})
	if d.Status != run.Done {
		t.Fatal(d.Because)
	}
	const case2 = "/steps/1/decide/cases/1/when"
	out, err := c.WorkOut(ctx, "weighbridge", wire.WorkOut{Text: script, At: case2, Code: "net.shrinkage > 0.5",
		Run:   d.ID,
		Holds: true})
	if err != nil || len(out.Problems) > 0 {
		t.Fatal(out.Problems, err)
	}
	if whole := out.Parts[""]; !whole.There || whole.Gives != true || expr.PlainWords(out.Words) !=
		"shrinkage of net is more than 0.5" || out.Form.Name != "more" || out.Held == nil || out.Held.Of == 0 {
		t.Errorf("%+v", out)
	}
	if left := out.Parts["/of/0"]; left.Kind != "number" || fmt.Sprint(left.Gives) != "0.6" {
		t.Errorf("%+v", left)
	}
	form := &expr.Form{Is: expr.FormAll, Of: []expr.Form{out.Form, {Is: expr.FormCompare, Name: "not_empty",
		Of: []expr.Form{{Is: expr.FormValue, Path: []string{"net", "notes"}}}}}}
	out, err = c.WorkOut(ctx, "weighbridge", wire.WorkOut{Text: script, At: case2, Form: form, Run: d.ID})
	if err != nil || out.Code != `net.shrinkage > 0.5 && net.notes != ""` || out.Parts[""].Gives != true {
		t.Errorf("%q %+v %v", out.Code, out.Parts, err)
	}
	// Of its own step an expression sees what stands above it.
	out, err = c.WorkOut(ctx, "weighbridge", wire.WorkOut{Text: script, At: "/steps/0/compute/shrinkage",
		Code: "kg * 2",
		Run:  d.ID})
	if err != nil || fmt.Sprint(out.Parts[""].Gives) != "825" || len(out.Problems) > 0 {
		t.Errorf("%+v %v", out, err)
	}
	if out, err = c.WorkOut(ctx, "weighbridge", wire.WorkOut{Text: script, At: "/steps/0/compute/kg",
		Code: "shrinkage"}); err != nil || len(out.Problems) == 0 {
		t.Errorf("what stands below is seen: %+v %v", out, err)
	}
}

// TestAChainIsWorkedOutLinkByLink takes payout-week's sums apart: each link says
// what it gives, and what is asked of each item is seen for the first.
func TestAChainIsWorkedOutLinkByLink(t *testing.T) {
	t.Parallel()
	s := harness.Demo(t)
	ctx, c := harness.Context(t), s.As("Ines")
	d := tried(t, s, "payout-week", wire.Try{Inputs: map[string]any{}, Until: "sums"})
	out, err := c.WorkOut(ctx, "payout-week", wire.WorkOut{Text: text(t, s, "payout-week"),
		At:   "/steps/3/compute/total",
		Code: "round(sum(rows.filter(r, r.due < 1000000).map(r, r.due)), 2)", Run: d.ID})
	if err != nil || len(out.Problems) > 0 {
		t.Fatal(out.Problems, err)
	}
	for at, kind := range map[string]string{"": "number", "/of/0": "number", "/of/0/of/0": "list",
		"/of/0/of/0/of/0":      "list",
		"/of/0/of/0/of/0/of/1": "bool", "/of/0/of/0/of/1": "number"} {
		if part := out.Parts[at]; !part.There || part.Kind != kind {
			t.Errorf("%q: %+v", at, part)
		}
	}
}

// TestWhatCannotBeWorkedOut says why, and does no harm.
func TestWhatCannotBeWorkedOut(t *testing.T) {
	t.Parallel()
	s := harness.Demo(t)
	ctx, c := harness.Context(t), s.As("Ines")
	script := text(t, s, "weighbridge")
	for name, in := range map[string]wire.WorkOut{
		"half an expression": {Code: "net.kg >"}, "a name of nowhere": {Code: "nowhere.kg > 3"},
		"a number that is none": {Code: "net.kg.size"},
	} {
		in.Text, in.At = script, "/steps/1/decide/cases/0/when"
		out, err := c.WorkOut(ctx, "weighbridge", in)
		if err != nil || len(out.Problems) == 0 || out.Code != in.Code {
			t.Errorf("%s: %+v %v", name, out, err)
		}
	}
	for name, in := range map[string]wire.WorkOut{
		"no form": {Form: &expr.Form{Is: "guess"}}, "a run that is not there": {Code: "1", Run: "nosuch"},
		"a sample that is not there": {Code: "1", Sample: "nosuch"},
	} {
		in.Text = script
		_, err := c.WorkOut(ctx, "weighbridge", in)
		var refused *client.Problem
		if !errors.As(err, &refused) || refused.Status < 400 || refused.Status >= http.StatusInternalServerError {
			t.Errorf("%s: %v", name, err)
		}
	}
}

// TestASampleIsWorkedOutThroughStepsThatReckon gives a condition's outcome for a
// kept sample before anything ever ran: what steps above only reckon is reckoned
// by the text as it is.
func TestASampleIsWorkedOutThroughStepsThatReckon(t *testing.T) {
	t.Parallel()
	s := harness.Demo(t)
	ctx, c := harness.Context(t), s.As("Ines")
	signal := &wire.Signal{Trigger: "scale", Body: map[string]any{"grower": "Hollin Bank", "gross_kg": 400,
		"tare_kg": 100, "farm_kg": 400, "bales": 2}}
	if err := c.KeepSample(ctx, "weighbridge", "light", wire.KeepSample{Signal: signal}); err != nil {
		t.Fatal(err)
	}
	for at, want := range map[string]struct {
		code  string
		gives any
	}{
		"/steps/1/decide/cases/1/when": {"net.shrinkage > 8", true},
		"/steps/0/compute/shrinkage":   {"kg * 2", float64(600)},
		"/steps/0/compute/kg":          {"shrinkage", nil}, // it stands below
	} {
		w, err := c.WorkOut(ctx, "weighbridge", wire.WorkOut{Text: text(t, s, "weighbridge"), At: at, Code: want.code,
			Sample: "light"})
		if err != nil || w.Parts[""].Gives != want.gives {
			t.Errorf("%s: %+v, %v", want.code, w.Parts[""], err)
		}
	}
}
