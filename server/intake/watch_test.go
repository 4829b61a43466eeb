package intake

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"log/slog"
	"net"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"
	"time"

	"woolsignal/core/calendar"
	"woolsignal/core/flow"
	"woolsignal/core/run"
	"woolsignal/server/engine"
	"woolsignal/server/table"
	"woolsignal/server/testbed"
	"woolsignal/standin/almanac"
	"woolsignal/standin/gazette"
	"woolsignal/standin/loft"
	"woolsignal/standin/postbag"
)

// lookout is a workspace whose sources are real servers on loopback.
type lookout struct {
	t        *testing.T
	w        *Watches
	bed      *testbed.Bed
	at       map[string]string // addresses, by name
	listened func() []*run.Signal
}

func served(t *testing.T, h http.Handler) string {
	t.Helper()
	s := httptest.NewServer(h)
	t.Cleanup(s.Close)
	return s.URL
}

// lookouts makes a workspace with one workflow of one trigger.
func lookouts(t *testing.T, trigger string) *lookout {
	t.Helper()
	bag := postbag.New("pw")
	imap, smtp := bag.IMAP(), bag.SMTP()
	listen := func(serve func(net.Listener) error) string {
		l, err := net.Listen("tcp", "127.0.0.1:0")
		if err != nil {
			t.Fatal(err)
		}
		go func() { _ = serve(l) }() // it ends with the listener
		t.Cleanup(func() { l.Close() })
		return l.Addr().String()
	}
	shelf, err := loft.New(t.TempDir(), func(string, string) (int, string) { return http.StatusOK, "" })
	if err != nil {
		t.Fatal(err)
	}
	at := map[string]string{"bag": served(t, bag), "imap": listen(imap.Serve), "smtp": listen(smtp.Serve),
		"loft": served(t, shelf), "paper": served(t, gazette.New()), "almanac": served(t, almanac.New("pw"))}
	host := strings.TrimPrefix(at["paper"], "http://")
	bed := testbed.Open(t, map[string]string{
		"connections/mail.yaml": "connection: mail\ntitle: Mail\naddress: imap://" + at["imap"] +
			"\nauth: {basic: office@larkrigg.example}\nnetworks: [loopback]\n" +
			"mailbox: {email: office@larkrigg.example, smtp: smtp://" + at["smtp"] + "}\n",
		"connections/loft.yaml": "connection: loft\ntitle: Loft\naddress: " + at["loft"] +
			"/files\nnetworks: [loopback]\nwebdav: {}\n",
		"connections/paper.yaml": "connection: paper\ntitle: Paper\nnetworks: [loopback]\nweb: {hosts: ['" + host +
			"']}\n",
		"connections/almanac.yaml": "connection: almanac\ntitle: Almanac\naddress: " + at["almanac"] +
			"/depot/calendars\nauth: {basic: depot}\nnetworks: [loopback]\ncaldav: {calendars: [dock-1, sales]}\n",
		"tables/tests.yaml": "table: tests\ntitle: Tests\nunique: sample\ncolumns:\n  - {name: sample}\n" +
			"  - {name: microns, type: number}\n  - {name: notes}\n",
	})
	for _, name := range []string{"mail", "almanac"} {
		bed.Give(t, bed.Workspace.Now().Workspace, name, "pw")
	}
	log := slog.New(slog.DiscardHandler)
	e := engine.New(bed.Store, bed.Workspace, bed.Kit, bed.Secrets, bed.Scripts, log)
	t.Cleanup(func() { e.Stop(context.Background()) })
	l := &lookout{t: t, bed: bed, at: at,
		w: &Watches{Workspace: bed.Workspace, Engine: e, Store: bed.Store, Kit: bed.Kit,
			Secrets: bed.Secrets, Log: log}}
	files := bed.Workspace.Now().Files
	files["workflows/watch.yaml"] = "workflow: watch\ntitle: Watch\ntriggers:\n  - id: it\n    " +
		strings.ReplaceAll(trigger, "PAPER", at["paper"]) + "\nsteps:\n  - compute: {x: signal.subject}\n"
	bed.Add(t, files)
	l.listened = func() (out []*run.Signal) {
		t.Helper()
		rows, err := bed.Store.Read().Query("SELECT run FROM journal WHERE seq = 1 ORDER BY n")
		if err != nil {
			t.Fatal(err)
		}
		defer rows.Close()
		for rows.Next() {
			var id string
			if err := rows.Scan(&id); err != nil {
				t.Fatal(err)
			}
			state, err := e.Fold(context.Background(), id)
			if err != nil {
				t.Fatal(err)
			}
			out = append(out, state.Signal)
		}
		return out
	}
	return l
}

