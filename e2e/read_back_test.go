package e2e_test

import (
	"fmt"
	"strings"
	"testing"

	"woolsignal/core/agent"
	"woolsignal/core/run"
	"woolsignal/e2e/harness"
	"woolsignal/standin/shieling"
	"woolsignal/wire"
)

// keeper is an agent that changes rows of a table, once whoever it talks with said yes.
func keeper(t *testing.T, s *harness.Service, approval string) {
	t.Helper()
	withFiles(t, s, map[string]string{
		"tables/berths.yaml": "table: berths\ntitle: Berths\ncolumns:\n  - {name: at, type: text}\n" +
			"  - {name: grower, type: text}\n  - {name: fleeces, type: number}\n",
		"tables/berths.csv": "at,grower,fleeces\n2026-11-26T12:00:00Z,Nettlecote,18\n2026-11-27T09:00:00Z,Skell " +
			"Top,30\n",
		"agents/keeper.yaml": "agent: keeper\ntitle: Keeper\npurpose: Keeps the berths.\nmodel: medium\n" +
			"instructions: Change what you are asked to.\ntools:\n  - tool: berths/update\n    approval: " + approval +
			"\nlimits: {turns: 4}\n",
		"workflows/berthing.yaml": "workflow: berthing\ntitle: Berthing\ntriggers:\n  - {id: page, chat: {page: " +
			"berths}}\n" +
			"  - {id: room, chat: {connection: shieling, room: market}}\nsteps:\n" +
			"  - {id: answer, agent: keeper, task: '${signal.text}'}\n  - say: {text: '${answer.text}'}\n"})
	if _, err := s.As("Ines").Publish(harness.Context(t), wire.Publish{Workflows: []string{"berthing"}}); err != nil {
		t.Fatal(err)
	}
	row := nettlecote(t, s).Row
	rehearses(s, map[string]any{"words": []string{"move Nettlecote"}, "do": []map[string]any{{"tool": "berths/update",
		"args": map[string]any{"row": row, "values": map[string]any{"at": "2026-11-27T14:30:00Z"}}}},
		"say": "Moved.", "declined": "I left it: {{.note}}"})
}

const speakerSaysYes = "{always: true, ask: speaker}"

// berths says something to the keeper in a page's conversation.
func berths(t *testing.T, s *harness.Service, thread, words string) wire.Heard {
	t.Helper()
	heard, err := s.As("Ines").Say(harness.Context(t), "berthing", thread, words)
	if err != nil {
		t.Fatal(err)
	}
	return heard
}

// asked waits until a run reads something back, and gives the call.
func asked(t *testing.T, s *harness.Service, id string) (out agent.Call) {
	t.Helper()
	harness.Eventually(t, "run "+id+" reads something back", func() bool {
		d, err := s.As("Ines").Run(harness.Context(t), id)
		if err != nil {
			return false
		}
		for _, c := range stepOf(t, d, "answer").Agent.Calls {
			if c.Back != nil && c.Back.Phase == agent.BackListening && d.Status == run.Waiting {
				out = *c
				return true
			}
		}
		return false
	})
	return out
}

// berth gives when Nettlecote's berth is.
func berth(t *testing.T, s *harness.Service) string {
	t.Helper()
	return fmt.Sprint(nettlecote(t, s).Values["at"])
}

func nettlecote(t *testing.T, s *harness.Service) wire.Row {
	t.Helper()
	page, err := s.As("Ines").Rows(harness.Context(t), "berths", wire.RowQuery{})
	if err != nil {
		t.Fatal(err)
	}
	for _, row := range page.Rows {
		if row.Values["grower"] == "Nettlecote" {
			return row
		}
	}
	t.Fatal("there is no Nettlecote any more")
	return wire.Row{}
}

// TestWhatIsToChangeIsReadBack has an agent read a change back to whoever asked for it:
// a plain yes makes it, a no and a third thing leave it, and what they said instead
// reaches the agent. A crash meanwhile changes nothing.
func TestWhatIsToChangeIsReadBack(t *testing.T) {
	t.Parallel()
	s := harness.Demo(t)
	keeper(t, s, speakerSaysYes)
	for n, c := range []struct {
		words, becomes string
		state          agent.CallState
		says           string
	}{
		{"no", "2026-11-26T12:00:00Z", agent.Declined, "I left it: no"},
		{"Rather on Saturday", "2026-11-26T12:00:00Z", agent.Declined, "I left it: Rather on Saturday"},
		{"Yes, please!", "2026-11-27T14:30:00Z", agent.Done, "Moved."},
	} {
		thread := fmt.Sprint("t", n)
		heard := berths(t, s, thread, "Please move Nettlecote")
		back := asked(t, s, heard.Run)
		if want := "Update: Thursday 26 November 2026, 12:00, 18, Nettlecote; at becomes Friday 27 November " +
			"2026, 14:30. " +
			"Yes or no?"; back.Back.Text != want || back.Thing == nil || len(back.Thing.Changes) != 1 {
			t.Fatalf("it reads back %q, about %+v", back.Back.Text, back.Thing)
		}
		if berth(t, s) != "2026-11-26T12:00:00Z" {
			t.Fatal("it was changed before anybody said yes")
		}
		if n == 2 {
			s.Kill()
		}
		berths(t, s, thread, c.words)
		d := s.Ended(heard.Run)
		call := stepOf(t, d, "answer").Agent.Calls[0]
		said, err := s.As("Ines").Thread(harness.Context(t), "berthing", thread)
		if err != nil {
			t.Fatal(err)
		}
		last := said.Messages[len(said.Messages)-1]
		if d.Status != run.Done || call.State != c.state || berth(t, s) != c.becomes || last.Text != c.says ||
			call.By != "Ines Faro" || call.Back.Third != strings.HasPrefix(c.words, "Rather") {
			t.Errorf("%q: %s %s, %+v, it is %s, and it said %q", c.words, d.Status, d.Because, call, berth(t, s),
				last.Text)
		}
	}
}

