package calendar

import (
	"fmt"
	"time"
)

// AddMonths moves a moment by a number of months, backwards where it is
// negative, keeping the time of day. A day its month does not have becomes the
// month's last: a month after 31 January is 28 February.
func (c Calendar) AddMonths(t time.Time, months int) time.Time {
	t = t.In(c.zone())
	first := time.Date(t.Year(), t.Month()+time.Month(months), 1, 0, 0, 0, 0, time.UTC)
	day := min(t.Day(), first.AddDate(0, 1, -1).Day())
	return time.Date(first.Year(), first.Month(), day, t.Hour(), t.Minute(), t.Second(), t.Nanosecond(), c.zone())
}

// DaysBetween counts the days from one moment's day to another's, as the
// calendar on the wall has them: 1 from late tonight to early tomorrow, also
// where the clocks are changed between. It is negative where the other is
// earlier.
func (c Calendar) DaysBetween(from, to time.Time) int {
	day := func(t time.Time) time.Time {
		year, month, date := t.In(c.zone()).Date()
		return time.Date(year, month, date, 0, 0, 0, 0, time.UTC)
	}
	return int(day(to).Sub(day(from)) / (24 * time.Hour))
}

// StartOf is when the hour, day, week, month, quarter or year of a moment
// began in the calendar's zone. Weeks begin on Monday (ISO 8601).
func (c Calendar) StartOf(t time.Time, unit string) (time.Time, error) {
	t = t.In(c.zone())
	year, month, day := t.Date()
	switch unit {
	case "hour": // by the clock: a zone may be half an hour off
		return t.Add(-time.Duration(t.Minute())*time.Minute - time.Duration(t.Second())*time.Second -
			time.Duration(t.Nanosecond())), nil
	case "day":
	case "week":
		day -= (int(t.Weekday()) + 6) % 7
	case "month":
		day = 1
	case "quarter":
		month, day = month-(month-1)%3, 1
	case "year":
		month, day = time.January, 1
	default:
		return time.Time{}, fmt.Errorf("startOf knows hour, day, week, month, quarter and year, and no %q", unit)
	}
	return time.Date(year, month, day, 0, 0, 0, 0, c.zone()), nil
}
