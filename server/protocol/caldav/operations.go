package caldav

import (
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

	"woolsignal/core/expr"
	"woolsignal/core/flow"
	"woolsignal/core/protocol"
	"woolsignal/server/confined"
	"woolsignal/server/tool"
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

	confined *confined.Pool // where repeats are counted

	writing *sync.Mutex // held from looking for a gap until it is filled
}

func newCalendars(k *tool.Kit, conn *flow.Connection, client *http.Client, zone *time.Location) (*calendars, error) {
	dav, err := caldav.NewClient(client, conn.Address+"/")
	if err != nil {
		return nil, err
	}
	base, err := url.Parse(conn.Address)
	if err != nil {
		return nil, err
	}
	return &calendars{client: dav, http: client, base: conn.Address, prefix: strings.TrimSuffix(base.Path, "/"),
		names: conn.Is.(*protocol.CalDAV).Calendars, zone: zone, title: conn.Title, confined: k.Confined,
		writing: writingAt(base.Host)}, nil
}

// writers has one lock for each calendar server, whatever number of
// connections lead to it.
var writers sync.Map // of host and port, in lower case, to *sync.Mutex

func writingAt(host string) *sync.Mutex {
	lock, _ := writers.LoadOrStore(strings.ToLower(host), &sync.Mutex{})
	return lock.(*sync.Mutex)
}