// TestAReadBackIsAnsweredByWhomItAsked has somebody else say yes in the same thread, and
// nobody at all in time.
func TestAReadBackIsAnsweredByWhomItAsked(t *testing.T) {
	t.Parallel()
	s := harness.Demo(t)
	keeper(t, s, speakerSaysYes)
	asks := s.Types(shieling.Said{As: "ines", Room: "market", Text: "Please move Nettlecote"})
	d := s.RunOf("berthing", "waits", func(d wire.Detail) bool { return d.Status == run.Waiting })
	asked(t, s, d.ID)
	s.Types(shieling.Said{As: "tobias", Room: "market", Thread: asks.Thread, Text: "Yes"})
	other := s.RunOf("berthing", "of the other", func(o wire.Detail) bool { return o.ID != d.ID })
	if berth(t, s) != "2026-11-26T12:00:00Z" || other.Signal.From["name"] != "Tobias Quill" {
		t.Fatalf("somebody else's yes counts: %s, %+v", berth(t, s), other.Signal)
	}
	s.Types(shieling.Said{As: "ines", Room: "market", Thread: asks.Thread, Text: "yes"})
	if done := s.Ended(d.ID); done.Status != run.Done || berth(t, s) != "2026-11-27T14:30:00Z" {
		t.Errorf("%s %s: %s", done.Status, done.Because, berth(t, s))
	}
	s.Ended(other.ID)
	keeper(t, s, "{always: true, ask: speaker, within: 1s}")
	heard := berths(t, s, "late", "Please move Nettlecote")
	late := s.Ended(heard.Run)
	call := stepOf(t, late, "answer").Agent.Calls[0]
	if late.Status != run.Done || call.State != agent.Declined || !strings.Contains(call.Note,
		"nobody answered in time") {
		t.Errorf("%s %s: %+v", late.Status, late.Because, call)
	}
}

// TestACriterionSaysWhetherSomebodyIsAsked has a model weigh whether a call needs a yes:
// the reason and how sure it is stand in the run, and in the review, which shows the
// thing before and after.
func TestACriterionSaysWhetherSomebodyIsAsked(t *testing.T) {
	t.Parallel()
	s := harness.Demo(t)
	keeper(t, s, "{judge: It is about Nettlecote., ask: reviewer}")
	heard := berths(t, s, "t1", "Please move Nettlecote")
	d, err := s.As("Ines").Settled(harness.Context(t), heard.Run)
	if err != nil {
		t.Fatal(err)
	}
	review := s.OpenReview(d)
	if review.Thing == nil || review.Thing.Words != "Thursday 26 November 2026, 12:00, 18, Nettlecote" ||
		len(review.Thing.Changes) != 1 || review.Thing.Changes[0].After != "Friday 27 November 2026, 14:30" ||
		!strings.Contains(review.Why, "when this holds: It is about Nettlecote. It is sure that it does: ") {
		t.Errorf("%s: %+v", review.Why, review.Thing)
	}
	call := stepOf(t, d, "answer").Agent.Calls[0]
	if call.Judged == nil || !call.Judged.Holds || call.Cost == 0 {
		t.Errorf("%+v", call.Judged)
	}
	keeper(t, s, "{judge: It is about Skell Top sheep., ask: reviewer}")
	heard = berths(t, s, "t2", "Please move Nettlecote")
	if d := s.Ended(heard.Run); d.Status != run.Done || berth(t, s) != "2026-11-27T14:30:00Z" {
		t.Errorf("where it does not hold: %s %s, %s", d.Status, d.Because, berth(t, s))
	}
}

// TestAnAgentsOwnTaskIsReadBack answers what an agent reads back in a conversation without
// any workflow, held back as on the agent's page.
func TestAnAgentsOwnTaskIsReadBack(t *testing.T) {
	t.Parallel()
	s := harness.Demo(t)
	keeper(t, s, speakerSaysYes)
	says := func(words string) string {
		id, err := s.As("Ines").StartTask(harness.Context(t), "keeper", wire.Task{Task: words, Thread: "mine",
			Held: true})
		if err != nil {
			t.Fatal(err)
		}
		return id
	}
	id := says("Please move Nettlecote")
	asked(t, s, id)
	if heard := says("yes"); heard != id {
		t.Errorf("the yes began %s, and was for %s", heard, id)
	}
	d := s.Ended(id)
	if call := stepOf(t, d, "answer").Agent.Calls[0]; d.Status != run.Done || !call.Held || call.By != "Ines Faro" ||
		berth(t, s) != "2026-11-26T12:00:00Z" {
		t.Errorf("%s %s: %+v, and it is %s", d.Status, d.Because, call, berth(t, s))
	}
}
