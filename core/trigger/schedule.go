package trigger

import (
	"cmp"
	"fmt"
	"regexp"
	"strconv"
	"time"

	"woolsignal/core/calendar"
	"woolsignal/core/flow"
	"woolsignal/core/shape"
)

// Schedule starts runs at times.
type Schedule struct {
	calendar.Rule
	Missed string // what becomes of times while nothing ran: skip, once or all

	day, at, zone string // as they are written
}

// Fields are what it may say.
func (s *Schedule) Fields() []flow.Field {
	return []flow.Field{
		{Name: "every", Into: &s.Every, Help: "How often, counted from midnight UTC.", Example: "1h"},
		{Name: "cron", Into: &s.Cron, Help: "The five fields of crontab(5).", Example: `"0 8 * * 1-5"`},
		{Name: "day_of_month", Into: &s.day, Example: "-4wd",
			Help: "A day of each month: from 1, or from its end as -1; 1wd and -4wd count working days."},
		{Name: "at", Into: &s.at, Help: "The time of day, for day_of_month; midnight where it is missing.",
			Example: `"08:00"`},
		{Name: "zone", Into: &s.zone, Holds: flow.HoldsZone,
			Help: "The time zone; the workspace's where it is missing.", Example: "Europe/London"},
		missedField(&s.Missed, "skip", "What becomes of times while nothing ran; a minute late still counts."),
	}
}

// Agree insists on one rule, and readies it.
func (s *Schedule) Agree(m flow.Reading) {
	if m.OneOf("every", "cron", "day_of_month") == "day_of_month" {
		s.readDay(m)
	}
	s.At, _ = timeOfDay(m, s.at)
	m.Only(m.Has("day_of_month"), "remove it, or write day_of_month", "%s belongs to day_of_month", "at")
	s.Zone, _ = time.LoadLocation(s.zone)
	if err := s.Ready(); err != nil {
		m.Wrong("", `cron: "0 8 * * 1-5" is every weekday at eight`, "%v", err)
	}
	if s.zone == "" {
		s.Zone = nil // the workspace's, once it is known
	}
}

// dayForm is a day of the month: from its start or end, of all days or of the
// working ones.
var dayForm = regexp.MustCompile(`^(-?\d{1,2})(wd)?$`)

// readDay reads the day of the month.
func (s *Schedule) readDay(m flow.Reading) {
	form := dayForm.FindStringSubmatch(s.day)
	if form != nil {
		s.Day, _ = strconv.Atoi(form[1])
		s.WorkingDay = form[2] != ""
	}
	if s.Day == 0 {
		m.Wrong("day_of_month", "write 1 for the first day, -1 for the last, -3 for the third-last, "+
			"1wd for the first working day, -4wd for the fourth-last", "%q is not a day of a month", s.day)
	}
}

// Check finds nothing outside to check.
func (s *Schedule) Check(*flow.Checker, *flow.Trigger) {}

// Tell says when it is due.
func (s *Schedule) Tell(p *flow.Sentence, _ *flow.Trigger) {
	switch {
	case s.Every > 0:
		p.Say("Every ").Field("every").Word(flow.DurationWords(s.Every))
	case s.Cron != "":
		p.Say("At the times of ").Field("cron").Word(s.Cron)
	default:
		p.Say("On the ").Field("day_of_month").Word(s.dayWords()).Say(" of each month at ").Field("at").
			Word(clockOf(s.At))
	}
	if s.Zone != nil {
		p.Say(" in ").Field("zone").Word(s.Zone.String())
	}
	tellMissed(p, s.Missed, "skip")
}

// dayWords is the day of the month: "last day", "4th-last working day".
func (s *Schedule) dayWords() string {
	what := " day"
	if s.WorkingDay {
		what = " working day"
	}
	switch {
	case s.Day == -1:
		return "last" + what
	case s.Day < 0:
		return nth(-s.Day) + "-last" + what
	}
	return nth(s.Day) + what
}

// nth counts: 1st, 2nd, 11th.
func nth(n int) string {
	ending := "th"
	if n%100 < 11 || n%100 > 13 {
		ending = map[int]string{1: "st", 2: "nd", 3: "rd"}[n%10]
	}
	return strconv.Itoa(n) + cmp.Or(ending, "th")
}

func clockOf(at time.Duration) string {
	return fmt.Sprintf("%02d:%02d", int(at.Hours()), int(at.Minutes())%60)
}

// Shape is that of its signals.
func (s *Schedule) Shape(*flow.Workspace, flow.Catalogue) shape.Shape {
	return flow.SignalShape(shape.Map(nil), shape.Map(nil))
}

// Source is that of all schedules.
func (*Schedule) Source() string { return "/schedule" }

// HeardBy is the subject.
func (*Schedule) HeardBy() flow.HeardBy { return flow.BySubject }
