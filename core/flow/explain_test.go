package flow_test

import (
	"strings"
	"testing"

	"woolsignal/core/flow"
)

// TestEveryKindReadsAsASentence explains one step of each kind.
func TestEveryKindReadsAsASentence(t *testing.T) {
	for steps, want := range map[string]string{
		"  - each:\n      of: '[1]'\n      at_once: 3\n      gives: {x: '${item}'}\n      finish: first\n" +
			"      enough: value.x > 1\n": "For each of 1, at most 3 at once, until one is enough: " +
			"x of what it gave is more than 1 | " +
			"for each item, giving x item",
		"  - together:\n      branches:\n        - id: a\n        - id: b\n" +
			"          gives: {y: '${2}'}\n": "Go 2 ways at once | the way a | the way b, giving y 2",
		"  - repeat:\n      gives: {n: '${index}'}\n      till: last.n > 1\n" +
			"      rounds_at_most: 4\n": "Repeat till n of the last round is more than 1, at most 4 times | " +
			"in each round, giving n index",
		"  - title: The paper\n    section:\n" +
			"      gives: {n: '${1}'}\n": "The paper | in this section, giving n 1",
		"  - wait: {for: 2wd}\n":    "Wait 2 working days",
		"  - wait: {till: now()}\n": "Wait till now",
		"  - wait:\n      hear: {webhook: {path: a, verify: key}, answering: lot, match: 'heard.body.x > 1'}\n" +
			"      give_up_after: 1h\n": "Wait for a delivery to /in/a about “lot” where x is more than 1, " +
			"at most 1 hour",
		"  - wait:\n      hear: {chat: {page: desk}, answering: t1}\n" +
			"      give_up_after: 3d\n": "Wait for a message in the chat page desk in the conversation “t1”, " +
			"at most 3 days",
		"  - model: medium\n    prompt: Which?\n" +
			"    answer: {type: object, properties: {lane: {type: string}}}\n": "Ask the model medium: " +
			"“Which?”, for lane",
		"  - call: called\n" +
			"    inputs: {kg: '${1}'}\n": "Call Called with kg 1",
		"  - call: called\n    inputs: {kg: '${1}'}\n" +
			"    await: false\n": "Start Called with kg 1 and go on",
		"  - id: s\n" +
			"    javascript: {inputs: {a: '${1}'}, code: 'return a'}\n": "Work out s in JavaScript with a 1",
		"  - label: {as: [late, '${1}']}\n":                       "Label the run “late”, 1",
		"  - remember: {about: Nettlecote, fact: 'Two bales.'}\n": "Remember about “Nettlecote”: “Two bales.”",
		"  - tool: slots/find\n" +
			"    fill: {day: 'The day in it.'}\n": "Use Slots: find; a model fills in day: The day in it",
		"  - when: signal.body.kg > 1\n    within: 30s\n    retry: {tries: 3}\n    if_fails: carry_on\n" +
			"    label: {as: [x]}\n": "If kg is more than 1: Label the run “x”, within 30 seconds, " +
			"trying again up to 2 times; if it fails, carry on",
		"  - off: true\n    if_fails: {gives: {a: '${1}'}}\n" +
			"    label: {as: [x]}\n": "(off) Label the run “x” | if that fails, giving a 1",
		"  - decide:\n      cases:\n        - judge: It is wet.\n          going_by: ${signal.body.grower}\n" +
			"      floor: 0.8\n      unsure: {gives: {l: '${1}'}}\n" +
			"      otherwise: {gives: {l: '${2}'}}\n": "Decide | if this is judged to hold: It is wet, " +
			"going by grower | when it is less than fairly sure (0.8), giving l 1 | otherwise, giving l 2",
	} {
		w, _ := flow.Decode(withSteps(steps))
		var said []string
		for _, l := range w.Explain(w.Workflows["intake"], catalogue)[1:] {
			said = append(said, l.Text())
		}
		if got := strings.Join(said, " | "); got != want {
			t.Errorf("%s\nreads %q, want %q", steps, got, want)
		}
	}
	w, _ := flow.Decode(withSteps("  - label: {as: [x]}\n"))
	lines := w.Explain(w.Workflows["called"], catalogue)
	if first, last := lines[0].Text(), lines[len(lines)-1].Text(); first != "When it is called with kg" ||
		last != "It gives n of two" {
		t.Errorf("a workflow that is called begins %q and ends %q", first, last)
	}
}
