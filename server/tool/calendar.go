package tool

import (
	"bytes"
	"context"
	"crypto/sha256"
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"slices"
	"strings"
	"sync"
	"time"

	"github.com/emersion/go-ical"
	"github.com/emersion/go-webdav/caldav"

	"woolsignal/core/flow"
)

// calendars reaches the calendars of one CalDAV connection (RFC 4791).
type calendars struct {
	client *caldav.Client
	http   *http.Client
	base   string // address without a trailing slash
	prefix string // path part of the address
	names  []string
	zone   *time.Location
	title  string

	// writing keeps two of our own bookings from seeing the same gap.
	writing sync.Mutex
}

// event is one entry of a calendar.
type event struct {
	id, calendar, title, description string
	start, end                       time.Time
	etag, path                       string
}

func (c *calendars) value(e event) map[string]any {
	return map[string]any{"id": e.id, "calendar": e.calendar, "title": e.title, "description": e.description,
		"start": e.start.In(c.zone).Format(time.RFC3339), "end": e.end.In(c.zone).Format(time.RFC3339)}
}

func calendarOperations(conn *flow.Connection, client *http.Client, w *flow.Workspace) ([]*Operation, error) {
	dav, err := caldav.NewClient(client, conn.Address+"/")
	if err != nil {
		return nil, err
	}
	base, err := url.Parse(conn.Address)
	if err != nil {
		return nil, err
	}
	c := &calendars{client: dav, http: client, base: conn.Address, prefix: strings.TrimSuffix(base.Path, "/"), names: conn.CalDAV.Calendars, zone: w.Zone, title: conn.Title}
	names := make([]any, len(c.names))
	for i, n := range c.names {
		names[i] = n
	}
	calendar := prop("string", "Which calendar", "enum", names)
	moment := "Date and time, as in 2026-11-26T09:00"
	entry := object([]any{}, map[string]any{"id": prop("string", ""), "calendar": prop("string", ""), "title": prop("string", ""),
		"description": prop("string", ""), "start": prop("string", ""), "end": prop("string", "")})
	op := func(operation, description string, input, output map[string]any, resend flow.Resend, call func(context.Context, map[string]any, Sending) (any, error)) *Operation {
		return &Operation{Call: call, Tool: flow.Tool{Name: conn.ID + "/" + operation, Title: conn.Title + ": " + strings.ReplaceAll(operation, "_", " "),
			Description: description, Input: input, Output: output, Resend: resend, Idempotent: true,
			ReadOnly: resend == flow.ResendSafe && operation != "remove_event" && operation != "move_event", Destructive: operation == "remove_event"}}
	}
	return []*Operation{
		op("free_windows", "Finds the free windows of a day, over every calendar or one.",
			object([]any{"day"}, map[string]any{"day": prop("string", "The date, as in 2026-11-26", "format", "date"),
				"minutes":  prop("integer", "How long the window must be at least", "minimum", 5.0, "maximum", 1440.0),
				"earliest": prop("string", "Not before this time, as in 08:00", "pattern", clockPattern), "latest": prop("string", "Not after this time, as in 17:00", "pattern", clockPattern),
				"calendar": calendar}),
			object(nil, map[string]any{"windows": map[string]any{"type": "array"}}), flow.ResendSafe, c.freeWindows),
		op("list_events", "Lists the events from one date to another, earliest first.",
			object([]any{"from", "to"}, map[string]any{"from": prop("string", "First date", "format", "date"), "to": prop("string", "Last date", "format", "date"),
				"text": prop("string", "Only events whose title or description has these words"), "calendar": calendar}),
			object(nil, map[string]any{"events": map[string]any{"type": "array"}}), flow.ResendSafe, c.list),
		op("add_event", "Books an event. A time that is taken is refused.",
			object([]any{"start", "minutes", "title"}, map[string]any{"start": prop("string", moment), "minutes": prop("integer", "How long", "minimum", 5.0, "maximum", 1440.0),
				"title": prop("string", "Who it is for and what", "maxLength", 200.0), "description": prop("string", "Details", "maxLength", 2000.0), "calendar": calendar}),
			entry, flow.ResendOwnID, c.add),
		op("move_event", "Moves an event to another time. A time that is taken is refused.",
			object([]any{"id", "start"}, map[string]any{"id": prop("string", "The event's id"), "start": prop("string", moment)}),
			entry, flow.ResendSafe, c.move),
		op("remove_event", "Removes an event for good.",
			object([]any{"id"}, map[string]any{"id": prop("string", "The event's id"), "reason": prop("string", "Why, in the words of the person who asked", "maxLength", 300.0)}),
			object(nil, map[string]any{"removed": prop("string", ""), "title": prop("string", "")}), flow.ResendSafe, c.remove),
	}, nil
}

