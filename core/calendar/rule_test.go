package calendar

import (
	"testing"
	"time"
)

func TestWhenRulesAreDue(t *testing.T) {
	london, err := time.LoadLocation("Europe/London")
	if err != nil {
		t.Fatal(err)
	}
	here := Calendar{Zone: london, Holidays: map[string]bool{"2026-12-25": true, "2026-12-28": true}}
	for name, c := range map[string]struct {
		rule        Rule
		after, want string
	}{
		"every 15 minutes": {Rule{Every: 15 * time.Minute}, "2026-11-23T10:07:00Z",
			"2026-11-23T10:15:00Z"},
		"on weekdays at eight": {Rule{Cron: "0 8 * * 1-5", Calendar: here}, "2026-11-20T09:00:00Z",
			"2026-11-23T08:00:00Z"},
		"at eight, in summer": {Rule{Cron: "0 8 * * *", Calendar: here}, "2026-07-01T12:00:00Z",
			"2026-07-02T07:00:00Z"},
		"over the change to summer": {Rule{Cron: "0 8 * * *", Calendar: here}, "2026-03-28T12:00:00Z",
			"2026-03-29T07:00:00Z"},
		"once where an hour comes twice": {Rule{Cron: "30 1 * * *", Calendar: here}, "2026-10-25T00:30:00Z",
			"2026-10-26T01:30:00Z"},
		"the third-last day": {Rule{Day: -3, At: 9 * time.Hour, Calendar: here}, "2026-11-23T10:00:00Z",
			"2026-11-28T09:00:00Z"},
		"the third-last, of February": {Rule{Day: -3, At: 9 * time.Hour, Calendar: here}, "2027-01-30T10:00:00Z",
			"2027-02-26T09:00:00Z"},
		"the first": {Rule{Day: 1, At: 6*time.Hour + 30*time.Minute, Calendar: here}, "2026-12-15T10:00:00Z",
			"2027-01-01T06:30:00Z"},
		"the thirty-first": {Rule{Day: 31, Calendar: here}, "2026-11-01T00:00:00Z", "2026-12-31T00:00:00Z"},
		"later on the same day": {Rule{Day: 23, At: 12 * time.Hour, Calendar: here}, "2026-11-23T10:00:00Z",
			"2026-11-23T12:00:00Z"},
		"the fourth-last working day": {Rule{Day: -4, WorkingDay: true, Calendar: here}, "2026-11-01T00:00:00Z",
			"2026-11-25T00:00:00Z"},
		"the fourth-last working day, over holidays": {Rule{Day: -4, WorkingDay: true, Calendar: here},
			"2026-11-25T00:00:00Z", "2026-12-24T00:00:00Z"},
		"the first working day": {Rule{Day: 1, WorkingDay: true, At: 8 * time.Hour, Calendar: here},
			"2027-04-30T12:00:00Z", "2027-05-03T07:00:00Z"},
		"a working day few months have": {Rule{Day: 23, WorkingDay: true, Calendar: here}, "2026-12-01T00:00:00Z",
			"2027-03-30T23:00:00Z"},
		"never": {Rule{}, "2026-11-23T10:00:00Z", "0001-01-01T00:00:00Z"},
	} {
		if err := c.rule.Ready(); err != nil {
			t.Errorf("%s: %v", name, err)
			continue
		}
		after, err := time.Parse(time.RFC3339, c.after)
		if err != nil {
			t.Fatal(err)
		}
		if got := c.rule.Next(after).Format(time.RFC3339); got != c.want {
			t.Errorf("%s, behind %s: %s, want %s", name, c.after, got, c.want)
		}
	}
}

func TestRulesThatAreNone(t *testing.T) {
	for _, r := range []Rule{{Cron: "at eight"}, {Cron: "0 8 * *"}, {Cron: "@daily"}, {Cron: "0 0 31 2 *"}, {Day: 40}} {
		if err := r.Ready(); err == nil {
			t.Errorf("%+v is taken for a rule", r)
		}
	}
}
