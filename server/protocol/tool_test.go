package protocol_test

import (
	"context"
	"errors"
	"fmt"
	"html"
	"net/http"
	"net/http/httptest"
	"slices"
	"strings"
	"sync/atomic"
	"testing"
	"time"

	"woolsignal/core/flow"
	"woolsignal/server/testbed"
	"woolsignal/server/tool"
	"woolsignal/standin/almanac"
	"woolsignal/standin/register"
)

// catalogue builds the tools of one connection over a peer.
func catalogue(t *testing.T, connection string, peer http.Handler, files map[string]string) (tool.Catalogue, *tool.Kit,
	[]flow.Problem) {
	t.Helper()
	bed := testbed.Open(t, nil)
	kit := bed.Kit
	server := httptest.NewServer(peer)
	t.Cleanup(server.Close)
	all := map[string]string{"woolsignal.yaml": "name: Larkrigg\nzone: Europe/London\n",
		"connections/peer.yaml": "connection: peer\ntitle: Peer\nnetworks: [loopback]\n" +
			strings.ReplaceAll(connection, "URL", server.URL)}
	for path, text := range files {
		all[path] = strings.ReplaceAll(text, "SERVER", server.URL)
	}
	w, problems := flow.Decode(all)
	for _, name := range []string{"peer", "other"} {
		bed.Give(t, w, name, "peer-secret")
	}
	for _, p := range problems {
		t.Fatal(p)
	}
	c, problems := tool.Build(w, kit)
	return c, kit, problems
}

func TestCalendar(t *testing.T) {
	c, kit, _ := catalogue(t,
		"address: URL/depot/calendars\nauth:\n  basic: depot\ncaldav:\n  calendars: [dock-1, dock-2]\n",
		almanac.New("peer-secret"), nil)
	call := func(name, key string, again bool, args map[string]any) (map[string]any, error) {
		t.Helper()
		v, err := c.Call(context.Background(), kit, "peer/"+name, args, tool.Sending{Key: key, Again: again})
		m, _ := v.(map[string]any)
		return m, err
	}
	must := func(m map[string]any, err error) map[string]any {
		t.Helper()
		if err != nil {
			t.Fatal(err)
		}
		return m
	}
	windows := func(args map[string]any) []string {
		t.Helper()
		var out []string
		for _, w := range must(call("free_windows", "", false, args))["windows"].([]any) {
			one := w.(map[string]any)
			out = append(out, fmt.Sprintf("%v %s-%s", one["calendar"], one["start"].(string)[11:16],
				one["end"].(string)[11:16]))
		}
		return out
	}
	// The last Sunday of March: the clocks go forward at 01:00, and a local
	// time is local on either side of it.
	booked := must(call("add_event", "k1", false,
		map[string]any{"calendar": "dock-1", "start": "2026-03-29T09:00", "minutes": int64(30),
			"title": "Hollin Bank"}))
	if booked["start"] != "2026-03-29T09:00:00+01:00" || booked["end"] != "2026-03-29T09:30:00+01:00" {
		t.Errorf("booked %v", booked)
	}
	again := must(call("add_event", "k1", true,
		map[string]any{"calendar": "dock-1", "start": "2026-03-29T09:00", "minutes": int64(30),
			"title": "Hollin Bank"}))
	if again["id"] != booked["id"] {
		t.Errorf("the same call sent again booked %v beside %v", again["id"], booked["id"])
	}
	var refused *tool.RefusedError
	if _, err := call("add_event", "k2", false,
		map[string]any{"calendar": "dock-1", "start": "2026-03-29T09:15", "minutes": int64(30),
			"title": "Skell Top"}); !errors.As(err, &refused) ||
		!strings.Contains(err.Error(), "already taken from 09:00 to 09:30 (Hollin Bank)") {
		t.Errorf("a double booking: %v", err)
	}
	must(call("add_event", "k3", false, map[string]any{"calendar": "dock-1", "start": "2026-03-29T09:30",
		"minutes": int64(60), "title": "Skell Top"}))
	if got, want := windows(map[string]any{"day": "2026-03-29", "minutes": int64(60), "earliest": "08:00",
		"latest": "12:00"}), []string{"dock-1 08:00-09:00", "dock-1 10:30-12:00",
		"dock-2 08:00-12:00"}; !slices.Equal(got, want) {
		t.Errorf("free windows %v, want %v", got, want)
	}
	if got := windows(map[string]any{"day": "2026-03-29", "minutes": int64(300), "calendar": "dock-1",
		"latest": "12:00"}); got != nil {
		t.Errorf("five free hours on a half-booked morning: %v", got)
	}
	moved := must(call("move_event", "k4", false, map[string]any{"id": booked["id"], "start": "2026-03-29T11:00"}))
	if moved["end"] != "2026-03-29T11:30:00+01:00" {
		t.Errorf("moved %v", moved)
	}
	if _, err := call("move_event", "k5", false,
		map[string]any{"id": booked["id"], "start": "2026-03-29T10:00"}); !errors.As(err, &refused) {
		t.Errorf("moving onto another event: %v", err)
	}
	events := must(call("list_events", "", false,
		map[string]any{"from": "2026-03-29", "to": "2026-03-29", "text": "hollin"}))["events"].([]any)
	if len(events) != 1 {
		t.Errorf("%d events speak of hollin", len(events))
	}
	must(call("remove_event", "k6", false, map[string]any{"id": booked["id"]}))
	must(call("remove_event", "k6", true, map[string]any{"id": booked["id"]}))
	for name, args := range map[string]map[string]any{
		"remove_event": {"id": "ws-nosuch"}, "move_event": {"id": "ws-nosuch", "start": "2026-03-29T11:00"},
		"free_windows": {"day": "Thursday"}, "add_event": {"start": "noon", "title": "x"},
	} {
		if _, err := call(name, "k7", false, args); !errors.As(err, &refused) {
			t.Errorf("%s %v: %v", name, args, err)
		}
	}
}

