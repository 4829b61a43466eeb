package e2e_test

import (
	"encoding/json"
	"fmt"
	"strings"
	"testing"

	"woolsignal/core/agent"
	"woolsignal/core/run"
	"woolsignal/e2e/harness"
	"woolsignal/wire"
)

// desks are two agents that hand a conversation to each other.
func desks(t *testing.T, s *harness.Service, haul string) {
	t.Helper()
	desk := func(id, title, picture, to, judge, more string) string {
		return fmt.Sprintf("agent: %s\ntitle: %s\npicture: %s\npurpose: Helps growers.\nmodel: medium\n"+
			"instructions: Help.\nhand_offs: [{to: %s, judge: %s}]\nlimits: {turns: 4}\n%s", id, title, picture, to,
			judge, more)
	}
	withFiles(t, s, map[string]string{
		"agents/dock.yaml": desk("dock", "Dock desk", "DD", "haul", "They need a lorry.", ""),
		"agents/haul.yaml": desk("haul", "Haul desk", "🚚", "dock", "They need a slot.", haul),
		"workflows/desks.yaml": "workflow: desks\ntitle: Desks\ntriggers:\n  - {id: page, chat: {page: desks}}\n" +
			"steps:\n  - {id: answer, agent: dock, task: '${signal.text}'}\n  - say: {text: '${answer.text}'}\n"})
	if _, err := s.As("Ines").Publish(harness.Context(t), wire.Publish{Workflows: []string{"desks"}}); err != nil {
		t.Fatal(err)
	}
}

// asksDesks says something to the desks, and gives its run and what was answered.
func asksDesks(t *testing.T, s *harness.Service, words string) (wire.Detail, wire.Message) {
	t.Helper()
	ines := s.As("Ines")
	heard, err := ines.Say(harness.Context(t), "desks", "t1", words)
	if err != nil {
		t.Fatal(err)
	}
	d := s.Ended(heard.Run)
	talk, err := ines.Thread(harness.Context(t), "desks", "t1")
	if err != nil {
		t.Fatal(err)
	}
	for _, m := range talk.Messages {
		if m.Run == d.ID && m.Who == "agent" {
			return d, m
		}
	}
	t.Fatalf("nobody answered: %s %s", d.Status, d.Because)
	return d, wire.Message{}
}

// hands are rules by which each desk hands over what is the other's.
func hands(s *harness.Service) {
	rehearses(s,
		map[string]any{"words": []string{"hands this conversation over"}, "say": "It comes on Friday."},
		map[string]any{"words": []string{"lorry"}, "do": []map[string]any{
			{"tool": "hand_off/haul", "args": map[string]any{"what": "Nettlecote needs a lorry for 18 fleeces."}}}},
		map[string]any{"words": []string{"how long"}, "say": "An hour."})
}

// TestAConversationIsHandedOver has one agent hand a conversation to another, which goes
// on with what was collected, under its own name, also when they write again.
func TestAConversationIsHandedOver(t *testing.T) {
	t.Parallel()
	s := harness.Demo(t)
	desks(t, s, "")
	hands(s)
	d, m := asksDesks(t, s, "I need a lorry")
	a := stepOf(t, d, "answer").Agent
	if d.Status != run.Done || m.Text != "It comes on Friday." || m.Name != "Haul desk" || a.Agent != "haul" ||
		len(a.Acts) != 1 || a.Acts[0].Was != "dock" || a.Acts[0].Turn != 1 {
		t.Fatalf("%s %s: %+v, %+v", d.Status, d.Because, m, a)
	}
	var rich struct{ As run.Voice }
	if err := json.Unmarshal(m.Rich, &rich); err != nil || rich.As.Picture != "🚚" {
		t.Errorf("%v: its words bear %+v", err, rich.As)
	}
	last := a.Reads(1)
	if len(last) != 1 || !strings.Contains(last[0].Text, "Nettlecote needs a lorry for 18 fleeces.") ||
		!strings.Contains(last[0].Text, "They: I need a lorry") || !strings.Contains(a.System, "You are Haul desk") {
		t.Errorf("the one who took over read %+v, told %s", last, a.System)
	}
	d, m = asksDesks(t, s, "How long will that take?")
	if a := stepOf(t, d, "answer").Agent; m.Name != "Haul desk" || a.Recalled == 0 || len(a.Acts) != 1 ||
		fmt.Sprint(d.Steps[len(d.Steps)-2].Output) != "map[agent:haul text:An hour.]" {
		t.Errorf("who had the conversation goes on: %s, %+v", m.Name, a)
	}
	for _, said := range stepOf(t, d, "answer").Agent.Messages {
		if said.Role == "tool" || len(said.Asks) > 0 {
			t.Errorf("it remembers what the other did: %+v", said)
		}
	}
}

// TestAHandOffThatCannotBe switches off the one that should take over, and has two hand
// one task to each other for ever: each has its outcome, and somebody answers.
func TestAHandOffThatCannotBe(t *testing.T) {
	t.Parallel()
	s := harness.Demo(t)
	desks(t, s, "")
	hands(s)
	if _, m := asksDesks(t, s, "I need a lorry"); m.Name != "Haul desk" {
		t.Fatalf("%+v", m)
	}
	files := map[string]string{"agents/haul.yaml": agentText(t, s, "haul") + "off: true\n"}
	withFiles(t, s, files)
	_, before := asksDesks(t, s, "How long will that take?")
	if before.Name != "Dock desk" || before.Text != "An hour." {
		t.Errorf("with the other switched off: %+v", before)
	}
	d, m := asksDesks(t, s, "I need a lorry, please")
	call := stepOf(t, d, "answer").Agent.Calls[0]
	if m.Name != "Dock desk" || call.State != agent.Failed || !strings.Contains(call.Error,
		"Haul desk is switched off") {
		t.Errorf("a hand-off to one that is switched off: %+v, %+v", call, m)
	}
	if _, err := s.As("Ines").StartTask(harness.Context(t), "haul", wire.Task{Task: "anything"}); err == nil ||
		!strings.Contains(err.Error(), "switched off") {
		t.Errorf("it is given a task: %v", err)
	}
	withFiles(t, s, map[string]string{"agents/haul.yaml": strings.Replace(agentText(t, s, "haul"), "off: true\n", "",
		1)})
	rehearses(s,
		map[string]any{"words": []string{"slot"}, "do": []map[string]any{
			{"tool": "hand_off/haul", "args": map[string]any{"what": "a slot"}}}},
		map[string]any{"words": []string{"slot"}, "do": []map[string]any{
			{"tool": "hand_off/dock", "args": map[string]any{"what": "a slot"}}}})
	d, m = asksDesks(t, s, "A slot")
	a := stepOf(t, d, "answer").Agent
	lastCall := a.Calls[len(a.Calls)-1]
	if !strings.Contains(lastCall.Error, "handed over 6 times") || d.Status != run.Done {
		t.Errorf("%s %s: %+v after %d hands", d.Status, d.Because, lastCall, len(a.Acts))
	}
}
