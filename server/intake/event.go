package intake

import (
	"cmp"
	"context"
	"encoding/json"
	"fmt"
	"time"

	"woolsignal/server/protocol/caldav"

	"woolsignal/core/calendar"
	"woolsignal/core/flow"
	"woolsignal/core/run"
	"woolsignal/core/trigger"
	"woolsignal/server/tool"
)

// horizon is how far ahead events are watched for changes.
const horizon = 180 * 24 * time.Hour

// events looks at what changes in a calendar, or at what is ahead in it.
func (w *Watches) events(t flow.Trigger) *looking {
	of, now := t.Is.(*trigger.Calendar), w.Workspace.Now()
	c := w.connection(t)
	if c == nil {
		return nil
	}
	which := cmp.Or(of.Calendar, "every calendar")
	if of.Changed {
		return &looking{"changes " + c.ID + " " + of.Calendar, "changes of " + which, of.Every,
			&eventSource{kit: w.Kit, c: c, zone: now.Zone, calendar: of.Calendar}}
	}
	days := now.Calendar()
	key := fmt.Sprintf("before %s %s %v at %v %v %s %s", c.ID, of.Calendar, of.Before, of.At, of.AtSaid, days.Zone,
		of.Missed)
	return &looking{key, "what is ahead in " + which, of.Every, &beforeSource{kit: w.Kit, c: c, calendar: of.Calendar,
		days: days, lead: of.Before, at: of.At, atSaid: of.AtSaid, missed: of.Missed}}
}

// eventSource tells what changed in a calendar. Its cursor is the events that
// stood there, by id and start, each as it was.
type eventSource struct {
	kit      *tool.Kit
	c        *flow.Connection
	zone     *time.Location
	calendar string
}

// eventFound is an event and what became of it.
type eventFound struct {
	caldav.Event
	id, change string
	zone       *time.Location
}

// seenEvent is an event as the last look saw it.
type seenEvent struct {
	Event caldav.Event `json:"event"`
}

func (s *eventSource) look(ctx context.Context, cursor json.RawMessage) ([]any, any, bool, error) {
	var before map[string]seenEvent
	if cursor != nil {
		if err := json.Unmarshal(cursor, &before); err != nil {
			return nil, nil, false, err
		}
	}
	at := time.Now()
	all, err := caldav.Events(ctx, s.kit, s.c, s.zone, s.calendar, at, at.Add(horizon))
	if err != nil {
		return nil, nil, false, err
	}
	now, found := map[string]seenEvent{}, []any{}
	note := func(e caldav.Event, change string) {
		if cursor != nil {
			data, _ := json.Marshal(e) // texts and times always encode
			found = append(found, eventFound{e, short(change + string(data)), change, s.zone})
		}
	}
	for _, e := range all {
		key := e.Calendar + " " + e.ID
		if e.Repeats {
			key += " " + e.Start.UTC().Format(time.RFC3339)
		}
		now[key] = seenEvent{e}
		switch old, known := before[key]; {
		case !known && e.Repeats && e.Start.After(at.Add(horizon-48*time.Hour)): // it only came into sight
		case !known:
			note(e, "added")
		case !old.Event.Start.Equal(e.Start) || !old.Event.End.Equal(e.End):
			note(e, "moved")
		case fmt.Sprint(old.Event.Guests) != fmt.Sprint(e.Guests):
			note(e, "guests")
		case old.Event.Title != e.Title || old.Event.Description != e.Description || old.Event.Place != e.Place:
			note(e, "changed")
		}
	}
	for key, old := range before {
		if _, still := now[key]; !still && old.Event.Start.After(at) {
			note(old.Event, "removed")
		}
	}
	return found, now, false, nil
}

func (s *eventSource) comesBack() {} // guests change their minds

func (s *eventSource) signal(t flow.Trigger, found any) (*run.Signal, error) {
	f := found.(eventFound)
	return f.signal(t.Is.(*trigger.Calendar), "calendar.changed"), nil
}

// signal makes a signal of an event whose title is meant; nil of others.
func (f eventFound) signal(of *trigger.Calendar, kind string) *run.Signal {
	if !of.In(f.Title) {
		return nil
	}
	body := caldav.EventValue(f.Event, f.zone)
	body["change"] = f.change
	return &run.Signal{ID: f.id, Type: kind, Subject: f.Title, Text: f.Description, Body: body}
}

// beforeSource tells when an event is so long ahead. Its cursor is the
// occurrences that were told of, with their starts.
type beforeSource struct {
	kit      *tool.Kit
	c        *flow.Connection
	calendar string
	days     calendar.Calendar
	lead     flow.Span
	at       time.Duration // the time of day it is due, where atSaid
	atSaid   bool
	missed   string
}

// lateness is how long after its time an event may still start a run as if in
// time; calendars are looked at every few minutes.
const lateness = 10 * time.Minute

// due is when an event is to be told of.
func (s *beforeSource) due(start time.Time) time.Time {
	due := start.Add(-s.lead.Duration)
	if s.lead.WorkingDays > 0 {
		due = s.days.AddWorkingDays(start, -s.lead.WorkingDays)
	}
	if s.atSaid {
		local := due.In(s.days.Zone)
		due = time.Date(local.Year(), local.Month(), local.Day(), int(s.at.Hours()), int(s.at.Minutes())%60, 0, 0,
			s.days.Zone)
	}
	return due
}

func (s *beforeSource) look(ctx context.Context, cursor json.RawMessage) ([]any, any, bool, error) {
	told := map[string]time.Time{}
	if cursor != nil {
		if err := json.Unmarshal(cursor, &told); err != nil {
			return nil, nil, false, err
		}
	}
	now := time.Now()
	// Working days are at most some weeks apart; a month more covers holidays.
	ahead := s.lead.Duration + time.Duration(s.lead.WorkingDays)*2*24*time.Hour + 31*24*time.Hour
	all, err := caldav.Events(ctx, s.kit, s.c, s.days.Zone, s.calendar, now, now.Add(ahead))
	if err != nil {
		return nil, nil, false, err
	}
	found := []any{}
	for _, e := range all {
		key := e.Calendar + " " + e.ID + " " + e.Start.UTC().Format(time.RFC3339)
		due := s.due(e.Start)
		if _, known := told[key]; known || due.After(now) || !e.Start.After(now) {
			continue
		}
		told[key] = e.Start
		if cursor == nil || s.missed == "skip" && now.Sub(due) > lateness {
			continue
		}
		found = append(found, eventFound{e, short(key), "", s.days.Zone})
	}
	if s.missed == "once" && len(found) > 1 {
		found = found[len(found)-1:]
	}
	for key, start := range told {
		if start.Before(now.Add(-48 * time.Hour)) {
			delete(told, key)
		}
	}
	return found, told, false, nil
}

func (s *beforeSource) signal(t flow.Trigger, found any) (*run.Signal, error) {
	return found.(eventFound).signal(t.Is.(*trigger.Calendar), "calendar.ahead"), nil
}
