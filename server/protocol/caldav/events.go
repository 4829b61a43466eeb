package caldav

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"net/http"
	"slices"
	"strings"
	"time"

	"github.com/emersion/go-ical"
	"github.com/emersion/go-webdav/caldav"

	"woolsignal/core/flow"
	"woolsignal/server/tool"
)

// Event is an entry of a calendar; of one that repeats, one occurrence.
type Event struct {
	ID, Calendar, Title, Description, Place string
	Start, End                              time.Time
	Guests                                  []Guest
	Repeats                                 bool
}

// Guest is somebody who was invited.
type Guest struct{ Name, Email, Answer string }

// event is an Event and where it stands on the server.
type event struct {
	id, calendar, title, description, place string
	start, end                              time.Time
	guests                                  []Guest
	repeats                                 bool
	etag, path                              string
	object                                  *ical.Calendar // as it was read; nil for a new one
}

func (c *calendars) value(e event) map[string]any {
	return EventValue(e.plain(), c.zone)
}

func (e event) plain() Event {
	return Event{e.id, e.calendar, e.title, e.description, e.place, e.start, e.end, e.guests, e.repeats}
}

// EventValue is an event as values carry it.
func EventValue(e Event, zone *time.Location) map[string]any {
	guests := []any{}
	for _, g := range e.Guests {
		guests = append(guests, map[string]any{"name": g.Name, "email": g.Email, "answer": g.Answer})
	}
	return map[string]any{"id": e.ID, "calendar": e.Calendar, "title": e.Title, "description": e.Description,
		"place": e.Place, "guests": guests, "repeats": e.Repeats,
		"start": e.Start.In(zone).Format(time.RFC3339), "end": e.End.In(zone).Format(time.RFC3339)}
}

// Events reads the events of a connection's calendars, or of one, that
// overlap a span of time, earliest first.
func Events(ctx context.Context, k *tool.Kit, conn *flow.Connection, zone *time.Location, calendar string, from,
	to time.Time) ([]Event, error) {
	client, err := k.Client(conn)
	if err != nil {
		return nil, err
	}
	c, err := newCalendars(k, conn, client, zone)
	if err != nil {
		return nil, err
	}
	names := c.names
	if calendar != "" {
		names = []string{calendar}
	}
	var out []Event
	for _, name := range names {
		all, err := c.between(ctx, name, from, to)
		if err != nil {
			return nil, k.Lacks(conn.ID, err)
		}
		for _, e := range all {
			out = append(out, e.plain())
		}
	}
	slices.SortStableFunc(out, func(a, b Event) int { return a.Start.Compare(b.Start) })
	return out, nil
}

// between reads the events of a calendar that overlap a span of time. The
// server is asked for a day more on either side, and what overlaps is decided
// here: servers differ about events that begin or end with the span.
func (c *calendars) between(ctx context.Context, calendar string, start, end time.Time) ([]event, error) {
	found, err := c.objects(ctx, calendar, caldav.CompFilter{Name: "VCALENDAR", Comps: []caldav.CompFilter{
		{Name: "VEVENT", Start: start.AddDate(0, 0, -1).UTC(), End: end.AddDate(0, 0, 1).UTC()}}})
	if err != nil {
		return nil, err
	}
	var out []event
	for _, object := range found {
		some, err := c.occurrences(ctx, calendar, object, start, end)
		if err != nil {
			return nil, err
		}
		out = append(out, some...)
	}
	slices.SortFunc(out, func(a, b event) int { return a.start.Compare(b.start) })
	return out, nil
}

// tripping reads what a server holds. The reader trips over some malformed lines,
// as "0;0=": that is an error like any other.
func tripping(read func() error) (err error) {
	defer func() {
		if r := recover(); r != nil {
			err = fmt.Errorf("an event in it is malformed (%v)", r)
		}
	}()
	return read()
}

func (c *calendars) objects(ctx context.Context, calendar string, filter caldav.CompFilter) ([]caldav.CalendarObject,
	error) {
	var found []caldav.CalendarObject
	err := tripping(func() (err error) {
		found, err = c.client.QueryCalendar(ctx, c.folder(calendar), &caldav.CalendarQuery{CompFilter: filter,
			CompRequest: caldav.CalendarCompRequest{Name: "VCALENDAR", AllProps: true, AllComps: true}})
		return err
	})
	if err != nil {
		return nil, fmt.Errorf("%s: reading the calendar %s: %w", c.title, calendar, err)
	}
	return found, nil
}

// query reads events as they stand, one that repeats once.
func (c *calendars) query(ctx context.Context, calendar string, filter caldav.CompFilter) ([]event, error) {
	found, err := c.objects(ctx, calendar, filter)
	if err != nil {
		return nil, err
	}
	var out []event
	for _, object := range found {
		for _, v := range object.Data.Events() {
			if v.Props.Get(ical.PropRecurrenceID) != nil {
				continue // an exception to the event it belongs to
			}
			e, err := c.read(calendar, object, v)
			if err != nil {
				return nil, err
			}
			out = append(out, e)
		}
	}
	return out, nil
}

// mostOccurrences bounds how often one event is counted: daily for a
// century, hourly for four years.
const mostOccurrences = 36_525

