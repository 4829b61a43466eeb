package flow

import (
	"fmt"
	"regexp"
	"strconv"
	"strings"
	"time"

	"woolsignal/core/calendar"
)

// Span is a stretch of time as files write it: 15m, 3d, or in working days,
// 2wd. Only one of its fields is set.
type Span struct {
	Duration    time.Duration
	WorkingDays int
}

// Zero tells that nothing was written.
func (s Span) Zero() bool { return s == Span{} }

// After is the moment a span ends that begins at a time.
func (s Span) After(t time.Time, c calendar.Calendar) time.Time {
	if s.WorkingDays > 0 {
		return c.AddWorkingDays(t, s.WorkingDays)
	}
	return t.Add(s.Duration)
}

// String says the span as a sentence would: "2 working days".
func (s Span) String() string {
	switch {
	case s.WorkingDays == 1:
		return "1 working day"
	case s.WorkingDays > 1:
		return fmt.Sprintf("%d working days", s.WorkingDays)
	}
	return countedWords(s.Duration)
}

var workingDaysForm = regexp.MustCompile(`^(\d{1,3})wd$`)

// ParseSpan reads a span.
func ParseSpan(s string) (Span, error) {
	if m := workingDaysForm.FindStringSubmatch(strings.TrimSpace(s)); m != nil {
		if n, _ := strconv.Atoi(m[1]); n > 0 {
			return Span{WorkingDays: n}, nil
		}
	}
	d, err := ParseDuration(s)
	return Span{Duration: d}, err
}

var durationForm = regexp.MustCompile(`^(\d+)(ms|s|m|h|d)$`)

// ParseDuration reads a duration as files write it: 90s, 15m, 2h, 3d.
func ParseDuration(s string) (time.Duration, error) {
	m := durationForm.FindStringSubmatch(strings.TrimSpace(s))
	if m == nil {
		return 0, fmt.Errorf("%q is not a duration", s)
	}
	n, err := strconv.Atoi(m[1])
	unit := map[string]time.Duration{"ms": time.Millisecond, "s": time.Second, "m": time.Minute, "h": time.Hour,
		"d": 24 * time.Hour}[m[2]]
	if err != nil || n == 0 || time.Duration(n) > 10*365*24*time.Hour/unit {
		return 0, fmt.Errorf("%q is not a duration between nothing and ten years", s)
	}
	return time.Duration(n) * unit, nil
}

var units = []struct {
	of   time.Duration
	name string
}{{24 * time.Hour, "day"}, {time.Hour, "hour"}, {time.Minute, "minute"}, {time.Second, "second"},
	{time.Millisecond, "millisecond"}}

// DurationWords says a duration as it stands behind "every": "15 minutes",
// "hour".
func DurationWords(d time.Duration) string {
	for _, u := range units {
		if d >= u.of && d%u.of == 0 {
			if n := d / u.of; n != 1 {
				return fmt.Sprintf("%d %ss", n, u.name)
			}
			return u.name
		}
	}
	return d.String()
}

// countedWords says a duration as it stands behind "after": "1 hour".
func countedWords(d time.Duration) string {
	words := DurationWords(d)
	if words != "" && (words[0] < '0' || words[0] > '9') {
		return "1 " + words
	}
	return words
}
