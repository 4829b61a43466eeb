package e2e_test

import (
	"net/http"
	"strings"
	"testing"

	"woolsignal/core/run"
	"woolsignal/e2e/harness"
	"woolsignal/wire"
)

// parrots give back what they are told, one of them by way of the other.
var parrots = map[string]string{
	"workflows/parrot.yaml": `workflow: parrot
title: Parrot
triggers:
  - id: page
    chat: {page: parrot, open: true}
steps:
  - say: {text: "You said ${signal.text}"}
  - id: second
    call: echo
    inputs: {words: "${signal.text}"}
  - say: {text: "The other says ${second.words}"}
`,
	"workflows/echo.yaml": `workflow: echo
title: Echo
inputs: {type: object, properties: {words: {type: string}}}
gives: {words: "${said.words}"}
steps:
  - id: said
    compute: {words: inputs.words}
`,
}

// withParrots puts the parrots in and makes them live.
func withParrots(t *testing.T, s *harness.Service) string {
	t.Helper()
	withFiles(t, s, parrots)
	live := wire.Publish{Workflows: []string{"echo", "parrot"}}
	if _, err := s.As("Ines").Publish(harness.Context(t), live); err != nil {
		t.Fatal(err)
	}
	return s.URL + "/talk/parrot/messages"
}

// TestAVisitorIsNotToldThatAGuessIsRight has one guess a connection's secret, and
// guess again in a later message, where what an agent or a workflow says gives
// the guess back.
func TestAVisitorIsNotToldThatAGuessIsRight(t *testing.T) {
	t.Parallel()
	s := harness.Demo(t)
	url := withParrots(t, s)
	right, wrong := demoKeys(t, s).Register, "clip-key-made-up-by-nobody"
	var heard [2]string
	for i, guess := range []string{right, wrong} {
		v := &visitor{t: t, url: url, key: strings.Repeat(string(rune('a'+i)), 30)}
		v.says("Is it " + guess + "?")
		v.hears("The other says")
		v.says("hello")
		heard[i] = v.hears("The other says hello")
		if strings.Contains(heard[i], "•") || strings.Count(heard[i], guess) != 3 {
			t.Errorf("of %q the visitor hears %s", guess, heard[i])
		}
	}
	if !strings.Contains(s.Output(), "what a connection keeps as its secret") {
		t.Error("nobody is warned that somebody outside knows a secret")
	}
}

// TestTwoVisitorsMessagesOfOneIDAreBothHeard has two visitors, one of whom knows
// by what id the other's browser sends.
func TestTwoVisitorsMessagesOfOneIDAreBothHeard(t *testing.T) {
	t.Parallel()
	s := harness.Demo(t)
	url := withParrots(t, s)
	for i, words := range []string{"one", "two"} {
		v := &visitor{t: t, url: url, key: strings.Repeat(string(rune('a'+i)), 30)}
		for range 2 { // sent again, it is the same message
			if code, answer := v.send(http.MethodPost, `{"id": "m-1", "text": "`+words+`"}`); code !=
				http.StatusAccepted {
				t.Fatalf("%d %s", code, answer)
			}
		}
		if all := v.hears("The other says " + words); strings.Count(all, "You said") != 1 {
			t.Errorf("visitor %s hears %s", words, all)
		}
	}
	s.RunOf("parrot", "ends", func(d wire.Detail) bool { return d.Status == run.Done })
}
