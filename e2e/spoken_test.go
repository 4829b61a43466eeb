package e2e_test

import (
	"net/http"
	"strings"
	"testing"

	"woolsignal/e2e/harness"
	"woolsignal/standin/hillline"
)

// TestACallerHearsSentencesAsTheyCome rings up while a model takes its time: each
// sentence is spoken once it is there, all of them once, and in their order.
func TestACallerHearsSentencesAsTheyCome(t *testing.T) {
	t.Parallel()
	s := harness.Demo(t, "-pace", "150ms")
	const long = "The north dock is free at nine. The south dock is free at ten, and has the better light. " +
		"Bring the sheets you were lent in spring. Elin will be there all morning. Thank you."
	rehearses(s, map[string]any{"say": long})
	var c hillline.Call
	s.Outside(http.MethodPost, "hill-line", "/calls", map[string]string{"from": "+441632960101"}, &c)
	before := len(c.Spoken)
	s.Outside(http.MethodPost, "hill-line", "/calls/"+c.ID, map[string]string{"text": "When may I come?"}, &c)
	var spoken []string
	for _, words := range c.Spoken[before:] {
		if !strings.HasPrefix(words, "> ") && words != "One moment, please." {
			spoken = append(spoken, words)
		}
	}
	if all := strings.Join(spoken, ""); all != long || len(spoken) < 3 || c.Held < 2 {
		t.Errorf("held on %d times, spoken %q", c.Held, spoken)
	}
}
