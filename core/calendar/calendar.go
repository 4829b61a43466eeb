// Package calendar counts time the way people do: in working days, in the
// workspace's zone. It reads no clock.
package calendar

import (
	"fmt"
	"strings"
	"time"
)

// Calendar is how a workspace counts its days. Its zero value counts in UTC,
// Monday to Friday.
type Calendar struct {
	Zone     *time.Location
	Holidays map[string]bool // 2026-12-25
}

func (c Calendar) zone() *time.Location {
	if c.Zone == nil {
		return time.UTC
	}
	return c.Zone
}

// Working tells whether a moment falls on a working day.
func (c Calendar) Working(t time.Time) bool {
	t = t.In(c.zone())
	return t.Weekday() != time.Saturday && t.Weekday() != time.Sunday && !c.Holidays[t.Format(time.DateOnly)]
}

// AddWorkingDays moves a moment by a number of working days, backwards where
// it is negative, keeping the time of day. Days of a year without any working
// day are counted as if they were, so that it always ends.
func (c Calendar) AddWorkingDays(t time.Time, days int) time.Time {
	t = t.In(c.zone())
	step := 1
	if days < 0 {
		step, days = -1, -days
	}
	for idle := 0; days > 0; {
		t = t.AddDate(0, 0, step)
		if idle++; c.Working(t) || idle > 366 {
			days, idle = days-1, 0
		}
	}
	return t
}

// WorkingDaysBetween counts the working days after one moment's day up to and
// including another's; negative where the other is earlier.
func (c Calendar) WorkingDaysBetween(from, to time.Time) int {
	sign := 1
	if to.Before(from) {
		from, to, sign = to, from, -1
	}
	n := 0
	last := to.In(c.zone()).Format(time.DateOnly)
	for day := from.In(c.zone()); day.Format(time.DateOnly) < last; {
		if day = day.AddDate(0, 0, 1); c.Working(day) {
			n++
		}
	}
	return sign * n
}

// forms are the ways a moment may be written, most exact first.
var forms = []string{time.RFC3339Nano, "2006-01-02T15:04:05", "2006-01-02T15:04", "2006-01-02 15:04:05",
	"2006-01-02 15:04", time.DateOnly}

// Parse reads a moment as JSON and people write it: RFC 3339, or a date with
// or without a time of day, which is then the workspace's.
func (c Calendar) Parse(text string) (time.Time, error) {
	text = strings.TrimSpace(text)
	for _, form := range forms {
		if t, err := time.ParseInLocation(form, text, c.zone()); err == nil {
			return t, nil
		}
	}
	return time.Time{}, fmt.Errorf("%q is not a time; write 2026-11-23, 2026-11-23 14:30 or 2026-11-23T14:30:00Z", text)
}
