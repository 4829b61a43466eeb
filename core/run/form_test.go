package run_test

import (
	"errors"
	"fmt"
	"strings"
	"testing"

	"woolsignal/core/run"
)

// What another version wrote is refused, never guessed at.
func TestRecordsOfAnotherVersionAreRefused(t *testing.T) {
	l := begin(t, script(t, "  - review: {ask: owner, show: hello}\n"), delivery(int64(30), int64(4)))
	entry := string(l.journal[0])
	snapshot, err := run.EncodeState(l.state)
	if err != nil {
		t.Fatal(err)
	}
	ours := fmt.Sprintf(`"v":%d`, run.Form)
	for name, text := range map[string]string{"later": strings.Replace(entry, ours, fmt.Sprintf(`"v":%d`, run.Form+1),
		1), "none": strings.Replace(entry, ours+",", "", 1),
		"unknown record": strings.Replace(entry, `"do":"started"`, `"do":"sheared"`, 1)} {
		var form *run.FormError
		if _, err := run.DecodeEntry([]byte(text)); !errors.As(err, &form) || text == entry {
			t.Errorf("an entry, %s: %v", name, err)
		}
	}
	for name, text := range map[string]string{"later": strings.Replace(string(snapshot), ours,
		fmt.Sprintf(`"v":%d`, run.Form+1), 1), "none": strings.Replace(string(snapshot), ours+",", "", 1)} {
		var form *run.FormError
		if _, err := run.DecodeState([]byte(text)); !errors.As(err, &form) {
			t.Errorf("a snapshot, %s: %v", name, err)
		}
	}
}

// A run that takes in more than it may hold fails, and says what to do.
func TestARunThatHoldsTooMuchFails(t *testing.T) {
	l := begin(t,
		script(t,
			"  - id: e\n    each:\n      of: lists.range(40)\n      at_once: 1\n      do:\n        - id: f\n"+
				"          tool: slots/find\n          args: {day: '${text(item)}'}\n"), delivery(int64(30), int64(4)))
	for len(l.pending) > 0 && !l.state.Status.Ended() {
		l.returns(map[string]any{"all": strings.Repeat("x", 3<<20)}, "")
	}
	if l.state.Status != run.Failed || !strings.Contains(l.state.Because, "more than 64 MB altogether") {
		t.Errorf("%s %s", l.state.Status, l.state.Because)
	}
	if l.state.Held < 64<<20 || l.state.Held > 80<<20 {
		t.Errorf("it holds %d bytes", l.state.Held)
	}
}