func operations(k *tool.Kit, w *flow.Workspace, conn *flow.Connection, client *http.Client) ([]*tool.Operation, error) {
	c, err := newCalendars(k, conn, client, w.Zone)
	if err != nil {
		return nil, err
	}
	calendar := tool.Prop("string", "Which calendar", "enum", expr.Texts(c.names))
	moment := "Date and time, as in 2026-11-26T09:00"
	guests := tool.ListOf(tool.Result(map[string]any{"name": tool.Prop("string", ""), "email": tool.Prop("string", ""),
		"answer": tool.Prop("string", "accepted, declined, tentative or none yet")}), "")
	entry := tool.Result(map[string]any{"id": tool.Prop("string", ""), "calendar": tool.Prop("string", ""),
		"title": tool.Prop("string", ""), "description": tool.Prop("string", ""), "place": tool.Prop("string", ""),
		"start": tool.Prop("string", "", "format", "date-time"), "end": tool.Prop("string", "", "format", "date-time"),
		"guests": guests, "repeats": tool.Prop("boolean", "")})
	op := func(name, description string, input, output map[string]any, n tool.Nature,
		call func(context.Context, map[string]any, tool.Sending) (any, error)) *tool.Operation {
		o := tool.NewOperation(conn.ID, conn.Title, name, description, input, output, n, call)
		if _, takes := input["properties"].(map[string]any)["calendar"]; takes {
			o.Choices = map[string]func(context.Context) ([]tool.Choice, error){"calendar": c.choices}
		}
		return o
	}
	email := tool.Prop("string", "", "format", "email")
	return []*tool.Operation{
		op("free_windows", "Finds the free windows of a day, over every calendar or one.",
			tool.Object([]any{"day"}, map[string]any{"day": tool.Prop("string", "The date, as in 2026-11-26", "format",
				"date"),
				"minutes": tool.Prop("integer", "How long the window must be at least", "minimum", 5.0, "maximum",
					1440.0),
				"earliest": tool.Prop("string", "Not before this time, as in 08:00", "pattern", clockPattern),
				"latest":   tool.Prop("string", "Not after this time, as in 17:00", "pattern", clockPattern),
				"calendar": calendar}),
			tool.Result(map[string]any{"windows": tool.ListOf(tool.Result(map[string]any{"calendar": tool.Prop("string",
				""),
				"start": tool.Prop("string", "", "format", "date-time"),
				"end":   tool.Prop("string", "", "format", "date-time")}),
				"")}), tool.Reads, c.freeWindows),
		op("list_events", "Lists the events from one date to another, earliest first.",
			tool.Object([]any{"from", "to"}, map[string]any{"from": tool.Prop("string", "First date", "format", "date"),
				"to":       tool.Prop("string", "Last date", "format", "date"),
				"text":     tool.Prop("string", "Only events whose title or description has these words"),
				"calendar": calendar}),
			tool.Result(map[string]any{"events": tool.ListOf(entry, "")}), tool.Reads, c.list),
		op("add_event", "Books an event. A time that is taken is refused.",
			tool.Object([]any{"start", "minutes", "title"},
				map[string]any{"start": tool.Prop("string", moment),
					"minutes":     tool.Prop("integer", "How long", "minimum", 5.0, "maximum", 1440.0),
					"title":       tool.Prop("string", "Who it is for and what", "maxLength", 200.0),
					"description": tool.Prop("string", "Details", "maxLength", 2000.0),
					"place":       tool.Prop("string", "Where"),
					"guests":      tool.ListOf(email, "Who is invited"), "calendar": calendar}),
			entry, tool.Adds, c.add),
		op("move_event", "Moves an event to another time. A time that is taken is refused.",
			tool.Object([]any{"id", "start"},
				map[string]any{"id": tool.Prop("string", "The event's id"), "start": tool.Prop("string", moment)}),
			entry, tool.Sets, c.move).About(c.showMove),
		op("describe_event", "Writes what an event's description says.",
			tool.Object([]any{"id", "description"}, map[string]any{"id": tool.Prop("string", "The event's id"),
				"description": tool.Prop("string", "All of it, from now on", "maxLength", 2000.0)}),
			entry, tool.Sets, c.describe).About(c.showDescribe),
		op("remove_event", "Removes an event for good.",
			tool.Object([]any{"id"}, map[string]any{"id": tool.Prop("string", "The event's id"),
				"reason": tool.Prop("string", "Why, in the words of the person who asked", "maxLength", 300.0)}),
			tool.Result(map[string]any{"removed": tool.Prop("string", ""), "title": tool.Prop("string", "")}),
			tool.Removes, c.remove).About(c.showRemove),
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
	return time.Time{}, &tool.RefusedError{Message: fmt.Sprintf("%q is not a date and time; write it as "+
		"2026-11-26T09:00",
		s)}
}

func (c *calendars) day(s string) (time.Time, error) {
	t, err := time.ParseInLocation("2006-01-02", s, c.zone)
	if err != nil {
		return t, &tool.RefusedError{Message: fmt.Sprintf("%q is not a date; write it as 2026-11-26", s)}
	}
	return t, nil
}

func (c *calendars) chosen(args map[string]any) []string {
	if one := tool.Text(args, "calendar"); one != "" {
		return []string{one}
	}
	return c.names
}

func (c *calendars) folder(calendar string) string { return c.prefix + "/" + calendar + "/" }

func (c *calendars) freeWindows(ctx context.Context, args map[string]any, _ tool.Sending) (any, error) {
	day, err := c.day(tool.Text(args, "day"))
	if err != nil {
		return nil, err
	}
	at := func(name, otherwise string) time.Time {
		clock := tool.Text(args, name)
		if clock == "" {
			clock = otherwise
		}
		t, _ := time.Parse("15:04", clock) // the schema has checked the form
		return time.Date(day.Year(), day.Month(), day.Day(), t.Hour(), t.Minute(), 0, 0, c.zone)
	}
	earliest, latest := at("earliest", "08:00"), at("latest", "17:00")
	long := time.Duration(tool.Whole(args, "minutes", 30)) * time.Minute
	windows := []any{}
	for _, calendar := range c.chosen(args) {
		events, err := c.between(ctx, calendar, earliest, latest)
		if err != nil {
			return nil, err
		}
		free := earliest
		gap := func(until time.Time) {
			if until.Sub(free) >= long {
				windows = append(windows,
					map[string]any{"calendar": calendar, "start": free.Format(time.RFC3339),
						"end": until.In(c.zone).Format(time.RFC3339)})
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

func (c *calendars) list(ctx context.Context, args map[string]any, _ tool.Sending) (any, error) {
	from, err := c.day(tool.Text(args, "from"))
	if err != nil {
		return nil, err
	}
	to, err := c.day(tool.Text(args, "to"))
	if err != nil {
		return nil, err
	}
	words := strings.ToLower(tool.Text(args, "text"))
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
func (c *calendars) add(ctx context.Context, args map[string]any, s tool.Sending) (any, error) {
	start, err := c.moment(tool.Text(args, "start"))
	if err != nil {
		return nil, err
	}
	calendar := tool.Text(args, "calendar")
	if calendar == "" {
		calendar = c.names[0]
	}
	sum := sha256.Sum256([]byte(s.Key))
	e := event{id: fmt.Sprintf("ws-%x", sum[:8]), calendar: calendar, title: tool.Text(args, "title"),
		description: tool.Text(args, "description"), place: tool.Text(args, "place"),
		start: start, end: start.Add(time.Duration(tool.Whole(args, "minutes", 30)) * time.Minute)}
	for _, email := range tool.Texts(args, "guests") {
		e.guests = append(e.guests, Guest{Email: email})
	}
	e.path = c.folder(calendar) + e.id + ".ics"
	c.writing.Lock()
	defer c.writing.Unlock()
	if err := c.vacant(ctx, e); err != nil {
		return nil, err
	}
	status, err := c.save(ctx, e, "If-None-Match", "*")
	if err != nil {
		return nil, err
	}
	if status == http.StatusPreconditionFailed {
		if e, err = c.find(ctx, e.id); err != nil {
			return nil, err
		}
	}
	return c.value(e), c.stillAlone(ctx, e, func() error {
		_, err := c.send(ctx, http.MethodDelete, e.path, nil, "", "")
		return err
	})
}

// stillAlone looks again once an event is written, as somebody elsewhere may
// have filled the same gap between our look and our writing: then ours gives
// way. Two that give way to each other both say so; neither is booked twice.
func (c *calendars) stillAlone(ctx context.Context, e event, giveWay func() error) error {
	taken := c.vacant(ctx, e)
	var refused *tool.RefusedError
	if errors.As(taken, &refused) {
		if err := giveWay(); err != nil {
			return fmt.Errorf("%w, and giving way to it failed: %w", taken, err)
		}
	}
	return taken
}

// vacant refuses a time that something else already takes.
func (c *calendars) vacant(ctx context.Context, e event) error {
	others, err := c.between(ctx, e.calendar, e.start, e.end)
	if err != nil {
		return err
	}
	for _, o := range others {
		if o.id != e.id {
			return &tool.RefusedError{Message: fmt.Sprintf("%s is already taken from %s to %s (%s)", e.calendar,
				o.start.In(c.zone).Format("15:04"), o.end.In(c.zone).Format("15:04"), o.title)}
		}
	}
	return nil
}

// send makes a request the CalDAV client has no conditions for.
func (c *calendars) send(ctx context.Context, method, path string, body io.Reader, condition, value string) (int,
	error) {
	request, err := http.NewRequestWithContext(ctx, method, c.base+strings.TrimPrefix(path, c.prefix), body)
	if err != nil {
		return 0, &tool.RefusedError{Message: err.Error()}
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
		return s, fmt.Errorf("%s answered %s: %s", c.title, response.Status, tool.Reason(said))
	default:
		return s, &tool.RefusedError{Message: fmt.Sprintf("%s refused (%d): %s", c.title, s, tool.Reason(said))}
	}
}

var errChanged = &tool.RefusedError{Message: "somebody else changed this event just now; look at it again"}

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

func (c *calendars) move(ctx context.Context, args map[string]any, _ tool.Sending) (any, error) {
	start, err := c.moment(tool.Text(args, "start"))
	if err != nil {
		return nil, err
	}
	c.writing.Lock()
	defer c.writing.Unlock()
	e, err := c.find(ctx, tool.Text(args, "id"))
	if errors.Is(err, errNoEvent) {
		return nil, &tool.RefusedError{Message: "there is no event " + tool.Text(args, "id")}
	}
	if err != nil {
		return nil, err
	}
	if e.repeats {
		return nil, &tool.RefusedError{Message: "this event repeats; move it in the calendar itself, where one says " +
			"whether one or all are meant"}
	}
	before := e
	e.start, e.end = start, start.Add(e.end.Sub(e.start))
	if err := c.vacant(ctx, e); err != nil {
		return nil, err
	}
	status, err := c.save(ctx, e, "If-Match", quoted(e.etag))
	if err != nil {
		return nil, err
	}
	if status == http.StatusPreconditionFailed {
		return nil, errChanged
	}
	return c.value(e), c.stillAlone(ctx, e, func() error {
		now, err := c.find(ctx, e.id)
		if err != nil {
			return err
		}
		now.start, now.end = before.start, before.end
		_, err = c.save(ctx, now, "If-Match", quoted(now.etag))
		return err
	})
}

// remove takes an event out. When the call was sent before, one that is gone
// is as good as removed: that is what the first sending left behind.
func (c *calendars) remove(ctx context.Context, args map[string]any, s tool.Sending) (any, error) {
	id := tool.Text(args, "id")
	e, err := c.find(ctx, id)
	if errors.Is(err, errNoEvent) && s.Again {
		return map[string]any{"removed": id, "title": ""}, nil
	} else if errors.Is(err, errNoEvent) {
		return nil, &tool.RefusedError{Message: "there is no event " + id}
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

func try(ctx context.Context, k *tool.Kit, w *flow.Workspace, _ tool.Catalogue, c *flow.Connection) tool.Verdict {
	for _, calendar := range c.Is.(*protocol.CalDAV).Calendars {
		if _, err := Events(ctx, k, c, w.Zone, calendar, time.Now(), time.Now().AddDate(0, 0, 1)); err != nil {
			v := k.Trouble(c, err)
			if strings.Contains(err.Error(), "404") {
				v = tool.Unfit("Correct calendars: in connections/"+c.ID+".yaml.",
					"Signed in, but there is no calendar %s below %s.", calendar, c.Address)
			} else if strings.Contains(err.Error(), "401") {
				v = tool.Unfit("Replace the password.", "It answers, but does not accept the user or the password.")
			}
			return v
		}
	}
	return tool.Works("Signed in; these calendars can be read: %s.",
		strings.Join(c.Is.(*protocol.CalDAV).Calendars, ", "))
}
