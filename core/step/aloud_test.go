package step_test

import (
	"testing"

	"woolsignal/core/flow"
	"woolsignal/core/step"
)

// TestOnlyWhatIsSaidAsItIsIsHeardAsItComes holds what the step behind an agent says
// against whether a visitor hears the agent's words as they come.
func TestOnlyWhatIsSaidAsItIsIsHeardAsItComes(t *testing.T) {
	for say, want := range map[string]bool{
		`text: '${answer.text}'`:                                       true,
		`text: ' ${answer.text} '`:                                     true,
		`text: '${otherwise(answer.text, "")}'`:                        true,
		`text: '${otherwise(answer.text, "Nobody knows.")}'`:           true,
		`{agent: other, text: '${answer.text}'}`:                       true,
		`text: 'They say: ${answer.text}'`:                             false,
		`text: '${other.text}'`:                                        false,
		`text: '${answer.agent}'`:                                      false,
		`text: Thank you.`:                                             false,
		"text: '${answer.text}'\n    when: answer.text != 'no'":        false,
		"text: '${answer.text}'\n    off: true":                        false,
		`text: '${answer.text + ", they say"}'`:                        false,
		`text: '${otherwise(answer.text, "") + other.text}'`:           false,
		`text: '${otherwise(answer.text, otherwise(other.text, ""))}'`: false,
	} {
		if say[0] != '{' {
			say = "\n      " + say
		}
		w, problems := flow.DecodeWorkflow("workflows/w.yaml", "workflow: w\ntitle: W\ninputs: {type: object}\n"+
			"steps:\n  - id: answer\n    agent: desk\n    task: hello\n  - say: "+say+"\n")
		if len(problems) > 0 {
			t.Fatalf("%s: %v", say, problems)
		}
		if got := step.Aloud(w, "0"); got != want {
			t.Errorf("say: %s: heard as it comes: %t", say, got)
		}
	}
}