// Two connections that lead to one calendar count as one.
func TestTwoBookingsAtOnceTakeOneGap(t *testing.T) {
	const dock = "auth:\n  basic: depot\ncaldav:\n  calendars: [dock-1]\n"
	c, kit, _ := catalogue(t, "address: URL/depot/calendars\n"+dock, almanac.New("peer-secret"),
		map[string]string{"connections/other.yaml": "connection: other\ntitle: Other\nnetworks: [loopback]\n" +
			"address: SERVER/depot/calendars\n" + dock})
	results := make(chan error)
	for i := range 16 {
		go func() {
			_, err := c.Call(context.Background(), kit, []string{"peer", "other"}[i%2]+"/add_event",
				map[string]any{"start": "2026-11-26T09:00", "minutes": int64(30), "title": "x"},
				tool.Sending{Key: fmt.Sprint(i)})
			results <- err
		}()
	}
	booked := 0
	for range 16 {
		if <-results == nil {
			booked++
		}
	}
	if booked != 1 {
		t.Errorf("%d of sixteen got the same half hour", booked)
	}
}

// quicker is a calendar where somebody else fills a gap between our look and
// our writing, when told to.
type quicker struct {
	http.Handler
	theirs string // the event's text; "" where nobody does
}

func (q *quicker) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	if text := q.theirs; text != "" && r.Method == http.MethodPut {
		q.theirs = ""
		theirs := httptest.NewRequest(http.MethodPut, "/depot/calendars/dock-1/theirs.ics", strings.NewReader(text))
		theirs.Header = r.Header.Clone()
		theirs.Header.Del("If-Match")
		q.Handler.ServeHTTP(httptest.NewRecorder(), theirs)
	}
	q.Handler.ServeHTTP(w, r)
}

