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
	Changed    bool          // an event was added, moved or removed, or its guests or their answers changed
	WholeWords               // of the title
	At         time.Duration // the time of day it is due, where AtSaid
	AtSaid     bool
	Missed     string // what becomes of events while nothing ran: skip, once or all
	Every      time.Duration

	at string // as it is written
}

// Fields are what it may say.
func (c *Calendar) Fields() []flow.Field {
	return []flow.Field{
		{Name: "connection", Into: &c.Connection, Holds: flow.HoldsConnection, Kind: "caldav", Required: true,
			Help: "The calendars.", Example: "depot-calendar"},
		{Name: "calendar", Into: &c.Calendar, Help: "One of them; all where it is missing.",
			Example: "/calendars/dock-1/"},
		{Name: "before", Into: &c.Before, Help: "How long before each event.", Example: "2wd"},
		{Name: "at", Into: &c.at, Help: "The time of day, where that is before the event; else the event's own.",
			Example: `"08:00"`},
		missedField(&c.Missed, "all", "What becomes of events that came so near while nothing ran."),
		{Name: "changed", Into: &c.Changed,
			Help:    "Or when an event is added, moved or removed, or its guests or their answers change.",
			Example: "true"},
		c.WholeWords.hasField("Only events whose title has all of these words, as whole words.", "[shearing]"),
		c.WholeWords.lacksField("Only events whose title has none of these words.", "[cancelled]"),
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
	c.At, c.AtSaid = timeOfDay(m, c.at)
	m.Only(m.Has("before"), "remove it, or write before", "%s belongs to before", "at", "missed")
}

// Check finds the calendar.
func (c *Calendar) Check(check *flow.Checker, t *flow.Trigger) {
	one := check.Workspace.Connections[c.Connection]
	if one == nil || c.Calendar == "" {
		return
	}
	if dav, is := one.Is.(*protocol.CalDAV); is && !slices.Contains(dav.Calendars, c.Calendar) {
		check.Wrong(t.At, flow.DidYouMean(c.Calendar, dav.Calendars), "%s has no calendar %s", c.Connection, c.Calendar)
	}
}

// Tell says what happens to an event.
func (c *Calendar) Tell(p *flow.Sentence, _ *flow.Trigger) {
	if c.Changed {
		p.Say("When an event is ").Field("changed").Word("changed")
	} else {
		p.Field("before").Word(c.Before.String()).Say(" before each event")
	}
	p.Say(" in ")
	if c.Calendar != "" {
		p.Field("calendar").Word(c.Calendar).Say(" of ")
	}
	p.Field("connection").Connection(c.Connection)
	c.WholeWords.tell(p)
	if c.AtSaid {
		p.Say(", at ").Field("at").Word(clockOf(c.At))
	}
	tellMissed(p, c.Missed, "all")
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