// look looks once at every source and gives the subjects of all signals so far.
func (l *lookout) look() string {
	l.t.Helper()
	for _, one := range l.w.all() {
		if _, err := l.w.guarded(context.Background(), one); err != nil && !strings.Contains(one.key, "odd") {
			l.t.Fatal(err)
		}
	}
	var out []string
	for _, s := range l.listened() {
		out = append(out, s.Subject)
	}
	return strings.Join(out, "|")
}

func (l *lookout) post(name, path string, body any) {
	l.t.Helper()
	data, ok := body.([]byte)
	if !ok {
		var err error
		if data, err = json.Marshal(body); err != nil {
			l.t.Fatal(err)
		}
	}
	response, err := http.Post(l.at[name]+path, "application/json", bytes.NewReader(data))
	if err != nil || response.StatusCode >= 300 {
		l.t.Fatalf("%s%s: %v %v", name, path, response, err)
	}
	response.Body.Close()
}

// sees insists on the subjects of all signals so far.
func (l *lookout) sees(want string) {
	l.t.Helper()
	if got := l.look(); got != want {
		l.t.Errorf("signals about %q, want %q", got, want)
	}
}

func TestMailsThatArrive(t *testing.T) {
	l := lookouts(t, "mail: {connection: mail, from: ['@hills.example'], has: [fleece], lacks: [spam]}")
	write := func(from, subject, text string) {
		l.post("bag", "/mails", map[string]any{"from": from, "to": "office@larkrigg.example", "subject": subject,
			"text": text})
	}
	write("a@hills.example", "Old fleece", "There before anybody looked.")
	l.sees("")
	write("a@hills.example", "Fleece on Friday", "Ten.")
	write("b@elsewhere.example", "Fleece too", "Not from a hill.")
	write("a@hills.example", "Hello", "No such word.")
	write("a@hills.example", "Fleece", "This is SPAM.")
	l.sees("Fleece on Friday")
	l.sees("Fleece on Friday") // looking again finds nothing new
	s := l.listened()[0]
	if s.Text != "Ten." || s.From["email"] != "a@hills.example" || s.Kind != "mail" || s.Thread == "" {
		t.Errorf("the signal is %+v", s)
	}
}

// TestAnItemThatEndsTheServiceIsLeftOut has reading one of two mails end the
// process twice: the other is read, and the mailbox goes on being looked at.
func TestAnItemThatEndsTheServiceIsLeftOut(t *testing.T) {
	l := lookouts(t, "mail: {connection: mail}")
	write := func(subject string) {
		l.post("bag", "/mails", map[string]any{"from": "a@hills.example", "to": "office@larkrigg.example",
			"subject": subject, "text": "Ten fleeces."})
	}
	l.sees("")
	write("One that ends us")
	write("Another")
	for range 2 {
		if err := l.w.Engine.Ended(context.Background(), "look mail mail INBOX arrived, item 1",
			"the stack overflowed"); err != nil {
			t.Fatal(err)
		}
	}
	if err := l.w.Engine.Start(context.Background()); err != nil {
		t.Fatal(err)
	}
	l.look()
	said := map[string]string{}
	for _, s := range l.listened() {
		said[s.Subject] = s.Text
	}
	if said["Another"] != "Ten fleeces." ||
		!strings.Contains(said["(this mail is not read)"], "ended the whole service 2 times (the stack overflowed)") {
		t.Errorf("the mails are %v", said)
	}
}

