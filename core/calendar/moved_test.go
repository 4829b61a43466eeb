package calendar

import (
	"testing"
	"time"
)

// TestMonthsAndStartsOverTheChangeOfTheClocks moves moments in a zone whose
// clocks are put on at the end of March and back at the end of October.
func TestMonthsAndStartsOverTheChangeOfTheClocks(t *testing.T) {
	london, err := time.LoadLocation("Europe/London")
	if err != nil {
		t.Fatal(err)
	}
	c := Calendar{Zone: london}
	at := func(text string) time.Time {
		v, err := c.Parse(text)
		if err != nil {
			t.Fatal(err)
		}
		return v
	}
	for _, m := range []struct {
		from   string
		months int
		want   string
	}{
		{"2026-01-31 09:00", 1, "2026-02-28 09:00"},
		{"2028-01-31 09:00", 1, "2028-02-29 09:00"},
		{"2026-02-28 09:00", 1, "2026-03-28 09:00"},
		{"2026-03-15 09:00", 1, "2026-04-15 09:00"}, // the clocks were put on between
		{"2026-11-15 09:00", -1, "2026-10-15 09:00"},
		{"2026-01-15 09:00", -13, "2024-12-15 09:00"},
		{"2026-02-28 01:30", 1, "2026-03-28 01:30"},
		{"2026-03-31 09:00", -1, "2026-02-28 09:00"},
	} {
		if got := c.AddMonths(at(m.from), m.months); !got.Equal(at(m.want)) {
			t.Errorf("%d months after %s: %s, want %s", m.months, m.from, got, m.want)
		}
	}
	for unit, want := range map[string]string{"day": "2026-03-29", "week": "2026-03-23", "month": "2026-03-01",
		"quarter": "2026-01-01", "year": "2026-01-01", "hour": "2026-03-29 14:00"} {
		got, err := c.StartOf(at("2026-03-29 14:30"), unit)
		if err != nil || !got.Equal(at(want)) {
			t.Errorf("start of the %s: %s (%v), want %s", unit, got, err, want)
		}
	}
	if _, err := c.StartOf(at("2026-03-29"), "fortnight"); err == nil {
		t.Error("a fortnight has a start")
	}
	for _, d := range []struct {
		from, to string
		want     int
	}{
		{"2026-03-28 23:59", "2026-03-30 00:01", 2}, // 23 hours of them are the 29th
		{"2026-10-24 12:00", "2026-10-26 11:00", 2},
		{"2026-10-26", "2026-10-24", -2},
		{"2026-10-26 08:00", "2026-10-26 20:00", 0},
	} {
		if got := c.DaysBetween(at(d.from), at(d.to)); got != d.want {
			t.Errorf("days from %s to %s: %d, want %d", d.from, d.to, got, d.want)
		}
	}
}
