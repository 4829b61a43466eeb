package e2e_test

import (
	"fmt"
	"io"
	"net/http"
	"strings"
	"testing"

	"woolsignal/client"
	"woolsignal/core/run"
	"woolsignal/demo"
	"woolsignal/e2e/harness"
	"woolsignal/standin/postbag"
	"woolsignal/wire"
)

// TestNotesAreJudged sends deliveries whose drivers wrote something, through
// the demo's weighbridge, and looks at where each went and why.
func TestNotesAreJudged(t *testing.T) {
	t.Parallel()
	s := harness.Demo(t)
	state, err := demo.LoadState(s.Data)
	if err != nil {
		t.Fatal(err)
	}
	for notes, c := range map[string]struct {
		lane, condition string
		weighed         bool
	}{
		"wet through, and mouldy at the bottom": {"quarantine", "wet", true},
		"came through the ford":                 {"check by hand", "damp", true}, // may mean wet: unsure
		"dry, tied loosely":                     {"clean", "dry", true},
		"":                                      {"clean", "dry", false},
	} {
		response, err := demo.Post(harness.Context(t), s.URL, "weighbridge", state.Signing, "d-"+notes,
			demo.Delivery{Grower: "Skell Top", GrossKg: 500, TareKg: 40, FarmKg: 462, Bales: 3, Notes: notes})
		if err != nil {
			t.Fatal(err)
		}
		body, _ := io.ReadAll(response.Body)
		response.Body.Close()
		if response.StatusCode != http.StatusCreated || !strings.Contains(string(body), fmt.Sprintf("%q", c.lane)) {
			t.Errorf("%q is answered %d %s, want the lane %s", notes, response.StatusCode, body, c.lane)
		}
		page, err := s.As("Ines").Runs(harness.Context(t), client.Filter{Workflow: "weighbridge", Limit: 1})
		if err != nil {
			t.Fatal(err)
		}
		d, err := s.As("Ines").Run(harness.Context(t), page.Runs[0].ID)
		if err != nil {
			t.Fatal(err)
		}
		sort, row := stepOf(t, d, "sort"), stepOf(t, d, "row")
		if weighed := sort.Agent != nil; weighed != c.weighed {
			t.Errorf("%q was weighed by a model: %t", notes, weighed)
		}
		if c.weighed && sort.Output.(map[string]any)["reason"] == "" {
			t.Errorf("%q: no reason is given", notes)
		}
		if args := row.Input.(map[string]any); c.condition != "damp" && args["condition"] != c.condition {
			t.Errorf("%q: the register was told %v, want %s", notes, args["condition"], c.condition)
		}
		if len(d.Labels) != 1 || d.Labels[0] != c.lane || d.Cost == 0 {
			t.Errorf("%q: labels %v, cost %d", notes, d.Labels, d.Cost)
		}
	}
	page, err := s.As("Ines").Runs(harness.Context(t), client.Filter{Label: "quarantine"})
	if err != nil || len(page.Runs) != 1 {
		t.Errorf("by its label %d runs are found (%v)", len(page.Runs), err)
	}
}

func stepOf(t *testing.T, d wire.Detail, id string) wire.Step {
	t.Helper()
	for _, step := range d.Steps {
		if step.ID == id {
			return step
		}
	}
	t.Fatalf("the run has no step %s", id)
	return wire.Step{}
}