// occurrences gives each time an event of an object takes place within a span
// (RFC 5545, 3.8.5). One that was moved stands under RECURRENCE-ID.
func (c *calendars) occurrences(ctx context.Context, calendar string, object caldav.CalendarObject, start,
	end time.Time) ([]event, error) {
	overlaps := func(e event) bool { return e.start.Before(end) && (start.Before(e.end) || e.start.Equal(start)) }
	var out []event
	moved := map[int64]bool{}
	for _, v := range object.Data.Events() {
		if id := v.Props.Get(ical.PropRecurrenceID); id != nil {
			if at, err := id.DateTime(c.zone); err == nil {
				moved[at.Unix()] = true
			}
		}
	}
	for _, v := range object.Data.Events() {
		e, err := c.read(calendar, object, v)
		if err != nil {
			return nil, err
		}
		if status, err := v.Status(); err == nil && status == ical.EventCancelled {
			continue
		}
		set, err := v.RecurrenceSet(c.zone)
		if err != nil {
			return nil, fmt.Errorf("%s: the event %s of %s repeats in a way that cannot be read: %w", c.title, e.title,
				calendar, err)
		}
		if set == nil || v.Props.Get(ical.PropRecurrenceID) != nil {
			if overlaps(e) {
				out = append(out, e)
			}
			continue
		}
		long := e.end.Sub(e.start)
		all, err := c.repeats(ctx, set, end)
		if err != nil {
			return nil, fmt.Errorf("%s: the event %s of %s repeats: %w", c.title, e.title, calendar, err)
		}
		for _, at := range all {
			one := e
			one.start, one.end = at, at.Add(long)
			if !moved[at.Unix()] && overlaps(one) {
				out = append(out, one)
			}
		}
	}
	return out, nil
}

// read takes in one event of an object.
func (c *calendars) read(calendar string, object caldav.CalendarObject, v ical.Event) (event, error) {
	e := event{calendar: calendar, etag: object.ETag, path: object.Path, object: object.Data}
	var err error
	e.id, _ = v.Props.Text(ical.PropUID)
	e.title, _ = v.Props.Text(ical.PropSummary)
	if e.start, err = v.DateTimeStart(c.zone); err == nil && e.start.IsZero() {
		err = errors.New("it has none")
	}
	if err != nil {
		return e, fmt.Errorf("%s: the event %s of %s (%s) has no readable start: %w", c.title, e.title, calendar,
			object.Path, err)
	}
	if e.end, err = v.DateTimeEnd(c.zone); err != nil {
		return e, fmt.Errorf("%s: the event %s of %s (%s) has no readable end: %w", c.title, e.title, calendar,
			object.Path, err)
	}
	e.description, _ = v.Props.Text(ical.PropDescription)
	e.place, _ = v.Props.Text(ical.PropLocation)
	e.repeats = v.Props.Get(ical.PropRecurrenceRule) != nil
	for _, p := range v.Props.Values(ical.PropAttendee) {
		email := strings.TrimPrefix(strings.ToLower(p.Value), "mailto:")
		e.guests = append(e.guests, Guest{p.Params.Get(ical.ParamCommonName), email,
			answerOf(p.Params.Get(ical.ParamParticipationStatus))})
	}
	return e, nil
}

// answerOf says a guest's answer (RFC 5545, 3.2.12) as people would.
func answerOf(status string) string {
	switch strings.ToUpper(status) {
	case "ACCEPTED", "DECLINED", "TENTATIVE", "DELEGATED":
		return strings.ToLower(status)
	}
	return "none yet"
}

// save writes an event. What stands in it that we do not know stays.
func (c *calendars) save(ctx context.Context, e event, condition, value string) (int, error) {
	cal := e.object
	if cal == nil {
		cal = ical.NewCalendar()
		cal.Props.SetText(ical.PropVersion, "2.0")
		cal.Props.SetText(ical.PropProductID, "-//Wool Signal//EN")
		cal.Children = append(cal.Children, ical.NewEvent().Component)
	}
	v := cal.Events()[0]
	v.Props.SetText(ical.PropUID, e.id)
	v.Props.SetDateTime(ical.PropDateTimeStamp, time.Now().UTC())
	v.Props.SetDateTime(ical.PropDateTimeStart, e.start.UTC())
	v.Props.Del(ical.PropDuration)
	v.Props.SetDateTime(ical.PropDateTimeEnd, e.end.UTC())
	v.Props.SetText(ical.PropSummary, e.title)
	if e.description != "" {
		v.Props.SetText(ical.PropDescription, e.description)
	}
	if e.place != "" {
		v.Props.SetText(ical.PropLocation, e.place)
	}
	if e.object == nil {
		for _, g := range e.guests {
			p := ical.NewProp(ical.PropAttendee)
			p.Value = "mailto:" + g.Email
			p.Params.Set(ical.ParamParticipationStatus, "NEEDS-ACTION")
			v.Props.Add(p)
		}
	}
	var body bytes.Buffer
	if err := ical.NewEncoder(&body).Encode(cal); err != nil {
		return 0, &tool.RefusedError{Message: err.Error()}
	}
	return c.send(ctx, http.MethodPut, e.path, &body, condition, value)
}

func (c *calendars) choices(context.Context) ([]tool.Choice, error) {
	out := make([]tool.Choice, len(c.names))
	for i, n := range c.names {
		out[i] = tool.Choice{Value: n, Words: n}
	}
	return out, nil
}