func TestABookingGivesWayToOneWrittenMeanwhile(t *testing.T) {
	q := &quicker{Handler: almanac.New("peer-secret")}
	c, kit, _ := catalogue(t, "address: URL/depot/calendars\nauth:\n  basic: depot\ncaldav:\n  calendars: [dock-1]\n",
		q, nil)
	call := func(name string, args map[string]any) (map[string]any, error) {
		v, err := c.Call(context.Background(), kit, "peer/"+name, args, tool.Sending{Key: fmt.Sprint(args)})
		m, _ := v.(map[string]any)
		return m, err
	}
	theirs := func(hour int) string {
		return fmt.Sprintf("BEGIN:VCALENDAR\r\nVERSION:2.0\r\nPRODID:-//Elsewhere//EN\r\nBEGIN:VEVENT\r\n"+
			"UID:theirs\r\nDTSTAMP:20261101T000000Z\r\nDTSTART:20261126T%02d0000Z\r\n"+
			"DURATION:PT1H\r\nSUMMARY:Theirs\r\nEND:VEVENT\r\nEND:VCALENDAR\r\n", hour)
	}
	held := func() (out []string) {
		all, err := call("list_events", map[string]any{"from": "2026-11-26", "to": "2026-11-26"})
		if err != nil {
			t.Fatal(err)
		}
		for _, e := range all["events"].([]any) {
			one := e.(map[string]any)
			out = append(out, one["title"].(string)+" "+one["start"].(string)[11:16])
		}
		return out
	}
	ours := map[string]any{"start": "2026-11-26T09:15", "minutes": int64(30), "title": "Ours"}
	q.theirs = theirs(9)
	if _, err := call("add_event", ours); err == nil || !strings.Contains(err.Error(), "already taken") ||
		!slices.Equal(held(), []string{"Theirs 09:00"}) {
		t.Errorf("a booking: %v, and the day holds %v", err, held())
	}
	ours["start"] = "2026-11-26T12:00"
	booked, err := call("add_event", ours)
	if err != nil {
		t.Fatal(err)
	}
	q.theirs = theirs(14)
	if _, err := call("move_event", map[string]any{"id": booked["id"], "start": "2026-11-26T14:15"}); err == nil ||
		!slices.Equal(held(), []string{"Ours 12:00", "Theirs 14:00"}) {
		t.Errorf("a move: %v, and the day holds %v", err, held())
	}
}

const apiConnection = "address: URL\nauth:\n  header: X-Register-Key\nopenapi:\n  description: schemas/api.json\n"

func TestAPIDescriptionBecomesTools(t *testing.T) {
	c, kit, problems := catalogue(t, apiConnection, register.New("peer-secret"),
		map[string]string{"schemas/api.json": register.Description})
	if len(problems) != 0 {
		t.Fatal(problems)
	}
	add, _ := c.Find("peer/add_delivery")
	list, _ := c.Find("peer/list_deliveries")
	kg, _ := add.Input["properties"].(map[string]any)["kg"].(map[string]any)
	if add.Resend != flow.ResendKey || add.ReadOnly || !list.ReadOnly || list.Resend != flow.ResendSafe ||
		kg["exclusiveMinimum"] != 0.0 || kg["minimum"] != nil {
		t.Errorf("add %+v, list %+v", add, list)
	}
	args := map[string]any{"grower": "Hollin Bank", "kg": 381.5, "lane": "clean"}
	var ids []any
	for range 2 {
		v, err := c.Call(context.Background(), kit, "peer/add_delivery", args, tool.Sending{Key: "k1"})
		if err != nil {
			t.Fatal(err)
		}
		ids = append(ids, v.(map[string]any)["id"])
	}
	if ids[0] != ids[1] {
		t.Errorf("one call sent twice made the rows %v", ids)
	}
	v, err := c.Call(context.Background(), kit, "peer/list_deliveries", map[string]any{"grower": "Hollin Bank"},
		tool.Sending{})
	if err != nil || len(v.(map[string]any)["deliveries"].([]any)) != 1 {
		t.Errorf("listed %v, %v", v, err)
	}
	var refused *tool.RefusedError
	if _, err := c.Call(context.Background(), kit, "peer/add_delivery",
		map[string]any{"grower": "Nowhere", "kg": 1.0, "lane": "x"}, tool.Sending{Key: "k2"}); !errors.As(err,
		&refused) || !strings.Contains(err.Error(), `no grower is called "Nowhere"`) {
		t.Errorf("a plain no: %v", err)
	}
}

func TestWhatACallMayHaveDoneIsNeverGuessed(t *testing.T) {
	var status atomic.Int64
	peer := http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if status.Load() == 0 {
			panic(http.ErrAbortHandler)
		}
		w.WriteHeader(int(status.Load()))
		fmt.Fprintf(w, `{"detail": "echo %s"}`, r.Header.Get("X-Register-Key"))
	})
	bare := strings.ReplaceAll(register.Description, `"Idempotency-Key"`, `"X-Nothing"`)
	c, kit, _ := catalogue(t, apiConnection, peer, map[string]string{"schemas/api.json": bare})
	if add, _ := c.Find("peer/add_delivery"); add.Resend != flow.ResendNever {
		t.Fatalf("a POST without a key is sent again as %s", add.Resend)
	}
	args := map[string]any{"grower": "Hollin Bank", "kg": 1.0, "lane": "clean"}
	var uncertain *tool.UncertainError
	for _, answered := range []int64{0, 500, 429} {
		status.Store(answered)
		_, err := c.Call(context.Background(), kit, "peer/add_delivery", args, tool.Sending{})
		if errors.As(err, &uncertain) == (answered == 429) {
			t.Errorf("answered %d: %v", answered, err)
		}
		if err == nil || strings.Contains(err.Error(), "peer-secret") {
			t.Errorf("the secret echoes in %v", err)
		}
	}
}

