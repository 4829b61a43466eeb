package e2e_test

import (
	"strings"
	"testing"

	"woolsignal/core/run"
	"woolsignal/demo"
	"woolsignal/e2e/harness"
	"woolsignal/standin/ledger"
	"woolsignal/wire"
)

// TestKilledInTheMiddleOfTheSecondToolCall kills the service while Almanac
// has already booked but not yet answered.
func TestKilledInTheMiddleOfTheSecondToolCall(t *testing.T) {
	t.Parallel()
	s := harness.Demo(t)
	s.Misbehave("almanac", ledger.Order{Match: "PUT ", Times: 1, Delay: "20s", After: true})
	heard, err := s.As("Ines").Say(harness.Context(t), "depot-slots", "t1",
		"Can I bring 30 fleeces from Hollin Bank on Thursday morning?")
	if err != nil {
		t.Fatal(err)
	}
	harness.Eventually(t, "the booking is made", func() bool { return s.Count("almanac", "PUT", 201, 204, 200) == 1 })
	before := len(s.Ledger("bellwether"))
	looked := s.CountAt("almanac", "REPORT", "/dock-2", 207)
	s.Kill()
	d := s.Ended(heard.Run)
	if d.Status != run.Done {
		t.Fatalf("%s: %s", d.Status, d.Because)
	}
	if n := s.Count("almanac", "PUT", 201, 204, 200); n != 1 {
		t.Errorf("the booking was made %d times", n)
	}
	agent := stepOf(t, d, "answer").Agent
	if len(agent.Calls) != 2 || agent.Calls[0].Tool != "depot-calendar/free_windows" || agent.Calls[1].State != "done" {
		t.Errorf("the calls: %+v", agent.Calls)
	}
	// The second call looks at the dock it books before and after it does so;
	// free_windows looks at both docks.
	if agent.Calls[1].Args["calendar"] == "dock-2" {
		t.Fatalf("the other dock was booked: %v", agent.Calls[1].Args)
	}
	if again := s.CountAt("almanac", "REPORT", "/dock-2", 207) - looked; again != 0 {
		t.Errorf("%d looks at the other dock after the crash: the first call was made again", again)
	}
	if turns := len(s.Ledger("bellwether")) - before; turns != 1 {
		t.Errorf("the model was asked %d times after the crash, want once", turns)
	}
}

func TestKilledAtEveryKindOfMoment(t *testing.T) {
	t.Parallel()
	s := harness.Demo(t)
	state, err := demo.LoadState(s.Data)
	if err != nil {
		t.Fatal(err)
	}
	t.Run("while the model thinks", func(t *testing.T) {
		s.Misbehave("bellwether", ledger.Order{Match: "/chat/completions", Times: 1, Delay: "3s"})
		heard, err := s.As("Ines").Say(harness.Context(t), "depot-slots", "t1",
			"Can I bring 30 fleeces from Skell Top on Friday morning?")
		if err != nil {
			t.Fatal(err)
		}
		s.Kill()
		if d := s.Ended(heard.Run); d.Status != run.Done {
			t.Errorf("%s: %s", d.Status, d.Because)
		}
	})
	t.Run("while a person is asked", func(t *testing.T) {
		d := s.Talk("t1", "Cancel it")
		s.Kill()
		if _, err := s.As("Tobias").Decide(harness.Context(t), s.OpenReview(d).ID,
			wire.Decision{Choice: "approve"}); err != nil {
			t.Fatal(err)
		}
		if d = s.Ended(d.ID); d.Status != run.Done {
			t.Errorf("%s: %s", d.Status, d.Because)
		}
	})
	t.Run("while a delivery is recorded", func(t *testing.T) {
		killWhileRecording(t, s, state.Signing)
		var id string
		harness.Eventually(t, "the run is known", func() bool {
			page, err := s.As("Ines").Runs(harness.Context(t), filterWorkflow("weighbridge"))
			if err != nil || len(page.Runs) == 0 {
				return false
			}
			id = page.Runs[0].ID
			return true
		})
		if d := s.Ended(id); d.Status != run.Done || d.Response == nil || d.Response.Status != 201 {
			t.Errorf("%s: %s, answered %+v", d.Status, d.Because, d.Response)
		}
		if n := s.Count("clip-register", "POST", 201); n != 1 {
			t.Errorf("the row was added %d times", n)
		}
		// The scale, which got no answer, sends again and gets the one there is.
		response, err := demo.Post(harness.Context(t), s.URL, "weighbridge", state.Signing, "d-1", delivery())
		if err != nil {
			t.Fatal(err)
		}
		if body := read(t, response); response.StatusCode != 201 || body["lane"] != "clean" {
			t.Errorf("sent again: %d %v", response.StatusCode, body)
		}
	})
}

// killWhileRecording posts a delivery and kills the service once the register
// has added the row but not yet said so.
func killWhileRecording(t *testing.T, s *harness.Service, signing string) {
	t.Helper()
	s.Misbehave("clip-register", ledger.Order{Match: "POST ", Times: 1, Delay: "20s", After: true})
	gone := make(chan struct{})
	go func() {
		defer close(gone)
		if response, err := demo.Post(harness.Context(t), s.URL, "weighbridge", signing, "d-1",
			delivery()); err == nil {
			response.Body.Close() // the service dies first
		}
	}()
	harness.Eventually(t, "the row is added", func() bool { return s.Count("clip-register", "POST", 201) == 1 })
	s.Kill()
	<-gone
}

// TestAnUncertainCallIsPutToAPerson takes the idempotency key out of the
// register's description: then nobody can tell whether the row was added.
func TestAnUncertainCallIsPutToAPerson(t *testing.T) {
	t.Parallel()
	s := harness.Demo(t)
	state, err := demo.LoadState(s.Data)
	if err != nil {
		t.Fatal(err)
	}
	files, err := s.As("Ines").Files(harness.Context(t))
	if err != nil {
		t.Fatal(err)
	}
	files["schemas/clip-register.json"] = strings.ReplaceAll(files["schemas/clip-register.json"], `"Idempotency-Key"`,
		`"X-Nothing"`)
	if _, err := s.As("Ines").Apply(harness.Context(t), wire.Files{Files: files}); err != nil {
		t.Fatal(err)
	}
	killWhileRecording(t, s, state.Signing)
	var d wire.Detail
	harness.Eventually(t, "a person is asked", func() bool {
		page, err := s.As("Ines").Runs(harness.Context(t), filterWorkflow("weighbridge"))
		if err != nil || len(page.Runs) != 1 || page.Runs[0].Status != run.Waiting {
			return false
		}
		d, err = s.As("Ines").Run(harness.Context(t), page.Runs[0].ID)
		return err == nil && len(d.Reviews) == 1
	})
	if r := d.Reviews[0]; r.Kind != run.OfDoubt || !strings.Contains(r.Why, "may or may not") {
		t.Errorf("the question is %+v", r)
	}
	if n := s.Count("clip-register", "POST", 201); n != 1 {
		t.Errorf("the row was added %d times without asking", n)
	}
	if _, errs, code := s.Command("Ines", "", "answer", d.Reviews[0].ID, "-choose", "it did not happen"); code != 0 {
		t.Fatal(errs)
	}
	if d = s.Ended(d.ID); d.Status != run.Failed || !strings.Contains(d.Because, "Ines Faro says it did not happen") {
		t.Errorf("%s: %s", d.Status, d.Because)
	}
}