func TestAPayoutWeekGoesOnWithoutTheOneThatFails(t *testing.T) {
	t.Parallel()
	s := harness.Demo(t)
	state, err := demo.LoadState(s.Data)
	if err != nil {
		t.Fatal(err)
	}
	if r, err := demo.Post(harness.Context(t), s.URL, "weighbridge", state.Signing, "d-1", delivery()); err != nil ||
		r.StatusCode != http.StatusCreated {
		t.Fatal(err)
	}
	id, err := s.As("Ines").Start(harness.Context(t), "payout-week",
		wire.Start{Inputs: map[string]any{"price_per_kg": 2}})
	if err != nil {
		t.Fatal(err)
	}
	d, err := s.As("Ines").Settled(harness.Context(t), id)
	if err != nil || d.Status != run.Waiting {
		t.Fatalf("%s %s %v", d.Status, d.Because, err)
	}
	s.Kill()
	if _, err := s.As("Elin").Decide(harness.Context(t), s.OpenReview(d).ID, wire.Decision{Choice: "pay"}); err != nil {
		t.Fatal(err)
	}
	d = s.Ended(id)
	result, _ := d.Result.(map[string]any)
	failed, _ := result["failed"].([]any)
	missing, _ := result["missing"].([]any)
	if d.Status != run.Done || len(failed) != 1 || len(missing) != 2 ||
		!strings.Contains(fmt.Sprint(failed), "Raven Gill") {
		t.Errorf("%s %s: %v", d.Status, d.Because, result)
	}
	if sheet, _ := result["sheet"].(string); !strings.HasPrefix(sheet, "advance,due,grower,kg,levy\n120,") ||
		strings.Count(sheet, "\n") != 8 {
		t.Errorf("the sheet is\n%v", result["sheet"])
	}
	s.Mailed("skell.top@hills.example", "holding register")
	if m := s.Mailed("treasurer@larkrigg.example", "Elin Marrack says: pay"); len(m.Files) != 1 ||
		m.Files[0] != "payout.csv" {
		t.Errorf("the treasurer got %+v", m)
	}
	s.BotSays("", "Payout of")
	if _, errs, code := s.Command("Ines", "", "start", "payout-week", "-inputs",
		`{"price_per_kg": "much"}`); code != 1 || !strings.Contains(errs, "price_per_kg: got string, want number") {
		t.Errorf("with a wrong input: exit %d %s", code, errs)
	}
}

func TestTheFirstMillThatAcceptsGetsTheLot(t *testing.T) {
	t.Parallel()
	s := harness.Demo(t)
	s.Watching("office-mail", "mails that arrive in INBOX")
	mills := map[string]string{"Verrick & Dunn": "buyer@verrick-dunn.example", "Almery Spinning": "wool@almery.example",
		"Tarn Mill": "office@tarn.example"}
	var asked []any
	for name, email := range mills {
		asked = append(asked, map[string]any{"name": name, "email": email})
	}
	id, err := s.As("Ines").Start(harness.Context(t), "bale-offer",
		wire.Start{Inputs: map[string]any{"lot": "Lot 14", "price_per_kg": 2.4, "mills": asked}})
	if err != nil {
		t.Fatal(err)
	}
	answer := func(mill, words string) {
		t.Helper()
		offer := s.Mailed(mills[mill], "lot Lot 14")
		s.Writes(postbag.Letter{From: mills[mill], To: "office@larkrigg.example", Subject: "Re: " + offer.Subject,
			Text: words, ReplyTo: offer.ID})
	}
	seen := s.Mailed(mills["Verrick & Dunn"], "lot Lot 14") // by somebody it was not written to
	s.Writes(postbag.Letter{From: "raven.gill@hills.example", To: "office@larkrigg.example",
		Subject: "Re: " + seen.Subject, Text: "Accepted for Verrick & Dunn.", ReplyTo: seen.ID})
	answer("Almery Spinning", "No, thank you.")
	s.RunOf("bale-offer", "has heard the first mill and asks it again", func(d wire.Detail) bool {
		return strings.Contains(fmt.Sprint(stepOf(t, d, "answers").Status), "running") || d.Status == run.Waiting
	})
	s.Kill()
	answer("Tarn Mill", "Accepted, gladly.")
	d := s.Ended(id)
	if result, _ := d.Result.(map[string]any); d.Status != run.Done || result["sold_to"] != "Tarn Mill" {
		t.Fatalf("%s %s: %v", d.Status, d.Because, d.Result)
	}
	if n := s.Count("clip-register", "DELETE", 200); n != 2 {
		t.Errorf("%d offers were taken back", n)
	}
	s.Mailed(mills["Verrick & Dunn"], "is withdrawn")
	answer("Verrick & Dunn", "Accepted.") // too late: kept, and nobody hears it
	if again := s.Ended(id); again.Result.(map[string]any)["sold_to"] != "Tarn Mill" {
		t.Error("a late answer changed the outcome")
	}
}