const clockPattern = `^([01][0-9]|2[0-3]):[0-5][0-9]$`

// moment reads a time; one without a zone is in the workspace's.
func (c *calendars) moment(s string) (time.Time, error) {
	if t, err := time.Parse(time.RFC3339, s); err == nil {
		return t, nil
	}
	for _, layout := range []string{"2006-01-02T15:04:05", "2006-01-02T15:04", "2006-01-02 15:04"} {
		if t, err := time.ParseInLocation(layout, s, c.zone); err == nil {
			return t, nil
		}
	}
	return time.Time{}, &RefusedError{Message: fmt.Sprintf("%q is not a date and time; write it as 2026-11-26T09:00", s)}
}

func (c *calendars) day(s string) (time.Time, error) {
	t, err := time.ParseInLocation("2006-01-02", s, c.zone)
	if err != nil {
		return t, &RefusedError{Message: fmt.Sprintf("%q is not a date; write it as 2026-11-26", s)}
	}
	return t, nil
}

func (c *calendars) chosen(args map[string]any) []string {
	if one := text(args, "calendar"); one != "" {
		return []string{one}
	}
	return c.names
}

func (c *calendars) folder(calendar string) string { return c.prefix + "/" + calendar + "/" }

// between reads the events of a calendar that overlap a span of time. The
// server is asked for a day more on either side, and what overlaps is decided
// here: servers differ about events that begin or end with the span.
func (c *calendars) between(ctx context.Context, calendar string, start, end time.Time) ([]event, error) {
	all, err := c.query(ctx, calendar, caldav.CompFilter{Name: "VCALENDAR", Comps: []caldav.CompFilter{
		{Name: "VEVENT", Start: start.AddDate(0, 0, -1).UTC(), End: end.AddDate(0, 0, 1).UTC()}}})
	return slices.DeleteFunc(all, func(e event) bool { return !e.start.Before(end) || !start.Before(e.end) }), err
}

func (c *calendars) query(ctx context.Context, calendar string, filter caldav.CompFilter) ([]event, error) {
	found, err := c.client.QueryCalendar(ctx, c.folder(calendar), &caldav.CalendarQuery{
		CompRequest: caldav.CalendarCompRequest{Name: "VCALENDAR", AllProps: true, AllComps: true}, CompFilter: filter})
	if err != nil {
		return nil, fmt.Errorf("%s: reading the calendar %s: %w", c.title, calendar, err)
	}
	var out []event
	for _, object := range found {
		for _, e := range object.Data.Events() {
			start, err := e.DateTimeStart(c.zone)
			if err != nil {
				return nil, fmt.Errorf("%s: an event of %s has no readable start: %w", c.title, calendar, err)
			}
			end, err := e.DateTimeEnd(c.zone)
			if err != nil {
				return nil, fmt.Errorf("%s: an event of %s has no readable end: %w", c.title, calendar, err)
			}
			one := event{calendar: calendar, start: start, end: end, etag: object.ETag, path: object.Path}
			one.id, _ = e.Props.Text(ical.PropUID)
			one.title, _ = e.Props.Text(ical.PropSummary)
			one.description, _ = e.Props.Text(ical.PropDescription)
			out = append(out, one)
		}
	}
	slices.SortFunc(out, func(a, b event) int { return a.start.Compare(b.start) })
	return out, nil
}