func TestBrokenDescriptions(t *testing.T) {
	one := func(operation string) string {
		return `{"openapi":"3.0.3","info":{"title":"x","version":"1"},"paths":{"/a":{"post":` + operation + `}}}`
	}
	for name, c := range map[string]struct{ text, says string }{
		"no description": {"{}", "no OpenAPI 3 description"},
		"the older form": {`{"swagger":"2.0","info":{"title":"x","version":"1"},"paths":{}}`,
			"no OpenAPI 3 description"},
		"paths as list": {`{"openapi":"3.0.3","info":{"title":"x","version":"1"},"paths":["/a"]}`, "cannot be read"},
		"outside refs": {one(`{"operationId":"a","parameters":[{"$ref":"file:///etc/passwd"}],"responses":{}}`),
			"cannot be read"},
		"missing ref": {one(`{"operationId":"a",
		 "requestBody":{"content":{"application/json":{"schema":{"$ref":"#/components/schemas/None"}}}},
		 "responses":{}}`),
			"cannot be read"},
		"a twin": {`{"openapi":"3.0.3","info":{"title":"x","version":"1"},
		 "paths":{"/a":{"get":{"operationId":"a","responses":{}}},"/b":{"get":{"operationId":"a","responses":{}}}}}`,
			"two operations called a"},
		"too large":      {strings.Repeat(" ", 20<<20) + register.Description, "the most is 20 MB"},
		"unknown wanted": {register.Description, "no operation burn_everything"},
		"no operations":  {`{"openapi":"3.1.0","info":{"title":"x","version":"1"},"paths":{}}`, "names no operation"},
	} {
		connection := apiConnection
		if name == "unknown wanted" {
			connection += "  offer: [burn_everything]\n"
		}
		if _, _, problems := catalogue(t, connection, http.NotFoundHandler(),
			map[string]string{"schemas/api.json": c.text}); len(problems) != 1 ||
			!strings.Contains(problems[0].What, c.says) {
			t.Errorf("%s: %v, want %q", name, problems, c.says)
		}
	}
}

func TestOperationsWithoutANameAreCalledByTheirPath(t *testing.T) {
	text := `{"openapi":"3.1.0","info":{"title":"x","version":"1"},
	 "paths":{"/growers/{name}/lots":{"get":{
	 "parameters":[{"name":"name","in":"path","required":true,"schema":{"type":"string"}}],
	 "responses":{}}},"/a":{"get":{"operationId":"all things","responses":{}}}}}`
	c, _, problems := catalogue(t, apiConnection, http.NotFoundHandler(), map[string]string{"schemas/api.json": text})
	if c["peer/get_growers_name_lots"] == nil || c["peer/all_things"] == nil {
		t.Errorf("%v %v", c, problems)
	}
}

// TestSchemasThatGrowEnd reads a few lines that name each other many times over:
// put in place, they would be ten to the ninth schemas.
func TestSchemasThatGrowEnd(t *testing.T) {
	var parts []string
	for level := range 9 {
		var fields []string
		for n := range 10 {
			fields = append(fields, fmt.Sprintf(`"f%d":{"$ref":"#/components/schemas/L%d"}`, n, level+1))
		}
		parts = append(parts, fmt.Sprintf(`"L%d":{"type":"object","properties":{%s}}`, level,
			strings.Join(fields, ",")))
	}
	text := `{"openapi":"3.0.3","info":{"title":"x","version":"1"},"paths":{"/a":{"post":{"operationId":"a",
	 "requestBody":{"content":{"application/json":{"schema":{"$ref":"#/components/schemas/L0"}}}},
	 "responses":{"200":{"description":"x"}}}}},
		"components":{"schemas":{` + strings.Join(parts, ",") + `,"L9":{"type":"string"}}}}`
	c, _, problems := catalogue(t, apiConnection, http.NotFoundHandler(), map[string]string{"schemas/api.json": text})
	if len(problems) != 0 || len(c["peer/a"].Input["properties"].(map[string]any)) != 10 {
		t.Errorf("%v %.300v", problems, c["peer/a"].Input["properties"])
	}
}

