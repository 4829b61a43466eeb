package audit

import (
	"fmt"
	"testing"
	"time"
)

// TestWhatIsNotedHourlyIsBounded does the same again within the hour and after it, and more
// different things than are remembered.
func TestWhatIsNotedHourlyIsBounded(t *testing.T) {
	trail, at := &Trail{}, time.Date(2026, 11, 23, 12, 0, 0, 0, time.UTC)
	for _, c := range []struct {
		after time.Duration
		first bool
	}{{0, true}, {time.Minute, false}, {59 * time.Minute, false}, {time.Hour, true}, {time.Hour + time.Minute, false}} {
		if got := trail.first("edit a draft", at.Add(c.after)); got != c.first {
			t.Errorf("after %s it is noted: %t", c.after, got)
		}
	}
	for i := range 3 * mostLately {
		if !trail.first(fmt.Sprint("read a file ", i), at.Add(time.Hour)) {
			t.Fatalf("what was never done is not noted: %d", i)
		}
		if len(trail.lately) > mostLately {
			t.Fatalf("%d are remembered", len(trail.lately))
		}
	}
}