func (c *calendars) freeWindows(ctx context.Context, args map[string]any, _ Sending) (any, error) {
	day, err := c.day(text(args, "day"))
	if err != nil {
		return nil, err
	}
	at := func(name, otherwise string) time.Time {
		clock := text(args, name)
		if clock == "" {
			clock = otherwise
		}
		t, _ := time.Parse("15:04", clock) // the schema has checked the form
		return time.Date(day.Year(), day.Month(), day.Day(), t.Hour(), t.Minute(), 0, 0, c.zone)
	}
	earliest, latest := at("earliest", "08:00"), at("latest", "17:00")
	long := time.Duration(whole(args, "minutes", 30)) * time.Minute
	windows := []any{}
	for _, calendar := range c.chosen(args) {
		events, err := c.between(ctx, calendar, earliest, latest)
		if err != nil {
			return nil, err
		}
		free := earliest
		gap := func(until time.Time) {
			if until.Sub(free) >= long {
				windows = append(windows, map[string]any{"calendar": calendar, "start": free.Format(time.RFC3339), "end": until.In(c.zone).Format(time.RFC3339)})
			}
		}
		for _, e := range events {
			gap(e.start)
			if e.end.After(free) {
				free = e.end.In(c.zone)
			}
		}
		gap(latest)
	}
	return map[string]any{"windows": windows}, nil
}

func (c *calendars) list(ctx context.Context, args map[string]any, _ Sending) (any, error) {
	from, err := c.day(text(args, "from"))
	if err != nil {
		return nil, err
	}
	to, err := c.day(text(args, "to"))
	if err != nil {
		return nil, err
	}
	words := strings.ToLower(text(args, "text"))
	var all []event
	for _, calendar := range c.chosen(args) {
		events, err := c.between(ctx, calendar, from, to.AddDate(0, 0, 1))
		if err != nil {
			return nil, err
		}
		all = append(all, events...)
	}
	slices.SortStableFunc(all, func(a, b event) int { return a.start.Compare(b.start) })
	out := []any{}
	for _, e := range all {
		if strings.Contains(strings.ToLower(e.title+" "+e.description), words) {
			out = append(out, c.value(e))
		}
	}
	return map[string]any{"events": out}, nil
}

// add books under an id made from the call's key and lets the server refuse a
// second one (If-None-Match), so sending it again books nothing twice.
func (c *calendars) add(ctx context.Context, args map[string]any, s Sending) (any, error) {
	start, err := c.moment(text(args, "start"))
	if err != nil {
		return nil, err
	}
	calendar := text(args, "calendar")
	if calendar == "" {
		calendar = c.names[0]
	}
	sum := sha256.Sum256([]byte(s.Key))
	e := event{id: fmt.Sprintf("ws-%x", sum[:8]), calendar: calendar, title: text(args, "title"), description: text(args, "description"),
		start: start, end: start.Add(time.Duration(whole(args, "minutes", 30)) * time.Minute)}
	e.path = c.folder(calendar) + e.id + ".ics"
	c.writing.Lock()
	defer c.writing.Unlock()
	if err := c.vacant(ctx, e); err != nil {
		return nil, err
	}
	status, err := c.put(ctx, e, "If-None-Match", "*")
	if err != nil {
		return nil, err
	}
	if status == http.StatusPreconditionFailed {
		known, err := c.find(ctx, e.id)
		if err != nil {
			return nil, err
		}
		return c.value(known), nil
	}
	return c.value(e), nil
}

// vacant refuses a time that something else already takes.
func (c *calendars) vacant(ctx context.Context, e event) error {
	others, err := c.between(ctx, e.calendar, e.start, e.end)
	if err != nil {
		return err
	}
	for _, o := range others {
		if o.id != e.id {
			return &RefusedError{Message: fmt.Sprintf("%s is already taken from %s to %s (%s)", e.calendar, o.start.In(c.zone).Format("15:04"), o.end.In(c.zone).Format("15:04"), o.title)}
		}
	}
	return nil
}

func (c *calendars) put(ctx context.Context, e event, condition, value string) (int, error) {
	cal := ical.NewCalendar()
	cal.Props.SetText(ical.PropVersion, "2.0")
	cal.Props.SetText(ical.PropProductID, "-//Wool Signal//EN")
	v := ical.NewEvent()
	v.Props.SetText(ical.PropUID, e.id)
	v.Props.SetDateTime(ical.PropDateTimeStamp, time.Now().UTC())
	v.Props.SetDateTime(ical.PropDateTimeStart, e.start.UTC())
	v.Props.SetDateTime(ical.PropDateTimeEnd, e.end.UTC())
	v.Props.SetText(ical.PropSummary, e.title)
	if e.description != "" {
		v.Props.SetText(ical.PropDescription, e.description)
	}
	cal.Children = append(cal.Children, v.Component)
	var body bytes.Buffer
	if err := ical.NewEncoder(&body).Encode(cal); err != nil {
		return 0, &RefusedError{Message: err.Error()}
	}
	return c.send(ctx, http.MethodPut, e.path, &body, condition, value)
}

