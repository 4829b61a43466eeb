package trigger

import (
	"fmt"
	"strconv"
	"time"

	"woolsignal/core/calendar"
	"woolsignal/core/flow"
	"woolsignal/core/shape"
)

// Schedule starts runs at times.
type Schedule struct {
	calendar.Rule
	Before *BeforeEvent // counted from events of a calendar instead of by the rule
	Missed string       // what becomes of times while nothing ran: skip, once or all

	at, zone string // as they are written
}

// BeforeEvent is a stretch of time before each event of a calendar.
type BeforeEvent struct {
	Connection string
	Calendar   string // "" is every calendar of the connection
	Match      string // words the event's title must have; "" takes all
	Lead       flow.Span
}

// Fields are what it may say.
func (s *Schedule) Fields() []flow.Field {
	return []flow.Field{
		{Name: "every", Into: &s.Every, Help: "How often, counted from midnight UTC.", Example: "1h"},
		{Name: "cron", Into: &s.Cron, Help: "The five fields of crontab(5).", Example: `"0 8 * * 1-5"`},
		{Name: "day_of_month", Into: &s.Day, Least: -31, Most: 31,
			Help: "A day of each month, from 1, or from its end as -1.", Example: "-1"},
		{Name: "before_event", Into: flow.Group(&s.Before), Help: "So long before each event of a calendar."},
		{Name: "at", Into: &s.at, Help: "The time of day, for day_of_month and before_event.", Example: `"08:00"`},
		{Name: "zone", Into: &s.zone, Holds: flow.HoldsZone,
			Help: "The time zone; the workspace's where it is missing.", Example: "Europe/London"},
		{Name: "missed", Into: &s.Missed, Choices: []string{"skip", "once", "all"}, Default: "skip",
			Help: "What becomes of times while nothing ran; a minute late still counts.", Example: "once"},
	}
}

// Fields are what before_event may say.
func (b *BeforeEvent) Fields() []flow.Field {
	return []flow.Field{
		{Name: "connection", Into: &b.Connection, Holds: flow.HoldsConnection, Kind: "caldav", Required: true,
			Help: "The calendars.", Example: "depot-calendar"},
		{Name: "calendar", Into: &b.Calendar, Help: "One of them; all where it is missing.",
			Example: "/calendars/dock-1/"},
		{Name: "match", Into: &b.Match, Help: "Words the event's title must have.", Example: "shearing"},
		{Name: "lead", Into: &b.Lead, Missing: "nothing says how long before the event",
			Help: "How long before the event.", Example: "2wd"},
	}
}

// Agree insists on one rule, and readies it.
func (s *Schedule) Agree(m flow.Reading) {
	if m.OneOf("every", "cron", "day_of_month", "before_event") == "day_of_month" && s.Day == 0 {
		m.Wrong("day_of_month", "write 1 for the first day, -1 for the last, -3 for the third-last",
			"day_of_month cannot be 0")
	}
	if m.Has("at") {
		at, err := time.Parse("15:04", s.at)
		if err != nil {
			m.Wrong("at", `at: "08:00"`, "%q is not a time of day", s.at)
		}
		s.At, s.AtSaid = time.Duration(at.Hour())*time.Hour+time.Duration(at.Minute())*time.Minute, true
		m.Only(m.Has("day_of_month") || m.Has("before_event"), "remove it, or write day_of_month or before_event",
			"%s belongs to day_of_month and before_event", "at")
	}
	s.Zone, _ = time.LoadLocation(s.zone)
	if err := s.Ready(); err != nil {
		m.Wrong("", `cron: "0 8 * * 1-5" is every weekday at eight`, "%v", err)
	}
	if s.zone == "" {
		s.Zone = nil // the workspace's, once it is known
	}
}

// Check finds the calendar.
func (s *Schedule) Check(c *flow.Checker, t *flow.Trigger) {
	if s.Before != nil {
		checkCalendar(c, t.At, s.Before.Connection, s.Before.Calendar)
	}
}

// Tell says when it is due.
func (s *Schedule) Tell(p *flow.Sentence, _ *flow.Trigger) {
	switch {
	case s.Before != nil:
		p.Word(s.Before.Lead.String()).Say(" before each event")
		tellMatch(p, s.Before.Match)
		p.Say(" in ")
		tellCalendar(p, s.Before.Connection, s.Before.Calendar)
		if s.AtSaid {
			p.Say(", at ").Word(clockOf(s.At))
		}
	case s.Every > 0:
		p.Say("Every ").Word(flow.DurationWords(s.Every))
	case s.Cron != "":
		p.Say("At the times of ").Word(s.Cron)
	case s.Day == -1:
		p.Say("On the ").Word("last day").Say(" of each month at ").Word(clockOf(s.At))
	case s.Day < 0:
		p.Say("On the day ").Word(strconv.Itoa(-s.Day)).Say(" from the end of each month at ").Word(clockOf(s.At))
	default:
		p.Say("On the day ").Word(strconv.Itoa(s.Day)).Say(" of each month at ").Word(clockOf(s.At))
	}
	if s.Zone != nil {
		p.Say(" in ").Word(s.Zone.String())
	}
	switch s.Missed {
	case "once":
		p.Say("; after missed times, once")
	case "all":
		p.Say("; missed times are made up for")
	}
}

func clockOf(at time.Duration) string {
	return fmt.Sprintf("%02d:%02d", int(at.Hours()), int(at.Minutes())%60)
}

// Shape is that of its signals.
func (s *Schedule) Shape(*flow.Workspace, flow.Catalogue) shape.Shape {
	if s.Before != nil {
		return flow.SignalShape(shape.Map(nil), eventShape())
	}
	return flow.SignalShape(shape.Map(nil), shape.Map(nil))
}

// Source is that of all schedules.
func (*Schedule) Source() string { return "/schedule" }

// HeardBy is the subject.
func (*Schedule) HeardBy() flow.HeardBy { return flow.BySubject }
