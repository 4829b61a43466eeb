package e2e_test

import (
	"net/http"
	"strings"
	"testing"
	"time"

	"woolsignal/core/run"
	"woolsignal/e2e/harness"
	"woolsignal/standin/shieling"
	"woolsignal/wire"
)

// TestADepotSlotIsReadBack has a grower move their slot: what it is and what it becomes is
// read back, and a plain yes moves it.
func TestADepotSlotIsReadBack(t *testing.T) {
	t.Parallel()
	s := harness.Demo(t)
	asked := s.Types(shieling.Said{As: "ines", Room: "docks",
		Text: "Can I bring 30 fleeces from Cold Hause on Thursday morning?"})
	s.BotSays(asked.Thread, "You are booked")
	s.Types(shieling.Said{As: "ines", Room: "docks", Thread: asked.Thread,
		Text: "Could you move it to Friday afternoon?"})
	back := s.BotSays(asked.Thread, "Yes or no?")
	if back.From.Name != "Depot desk" || back.From.Sign != "DD" || !strings.Contains(back.Text,
		"Move event: Thursday") ||
		!strings.Contains(back.Text, "Cold Hause: 30 fleeces") || !strings.Contains(back.Text, "start becomes Friday") {
		t.Errorf("%s reads back %q", back.From.Name, back.Text)
	}
	s.Types(shieling.Said{As: "ines", Room: "docks", Thread: asked.Thread, Text: "Yes"})
	s.BotSays(asked.Thread, "Moved: Friday")
}

// TestALorryIsReady makes a collection: the collections desk hands over to the haulage
// desk, which asks Owen, books with Carter, waits for the haulier's yard over a restart,
// and writes into the calendar what Carter says.
func TestALorryIsReady(t *testing.T) {
	t.Parallel()
	s := harness.Demo(t)
	err := with(t, s, "collects", "workflow: collects\ntitle: Collects\ninputs: {type: object}\nsteps:\n"+
		"  - id: made\n    tool: co-op-calendar/add_event\n    args:\n      calendar: collections\n"+
		"      start: '${formatTime(now() + duration(\"96h\"), \"%Y-%m-%d\")}T09:00'\n      minutes: 60\n"+
		"      title: 'Cold Hause: 24 bales'\n")
	if err != nil {
		t.Fatal(err)
	}
	harness.Eventually(t, "the calendar was looked at, so that something in it can be new", func() bool {
		return s.CountAt("almanac", "REPORT", "/collections") > 0
	})
	if _, err := s.As("Ines").Start(harness.Context(t), "collects", wire.Start{Inputs: map[string]any{}}); err != nil {
		t.Fatal(err)
	}
	d := s.RunOf("lorry-ready", "asks Owen", func(d wire.Detail) bool {
		return d.Status == run.Waiting && len(d.Reviews) > 0
	})
	a := stepOf(t, d, "ready").Agent
	if a.Agent != "haulage-desk" || len(a.Acts) != 1 || a.Acts[0].Was != "collections-desk" {
		t.Fatalf("%+v", a.Acts)
	}
	review := s.OpenReview(d)
	if review.Ask != "owen@larkrigg.example" || !strings.Contains(review.Edit["message"].(string), "24 bales") {
		t.Errorf("%s is asked about %v", review.Ask, review.Edit)
	}
	if _, err := s.As("Owen").Decide(harness.Context(t), review.ID, wire.Decision{Choice: run.Approve}); err != nil {
		t.Fatal(err)
	}
	harness.Eventually(t, "Carter works on it", func() bool {
		d, err := s.As("Ines").Run(harness.Context(t), d.ID)
		return err == nil && d.Status == run.Waiting && d.Wake != nil && d.Wake.After(time.Now())
	})
	s.Kill()
	s.Outside(http.MethodPost, "carter", "/_confirm", nil, nil)
	done := s.Ended(d.ID)
	calls := stepOf(t, done, "ready").Agent.Calls
	last := calls[len(calls)-1]
	event, _ := last.Result.(map[string]any)
	if said, _ := event["description"].(string); done.Status != run.Done ||
		last.Tool != "co-op-calendar/describe_event" ||
		!strings.Contains(said, "A lorry is booked: 24 bales") || s.Count("carter", "POST") < 2 {
		t.Errorf("%s %s: %s gave %v", done.Status, done.Because, last.Tool, last.Result)
	}
}