func TestMalformedMailsAreStillMails(t *testing.T) {
	l := lookouts(t, "mail: {connection: mail}")
	l.look()
	for _, raw := range []string{
		"Subject: no body",
		"no header at all\r\n\r\nwords",
		"Subject: =?nonsense?Q?x?=\r\nFrom: <<<>>>\r\nTo: @\r\n\r\nwords",
		"Subject: unknown set\r\nContent-Type: text/plain; charset=klingon\r\n\r\nwords",
		"Subject: broken base64\r\nContent-Type: text/plain\r\nContent-Transfer-Encoding: base64\r\n\r\n!!!!",
		"Subject: no boundary\r\nContent-Type: multipart/mixed\r\n\r\nwords",
		"Subject: open parts\r\nContent-Type: multipart/mixed; boundary=x\r\n\r\n--x\r\nContent-Type: text/plain\r\n" +
			"\r\nhalf",
		"Subject: a name\r\nContent-Type: text/plain\r\n" +
			"Content-Disposition: attachment; filename=\"../../etc/passwd\"\r\n\r\nroot",
		"Subject: nested\r\n" + strings.Repeat("Content-Type: multipart/mixed; boundary=x\r\n\r\n--x\r\n", 300),
		"Subject: \xff\xfe\r\n\r\n\xff\xfe",
	} {
		l.post("bag", "/mails", map[string]any{"to": "office@larkrigg.example", "raw": raw})
	}
	l.look()
	all := l.listened()
	if len(all) != 10 {
		t.Fatalf("%d of 10 mails were taken in", len(all))
	}
	for _, s := range all {
		for _, f := range s.Files {
			if strings.ContainsAny(f.Name, "/\\") {
				t.Errorf("a file is called %q", f.Name)
			}
		}
	}
}

func TestFilesThatAppear(t *testing.T) {
	l := lookouts(t, "file: {connection: loft, folder: incoming, name: '*.txt'}")
	l.post("loft", "/_put?path=incoming/old.txt", []byte("old"))
	l.sees("")
	l.post("loft", "/_put?path=incoming/new.txt", []byte("new"))
	l.post("loft", "/_put?path=incoming/new.png", []byte("no text"))
	l.post("loft", "/_put?path=elsewhere/new.txt", []byte("elsewhere"))
	l.sees("incoming/new.txt")
	f := l.listened()[0].Files[0]
	if data, err := l.bed.Store.Blob(context.Background(), f.Blob); err != nil || string(data) != "new" {
		t.Errorf("the file holds %q, %v", data, err)
	}
	l.post("loft", "/_put?path=incoming/new.txt", []byte("newer, and longer"))
	l.sees("incoming/new.txt|incoming/new.txt") // another file of the same name
}

func TestItemsOfAFeed(t *testing.T) {
	l := lookouts(t, "feed: {connection: paper, address: 'PAPER/feed.xml'}")
	l.sees("")
	l.post("paper", "/_publish", map[string]string{"Title": "Tups for sale", "Text": "Three of them."})
	l.post("paper", "/_publish", map[string]string{"Title": "Rain", "Text": "More."})
	l.sees("Tups for sale|Rain")
	l.sees("Tups for sale|Rain")
}

func TestRowsOfATable(t *testing.T) {
	l := lookouts(t, "row: {table: tests, happens: changed, columns: [sample, microns]}")
	rows := &table.Table{Of: l.bed.Workspace.Now().Tables["tests"], Store: l.bed.Store}
	ctx := context.Background()
	l.look()
	r, err := rows.Add(ctx, map[string]any{"sample": "FT-1", "microns": 29.5, "notes": "wide"}, "", "")
	if err != nil {
		t.Fatal(err)
	}
	l.sees("")
	for _, microns := range []float64{30, 30, 31} { // writing the same is no change
		if _, err := rows.Update(ctx, r.N, map[string]any{"microns": microns}, "", ""); err != nil {
			t.Fatal(err)
		}
	}
	l.sees("Tests, row 1|Tests, row 1")
	if got, _ := json.Marshal(l.listened()[1].Body); string(got) != `{"microns":31,"sample":"FT-1"}` {
		t.Errorf("the row that travels on is %s", got)
	}
}