// TestCalendarsThatCannotBeRead insists that a calendar with anything
// unreadable in it is said to be so: a booking must not be made past it.
func TestCalendarsThatCannotBeRead(t *testing.T) {
	event := func(lines string) string {
		return "BEGIN:VCALENDAR\r\nVERSION:2.0\r\nPRODID:-//Larkrigg//EN\r\n" + lines + "END:VCALENDAR\r\n"
	}
	inside := func(lines string) string {
		return event("BEGIN:VEVENT\r\nUID:u1\r\nDTSTAMP:20261101T000000Z\r\nSUMMARY:Shearing\r\n" + lines +
			"END:VEVENT\r\n")
	}
	for name, c := range map[string]struct{ ics, says string }{
		"no start":          {inside(""), "Shearing"},
		"a start in words":  {inside("DTSTART:next Thursday\r\n"), "Shearing"},
		"the 31st of April": {inside("DTSTART:20260431T090000Z\r\n"), "Shearing"},
		"an unknown zone":   {inside("DTSTART;TZID=Larkrigg/Fells:20261126T090000\r\nDURATION:PT30M\r\n"), "Shearing"},
		"an endless rule":   {inside("DTSTART:20261126T090000Z\r\nDURATION:PT30M\r\nRRULE:FREQ=NEVER\r\n"), "Shearing"},
		"cut off":           {inside("DTSTART:20261126T090000Z\r\n")[:90], "reading the calendar dock-1"},
		"a line of no form": {"0;0=", "is malformed"},
		"a page":            {"<html>Sign in</html>", "reading the calendar dock-1"},
		"nothing":           {"", "reading the calendar dock-1"},
		"no multistatus":    {"-", "reading the calendar dock-1"},
		"next to never": {inside("DTSTART:20260101T000000Z\r\nDURATION:PT1H\r\n" +
			"RRULE:FREQ=HOURLY;INTERVAL=24;BYHOUR=1\r\n"), "Shearing"},
		"every second": {inside("DTSTART:20000101T000000Z\r\nDURATION:PT1S\r\nRRULE:FREQ=SECONDLY\r\n"),
			"Shearing"},
	} {
		peer := http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
			w.Header().Set("Content-Type", "application/xml")
			w.WriteHeader(http.StatusMultiStatus)
			if c.ics == "-" {
				fmt.Fprint(w, "<html><body>Sign in")
				return
			}
			fmt.Fprintf(w,
				`<?xml version="1.0"?><multistatus `+
					`xmlns="DAV:"><response><href>/depot/dock-1/u1.ics</href><propstat><prop><getetag>"1"</getetag>`+
					`<calendar-data xmlns="urn:ietf:params:xml:ns:caldav">%s</calendar-data></prop>`+
					`<status>HTTP/1.1 200 OK</status></propstat></response></multistatus>`, html.EscapeString(c.ics))
		})
		tools, kit, _ := catalogue(t, "address: URL/depot\nauth:\n  basic: depot\ncaldav:\n  calendars: [dock-1]\n",
			peer, nil)
		ctx, cancel := context.WithTimeout(context.Background(), 20*time.Second)
		_, err := tools.Call(ctx, kit, "peer/add_event",
			map[string]any{"start": "2026-11-26T09:00", "minutes": int64(30), "title": "x"}, tool.Sending{Key: "k"})
		if err == nil || !strings.Contains(err.Error(), c.says) || ctx.Err() != nil {
			t.Errorf("%s: %v, want %q", name, err, c.says)
		}
		cancel()
	}
}

func TestSchemasThatHoldThemselvesEnd(t *testing.T) {
	text := `{"openapi":"3.0.3","info":{"title":"x","version":"1"},"paths":{"/a":{"post":{"operationId":"a",
	 "requestBody":{"content":{"application/json":{"schema":{"$ref":"#/components/schemas/Node"}}}},
	 "responses":{"200":{"description":"x"}}}}},
		"components":{"schemas":{"Node":{"type":"object","properties":{"name":{"type":"string","nullable":true},
		 "next":{"$ref":"#/components/schemas/Node"}}}}}}`
	c, _, problems := catalogue(t, apiConnection, http.NotFoundHandler(), map[string]string{"schemas/api.json": text})
	if len(problems) != 0 {
		t.Fatal(problems)
	}
	name := c["peer/a"].Input["properties"].(map[string]any)["name"].(map[string]any)
	if fmt.Sprint(name["type"]) != "[string null]" {
		t.Errorf("a nullable text has the type %v", name["type"])
	}
}
