package trigger

import (
	"slices"
	"time"

	"woolsignal/core/flow"
	"woolsignal/core/protocol"
	"woolsignal/core/shape"
)

// Calendar starts a run so long before each event, or when one changes.
type Calendar struct {
	Connection string
	Calendar   string // "" is every calendar of the connection
	Before     flow.Span
	Changed    bool // an event was added, moved or removed, or its guests or their answers changed
	Match      string
	Every      time.Duration
}

// Fields are what it may say.
func (c *Calendar) Fields() []flow.Field {
	return []flow.Field{
		{Name: "connection", Into: &c.Connection, Holds: flow.HoldsConnection, Kind: "caldav", Required: true,
			Help: "The calendars.", Example: "depot-calendar"},
		{Name: "calendar", Into: &c.Calendar, Help: "One of them; all where it is missing.",
			Example: "/calendars/dock-1/"},
		{Name: "before", Into: &c.Before, Help: "How long before each event.", Example: "1d"},
		{Name: "changed", Into: &c.Changed,
			Help:    "Or when an event is added, moved or removed, or its guests or their answers change.",
			Example: "true"},
		{Name: "match", Into: &c.Match, Help: "Words the event's title must have.", Example: "shearing"},
		everyField(&c.Every),
	}
}

// Agree insists on one way.
func (c *Calendar) Agree(m flow.Reading) {
	notTooOften(m, &c.Every)
	if m.Has("before") == c.Changed {
		m.Wrong("", "add before: 1d, or changed: true",
			"a calendar starts a run before its events, or when one changes: say which")
	}
}

// Check finds the calendar.
func (c *Calendar) Check(check *flow.Checker, t *flow.Trigger) {
	checkCalendar(check, t.At, c.Connection, c.Calendar)
}

func checkCalendar(c *flow.Checker, at flow.Pos, connection, calendar string) {
	one := c.Workspace.Connections[connection]
	if one == nil || calendar == "" {
		return
	}
	if dav, is := one.Is.(*protocol.CalDAV); is && !slices.Contains(dav.Calendars, calendar) {
		c.Wrong(at, flow.DidYouMean(calendar, dav.Calendars), "%s has no calendar %s", connection, calendar)
	}
}

// Tell says what happens to an event.
func (c *Calendar) Tell(p *flow.Sentence, _ *flow.Trigger) {
	if c.Changed {
		p.Say("When an event")
		tellMatch(p, c.Match)
		p.Say(" is changed in ")
	} else {
		p.Word(c.Before.String()).Say(" before each event")
		tellMatch(p, c.Match)
		p.Say(" in ")
	}
	tellCalendar(p, c.Connection, c.Calendar)
}

func tellCalendar(p *flow.Sentence, connection, calendar string) {
	if calendar != "" {
		p.Word(calendar).Say(" of ")
	}
	p.Connection(connection)
}

// tellMatch says which events are meant, behind "event".
func tellMatch(p *flow.Sentence, words string) {
	if words != "" {
		p.Say(" about ").Word(words)
	}
}

// eventShape describes an event of a calendar.
func eventShape() shape.Shape {
	text := shape.Text()
	return shape.Map(map[string]shape.Shape{"id": text, "calendar": text, "title": text, "description": text,
		"place": text,
		"start": shape.Time(), "end": shape.Time(), "change": text,
		"guests": shape.List(flow.Texts("name", "email", "answer"))})
}

// Shape is that of its signals.
func (*Calendar) Shape(*flow.Workspace, flow.Catalogue) shape.Shape {
	return flow.SignalShape(shape.Map(nil), eventShape())
}

// Source is the connection.
func (c *Calendar) Source() string { return "/calendar/" + c.Connection }

// HeardBy is the subject.
func (*Calendar) HeardBy() flow.HeardBy { return flow.BySubject }
