package intake

import (
	"context"
	"fmt"
	"html"
	"net/http"
	"strings"
	"sync/atomic"
	"testing"

	"woolsignal/server/testbed"
)

// tripping is a calendar that trips the reader of calendars up.
const tripping = "BEGIN:VCALENDAR\r\nVERSION:2.0\r\nPRODID:x\r\nBEGIN:VEVENT\r\nUID:u1\r\n" +
	"DTSTART:20261126T090000Z\r\nATTENDEE;CN=\"Ines \"the clip\" Faro\":mailto:ines@larkrigg.example\r\n" +
	"END:VEVENT\r\nEND:VCALENDAR\r\n"

// A source that trips a reader of ours up fails with a plain reason, as often
// as it is looked at, and the other sources are looked at all the same. One
// that ended the whole process twice is left alone until a file is changed.
func TestASourceThatTripsAReaderUpFails(t *testing.T) {
	var looks atomic.Int32
	calendar := served(t, http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) {
		looks.Add(1)
		w.Header().Set("Content-Type", "application/xml")
		w.WriteHeader(http.StatusMultiStatus)
		fmt.Fprintf(w,
			`<?xml version="1.0"?><multistatus `+
				`xmlns="DAV:"><response><href>/depot/dock-1/u1.ics</href><propstat><prop><getetag>"1"</getetag>`+
				`<calendar-data xmlns="urn:ietf:params:xml:ns:caldav">%s</calendar-data></prop>`+
				`<status>HTTP/1.1 200 OK</status></propstat></response></multistatus>`, html.EscapeString(tripping))
	}))
	l := lookouts(t, "row: {table: tests, happens: added}")
	files := l.bed.Workspace.Now().Files
	files["connections/odd.yaml"] = "connection: odd\ntitle: Odd\naddress: " + calendar +
		"/depot\nnetworks: [loopback]\ncaldav: {calendars: [dock-1]}\n"
	files["workflows/dates.yaml"] = "workflow: dates\ntitle: Dates\ntriggers:\n  - id: it\n" +
		"    calendar: {connection: odd, calendar: dock-1, changed: true, every: 5m}\nsteps:\n" +
		"  - compute: {x: signal.subject}\n"
	l.bed.Add(t, files)
	problem := func() (text string) {
		t.Helper()
		if err := l.bed.Store.Read().QueryRow("SELECT problem FROM looks WHERE source LIKE 'changes odd%'").
			Scan(&text); err != nil {
			t.Fatal(err)
		}
		return text
	}
	for range 3 {
		l.look()
		if got := problem(); !strings.Contains(got, "the service itself went wrong over this") {
			t.Errorf("what is said of it: %s", got)
		}
	}
	addRow(t, l.bed, "FT-1")
	l.sees("Tests, row 1")
	before := looks.Load()
	for range 2 {
		if err := l.w.Engine.Ended(context.Background(), "look changes odd dock-1",
			"the stack overflowed"); err != nil {
			t.Fatal(err)
		}
	}
	if err := l.w.Engine.Start(context.Background()); err != nil {
		t.Fatal(err)
	}
	l.look()
	if got := problem(); looks.Load() != before ||
		!strings.Contains(got, "ended the whole service 2 times (the stack overflowed)") {
		t.Errorf("looked at %d times more, and it says: %s", looks.Load()-before, got)
	}
	if err := l.w.Engine.Retry(context.Background(), lookWork); err != nil {
		t.Fatal(err)
	}
	if l.look(); looks.Load() == before {
		t.Error("it is not looked at again after a file was changed")
	}
}

func addRow(t *testing.T, bed *testbed.Bed, sample string) {
	t.Helper()
	if _, err := rowsOf(bed).Add(context.Background(), map[string]any{"sample": sample}, "", ""); err != nil {
		t.Fatal(err)
	}
}