func TestRowsAToolGives(t *testing.T) {
	l := lookouts(t, "row: {tool: tests/find, list: result.rows, unique: sample, happens: either, "+
		"columns: [sample, microns]}")
	rows := &table.Table{Of: l.bed.Workspace.Now().Tables["tests"], Store: l.bed.Store}
	add := func(sample string, microns float64) int64 {
		r, err := rows.Add(context.Background(), map[string]any{"sample": sample, "microns": microns}, "", "")
		if err != nil {
			t.Fatal(err)
		}
		return r.N
	}
	first := add("FT-1", 29)
	l.sees("")
	var connection, what string
	if err := l.bed.Store.Read().QueryRow("SELECT connection, what FROM looks").Scan(&connection, &what); err != nil ||
		connection != "tests" || what != "rows that tests/find gives" {
		t.Errorf("what is watched is %q of %q, %v", what, connection, err)
	}
	add("FT-2", 30)
	_, err := rows.Update(context.Background(), first, map[string]any{"notes": "of no interest"}, "", "")
	if err != nil {
		t.Fatal(err)
	}
	l.sees("FT-2")
	if _, err := rows.Update(context.Background(), first, map[string]any{"microns": 33.0}, "", ""); err != nil {
		t.Fatal(err)
	}
	l.sees("FT-2|FT-1")
}

// event puts an event into the almanac.
func (l *lookout) event(calendar, id, title string, start time.Time, more string) {
	l.t.Helper()
	const form = "20060102T150405Z"
	text := fmt.Sprintf("BEGIN:VCALENDAR\r\nVERSION:2.0\r\nPRODID:x\r\nBEGIN:VEVENT\r\nUID:%s\r\n"+
		"DTSTAMP:20260101T000000Z\r\nDTSTART:%s\r\nDTEND:%s\r\nSUMMARY:%s\r\n%sEND:VEVENT\r\nEND:VCALENDAR\r\n",
		id, start.UTC().Format(form), start.Add(time.Hour).UTC().Format(form), title, more)
	request, err := http.NewRequest(http.MethodPut, l.at["almanac"]+"/depot/calendars/"+calendar+"/"+id+".ics",
		strings.NewReader(text))
	if err != nil {
		l.t.Fatal(err)
	}
	request.Header.Set("Content-Type", "text/calendar")
	request.SetBasicAuth("depot", "pw")
	response, err := http.DefaultClient.Do(request)
	if err != nil || response.StatusCode >= 300 {
		l.t.Fatal(response, err)
	}
	response.Body.Close()
}

func TestEventsThatChange(t *testing.T) {
	l := lookouts(t, "calendar: {connection: almanac, calendar: dock-1, changed: true, has: [collection]}")
	soon := time.Now().Add(48 * time.Hour).Truncate(time.Second)
	l.event("dock-1", "e1", "Collection of lot 14", soon,
		"ATTENDEE;PARTSTAT=NEEDS-ACTION:mailto:owen@larkrigg.example\r\n")
	l.sees("")
	changes := func() string {
		l.look()
		var out []string
		for _, s := range l.listened() {
			out = append(out, s.Body.(map[string]any)["change"].(string))
		}
		return strings.Join(out, " ")
	}
	l.event("dock-1", "e2", "A visit", soon, "")
	l.event("dock-1", "e1", "Collection of lot 14", soon, "ATTENDEE;PARTSTAT=ACCEPTED:mailto:owen@larkrigg.example\r\n")
	if got := changes(); got != "guests" {
		t.Errorf("an answer: %s", got)
	}
	l.event("dock-1", "e1", "Collection of lot 14", soon.Add(time.Hour),
		"ATTENDEE;PARTSTAT=ACCEPTED:mailto:owen@larkrigg.example\r\n")
	l.event("dock-1", "e3", "Another collection", soon, "RRULE:FREQ=WEEKLY;COUNT=2\r\n")
	if got := changes(); got != "guests moved added added" && got != "guests added moved added" {
		t.Errorf("moved, and one that repeats: %s", got)
	}
}

