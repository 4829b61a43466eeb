package calendar

import (
	"testing"
	"time"
)

func TestWorkingDays(t *testing.T) {
	london, err := time.LoadLocation("Europe/London")
	if err != nil {
		t.Fatal(err)
	}
	c := Calendar{Zone: london, Holidays: map[string]bool{"2026-12-25": true}}
	for _, k := range []struct {
		from string
		days int
		want string
	}{
		{"2026-11-23 09:30", 2, "2026-11-25 09:30"},
		{"2026-11-20 09:30", 1, "2026-11-23 09:30"}, // over a weekend
		{"2026-11-21 09:30", 1, "2026-11-23 09:30"}, // from a Saturday
		{"2026-12-24 09:30", 1, "2026-12-28 09:30"}, // over a holiday and a weekend
		{"2026-11-23 09:30", -1, "2026-11-20 09:30"},
		{"2026-03-27 09:30", 1, "2026-03-30 09:30"}, // clocks go forward between: the time of day stays
		{"2026-11-23 09:30", 0, "2026-11-23 09:30"},
	} {
		from, err := c.Parse(k.from)
		if err != nil {
			t.Fatal(err)
		}
		got := c.AddWorkingDays(from, k.days)
		if s := got.Format("2006-01-02 15:04"); s != k.want {
			t.Errorf("%s and %d working days: %s, want %s", k.from, k.days, s, k.want)
		}
		if n := c.WorkingDaysBetween(from, got); n != k.days {
			t.Errorf("between %s and %s: %d, want %d", k.from, k.want, n, k.days)
		}
	}
}

func TestAYearOfHolidaysEnds(t *testing.T) {
	c := Calendar{Holidays: map[string]bool{}}
	for day := time.Date(2026, 1, 1, 0, 0, 0, 0, time.UTC); day.Year() < 2029; day = day.AddDate(0, 0, 1) {
		c.Holidays[day.Format(time.DateOnly)] = true
	}
	if got := c.AddWorkingDays(time.Date(2026, 1, 1, 0, 0, 0, 0, time.UTC), 1); got.Year() > 2027 {
		t.Errorf("ended at %s", got)
	}
}

func TestOnlyTimesAreParsed(t *testing.T) {
	for _, text := range []string{"", "tomorrow", "2026-13-01", "23.11.2026"} {
		if _, err := (Calendar{}).Parse(text); err == nil {
			t.Errorf("%q was read as a time", text)
		}
	}
}