// TestTheGangsDayIsLogged has an agent use two workflows as its tools, and answer with
// the link to what they filed.
func TestTheGangsDayIsLogged(t *testing.T) {
	t.Parallel()
	s := harness.Demo(t)
	asked := s.Types(shieling.Said{As: "ines", Room: "shearing", Text: "Log today, please"})
	said := s.BotSays(asked.Thread, "sheep at")
	if said.From.Name != "Gang clerk" || !strings.Contains(said.Text, "214 sheep at Upper Swarth: ") ||
		!strings.Contains(said.Text, "/files/gang-log/"+time.Now().Format(time.DateOnly)+".txt") {
		t.Errorf("%s says %q", said.From.Name, said.Text)
	}
	for _, workflow := range []string{"gang-recording", "gang-day"} {
		s.RunOf(workflow, "was called", func(d wire.Detail) bool {
			return d.Status == run.Done && d.Origin != nil && d.Origin.Kind == "call"
		})
	}
}

// TestTheMarketIsWatched has a front agent consult another on a larger model, and passes
// on what it says with its sources.
func TestTheMarketIsWatched(t *testing.T) {
	t.Parallel()
	s := harness.Demo(t)
	asked := s.Types(shieling.Said{As: "elin", Room: "papers", Text: "What is new about wool?"})
	said := s.BotSays(asked.Thread, "Sources:")
	if said.From.Name != "Market desk" || !strings.Contains(said.Text, "Fine crossbred steady") ||
		!strings.Contains(said.Text, s.Standins["gazette"]+"/news/") {
		t.Errorf("%s says %q", said.From.Name, said.Text)
	}
	d := s.RunOf("agents/market-researcher", "was consulted", func(d wire.Detail) bool { return d.Status == run.Done })
	if turns := stepOf(t, d, "answer").Agent.Turns; turns[0].Model != "bellwether-large" {
		t.Errorf("it thought with %s", turns[0].Model)
	}
	front := s.RunOf("market-watch", "ends", func(d wire.Detail) bool { return d.Status == run.Done })
	if front.Below == 0 || !strings.Contains(stepOf(t, front, "filed").Input.(map[string]any)["text"].(string),
		"Sources:") {
		t.Errorf("%d of its cost was the researcher's; filed was %v", front.Below, stepOf(t, front, "filed").Input)
	}
}

// TestOneRoomHasTwoVoices has two agents in one room answer under names of their own, by
// how a thread begins, and each goes on in its thread.
func TestOneRoomHasTwoVoices(t *testing.T) {
	t.Parallel()
	s := harness.Demo(t)
	rules := s.Types(shieling.Said{As: "ines", Room: "rules", Text: "Rules: may dogs come onto the dock?"})
	if m := s.BotSays(rules.Thread, "Dogs stay in the trailer"); m.From.Name != "Rules referee" || m.From.Sign != "§" {
		t.Errorf("%+v", m.From)
	}
	letter := s.Types(shieling.Said{As: "ines", Room: "rules", Text: "Letter: to a farm about paint on its fleece"})
	if m := s.BotSays(letter.Thread, "Dear neighbour"); m.From.Name != "Letter writer" {
		t.Errorf("%+v", m.From)
	}
	s.Types(shieling.Said{As: "ines", Room: "rules", Thread: rules.Thread,
		Text: "And which rule is about a complaint?"})
	if m := s.BotSays(rules.Thread, "fourteen days"); m.From.Name != "Rules referee" {
		t.Errorf("%+v", m.From)
	}
}