// send makes a request the CalDAV client has no conditions for.
func (c *calendars) send(ctx context.Context, method, path string, body io.Reader, condition, value string) (int, error) {
	request, err := http.NewRequestWithContext(ctx, method, c.base+strings.TrimPrefix(path, c.prefix), body)
	if err != nil {
		return 0, &RefusedError{Message: err.Error()}
	}
	request.Header.Set("Content-Type", ical.MIMEType)
	if value != "" {
		request.Header.Set(condition, value)
	}
	response, err := c.http.Do(request)
	if err != nil {
		return 0, fmt.Errorf("%s: %w", c.title, err)
	}
	defer response.Body.Close()
	said, _ := io.ReadAll(io.LimitReader(response.Body, 2048))
	switch s := response.StatusCode; {
	case s < 300, s == http.StatusPreconditionFailed, s == http.StatusNotFound:
		return s, nil
	case s >= 500:
		return s, fmt.Errorf("%s answered %s: %s", c.title, response.Status, reason(said))
	default:
		return s, &RefusedError{Message: fmt.Sprintf("%s refused (%d): %s", c.title, s, reason(said))}
	}
}

var errChanged = &RefusedError{Message: "somebody else changed this event just now; look at it again"}

var errNoEvent = errors.New("no such event")

// find looks an event up by id over every calendar.
func (c *calendars) find(ctx context.Context, id string) (event, error) {
	filter := caldav.CompFilter{Name: "VCALENDAR", Comps: []caldav.CompFilter{{Name: "VEVENT",
		Props: []caldav.PropFilter{{Name: ical.PropUID, TextMatch: &caldav.TextMatch{Text: id}}}}}}
	for _, calendar := range c.names {
		events, err := c.query(ctx, calendar, filter)
		if err != nil {
			return event{}, err
		}
		for _, e := range events {
			if e.id == id {
				return e, nil
			}
		}
	}
	return event{}, errNoEvent
}

func (c *calendars) move(ctx context.Context, args map[string]any, _ Sending) (any, error) {
	start, err := c.moment(text(args, "start"))
	if err != nil {
		return nil, err
	}
	c.writing.Lock()
	defer c.writing.Unlock()
	e, err := c.find(ctx, text(args, "id"))
	if errors.Is(err, errNoEvent) {
		return nil, &RefusedError{Message: "there is no event " + text(args, "id")}
	}
	if err != nil {
		return nil, err
	}
	e.start, e.end = start, start.Add(e.end.Sub(e.start))
	if err := c.vacant(ctx, e); err != nil {
		return nil, err
	}
	status, err := c.put(ctx, e, "If-Match", quoted(e.etag))
	if err != nil {
		return nil, err
	}
	if status == http.StatusPreconditionFailed {
		return nil, errChanged
	}
	return c.value(e), nil
}

// remove takes an event out. When the call was sent before, one that is gone
// is as good as removed: that is what the first sending left behind.
func (c *calendars) remove(ctx context.Context, args map[string]any, s Sending) (any, error) {
	id := text(args, "id")
	e, err := c.find(ctx, id)
	if errors.Is(err, errNoEvent) && s.Again {
		return map[string]any{"removed": id, "title": ""}, nil
	} else if errors.Is(err, errNoEvent) {
		return nil, &RefusedError{Message: "there is no event " + id}
	}
	if err != nil {
		return nil, err
	}
	status, err := c.send(ctx, http.MethodDelete, e.path, nil, "If-Match", quoted(e.etag))
	if err != nil {
		return nil, err
	}
	if status == http.StatusPreconditionFailed {
		return nil, errChanged
	}
	return map[string]any{"removed": id, "title": e.title}, nil
}

func quoted(etag string) string {
	if etag == "" {
		return ""
	}
	return fmt.Sprintf("%q", etag)
}
