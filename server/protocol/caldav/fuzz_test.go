package caldav

import (
	"context"
	"strings"
	"testing"
	"time"

	"github.com/emersion/go-ical"
	"github.com/emersion/go-webdav/caldav"

	"woolsignal/core/fuzztest"
	"woolsignal/server/confined/confinedtest"
)

func TestMain(m *testing.M) { confinedtest.Main(m) }

// FuzzCalendar reads what a calendar server may hold, whoever put it there. Each
// event it gives begins before the end of the span that was asked for.
func FuzzCalendar(fuzzed *testing.F) {
	f := fuzztest.New(fuzzed)
	event := func(lines ...string) string {
		return "BEGIN:VCALENDAR\r\nVERSION:2.0\r\nPRODID:-//x//EN\r\nBEGIN:VEVENT\r\nUID:u\r\n" +
			"DTSTAMP:20261101T000000Z\r\n" +
			"DTSTART:20261126T090000Z\r\n" + strings.Join(lines, "\r\n") + "\r\nEND:VEVENT\r\nEND:VCALENDAR\r\n"
	}
	for _, seed := range []string{
		event("DURATION:PT30M", "RRULE:FREQ=WEEKLY;BYDAY=MO,XX;COUNT=-1"),
		event("RRULE:FREQ=YEARLY;BYMONTH=2;BYMONTHDAY=30"), event("RRULE:FREQ=SECONDLY"),
		event("DTEND:20201126T090000Z"), event("DURATION:-P100000W"), event("RDATE:00000000T000000Z"),
		event("RECURRENCE-ID:20261126T090000Z", "STATUS:CANCELLED"), event("ATTENDEE;CN=:mailto:"),
		strings.Repeat("BEGIN:VCALENDAR\r\n", 300), "BEGIN:VCALENDAR\r\nX" + strings.Repeat(";A=1", 1000) + ":1\r\n",
	} {
		f.Add(seed)
	}
	c := &calendars{zone: time.UTC, title: "Depot", confined: confinedtest.Pool(f)}
	from := time.Date(2026, 11, 1, 0, 0, 0, 0, time.UTC)
	f.Fuzz(func(t *testing.T, text string) {
		var cal *ical.Calendar
		err := tripping(func() (err error) { // as around the client, which reads so
			cal, err = ical.NewDecoder(strings.NewReader(text)).Decode()
			return err
		})
		if err != nil {
			return
		}
		found, err := c.occurrences(context.Background(), "dock-1", caldav.CalendarObject{Data: cal}, from,
			from.AddDate(0, 1, 0))
		if err != nil {
			return
		}
		for _, e := range found {
			if !e.start.Before(from.AddDate(0, 1, 0)) {
				t.Errorf("an event of %v is in a span it is not in", e.start)
			}
		}
	})
}