func TestSomeTimeBeforeAnEvent(t *testing.T) {
	l := lookouts(t, "calendar: {connection: almanac, calendar: dock-1, before: 1d}")
	l.event("dock-1", "known", "Known already", time.Now().Add(2*time.Hour), "")
	l.sees("")
	l.event("dock-1", "far", "Far away", time.Now().Add(72*time.Hour), "")
	l.event("dock-1", "near", "Near", time.Now().Add(3*time.Hour), "")
	l.event("dock-1", "past", "Past", time.Now().Add(-3*time.Hour), "")
	l.sees("Near")
	l.event("dock-1", "near", "Near", time.Now().Add(5*time.Hour), "") // put off: told of again
	l.sees("Near|Near")
	l.sees("Near|Near")
}

func TestWorkingDaysBeforeAnEvent(t *testing.T) {
	zone, err := time.LoadLocation("Europe/London")
	if err != nil {
		t.Fatal(err)
	}
	at := func(s string) time.Time {
		v, err := time.ParseInLocation("2006-01-02 15:04", s, zone)
		if err != nil {
			t.Fatal(err)
		}
		return v
	}
	days := calendar.Calendar{Zone: zone, Holidays: map[string]bool{"2026-12-25": true, "2026-12-28": true}}
	for start, want := range map[string]string{
		"2026-12-04 10:00": "2026-12-02 08:00", // Friday → Wednesday
		"2026-12-07 10:00": "2026-12-03 08:00", // Monday → Thursday
		"2026-12-29 10:00": "2026-12-23 08:00", // over the holidays
		"2026-03-30 10:00": "2026-03-26 08:00", // over the change of the clocks
	} {
		s := &beforeSource{days: days, lead: flow.Span{WorkingDays: 2}, at: 8 * time.Hour, atSaid: true}
		if got := s.due(at(start)); !got.Equal(at(want)) {
			t.Errorf("two working days before %s: %s, want %s", start, got, want)
		}
	}
}

func TestASourceThatDoesNotAnswerIsToldOfAndTriedAgain(t *testing.T) {
	l := lookouts(t, "mail: {connection: mail}")
	l.look()
	l.post("bag", "/_misbehave", map[string]any{"match": "IMAP LOGIN", "times": 1, "status": 500})
	one := l.w.all()[0]
	if _, err := l.w.once(context.Background(), one); err == nil {
		t.Fatal("a mailbox that refuses was looked at")
	}
	var failures int
	var problem string
	if err := l.bed.Store.Read().QueryRow("SELECT failures, problem FROM looks WHERE source = ?",
		one.key).Scan(&failures, &problem); err != nil || failures != 1 || problem == "" {
		t.Errorf("%d failures, %q, %v", failures, problem, err)
	}
	l.post("bag", "/mails", map[string]any{"from": "a@hills.example", "to": "office@larkrigg.example",
		"subject": "Meanwhile"})
	l.sees("Meanwhile") // nothing was lost
}

func TestOneSourceOfManyTriggersIsLookedAtOnce(t *testing.T) {
	l := lookouts(t, "mail: {connection: mail, has: [one]}")
	files := l.bed.Workspace.Now().Files
	files["workflows/other.yaml"] = "workflow: other\ntitle: Other\ntriggers:\n  - id: it\n" +
		"    mail: {connection: mail, has: [two], every: 5s}\nsteps:\n  - compute: {x: signal.subject}\n"
	l.bed.Add(t, files)
	if all := l.w.all(); len(all) != 1 || len(all[0].listeners) != 2 || all[0].every != 5*time.Second {
		t.Fatalf("%d sources", len(all))
	}
	l.look()
	l.post("bag", "/mails", map[string]any{"from": "a@hills.example", "to": "office@larkrigg.example",
		"subject": "one and two"})
	l.sees("one and two|one and two")
}
