package calendar

import (
	"fmt"
	"strings"
	"time"

	"github.com/robfig/cron/v3"
)

// Rule says when something is due. Its zero value is never.
type Rule struct {
	Every      time.Duration // counted from the epoch, and so from midnight UTC where it divides a day
	Cron       string        // five fields, as crontab(5) has them
	Day        int           // of the month: from 1, or from its end as -1
	WorkingDay bool          // Day counts working days
	At         time.Duration // the time of day, for Day
	Calendar                 // the zone, and which days are working days
	cron       cron.Schedule
}

// cronFields are the five fields of crontab(5), and nothing else.
var cronFields = cron.NewParser(cron.Minute | cron.Hour | cron.Dom | cron.Month | cron.Dow)

// Ready reads the rule's cron expression; it must be called before Next.
func (r *Rule) Ready() error {
	if r.Zone == nil {
		r.Zone = time.UTC
	}
	switch {
	case r.Cron != "":
		parsed, err := cronFields.Parse(r.Cron)
		if err != nil {
			return fmt.Errorf("%q is no cron expression of five fields: %w", r.Cron, err)
		}
		r.cron = parsed
		if r.Next(time.Date(2026, 1, 1, 0, 0, 0, 0, time.UTC)).IsZero() {
			return fmt.Errorf("%q never comes", r.Cron)
		}
	case r.Day < -31 || r.Day > 31:
		return fmt.Errorf("no month has a day %d", r.Day)
	}
	return nil
}

// Next is the first time behind a moment that the rule is due, in UTC. A time
// of day that a change of the clocks leaves out comes as much later as the
// clocks jump; one that comes twice counts once, unless every hour counts.
func (r *Rule) Next(after time.Time) time.Time {
	switch {
	case r.Every > 0:
		return after.Truncate(r.Every).Add(r.Every).UTC()
	case r.cron != nil:
		next := r.cron.Next(after.In(r.Zone))
		for !next.IsZero() && strings.Fields(r.Cron)[1] != "*" && repeated(next) {
			next = r.cron.Next(next)
		}
		return next.UTC()
	case r.Day != 0:
		local := after.In(r.Zone)
		for month := range 50 { // day 31 skips months; it comes soon enough
			if t, ok := r.inMonth(local.Year(), local.Month()+time.Month(month)); ok && t.After(after) {
				return t.UTC()
			}
		}
	}
	return time.Time{}
}

// repeated tells whether the clocks showed this time of day an hour before
// already, because they were put back meanwhile.
func repeated(t time.Time) bool {
	const clock = "2006-01-02 15:04"
	return t.Add(-time.Hour).Format(clock) == t.Format(clock)
}

// inMonth is the rule's day in a month; ok is false where the month has none.
// The time of day is that of the clocks there.
func (r *Rule) inMonth(year int, month time.Month) (time.Time, bool) {
	first := time.Date(year, month, 1, 0, 0, 0, 0, r.Zone)
	var days []time.Time // those that count, in order
	for day := first; day.Month() == first.Month(); day = day.AddDate(0, 0, 1) {
		if !r.WorkingDay || r.Working(day) {
			days = append(days, day)
		}
	}
	at := r.Day - 1
	if r.Day < 0 {
		at = len(days) + r.Day
	}
	if at < 0 || at >= len(days) {
		return time.Time{}, false
	}
	day := days[at]
	return time.Date(day.Year(), day.Month(), day.Day(), int(r.At.Hours()), int(r.At.Minutes())%60, 0, 0, r.Zone), true
}
