package e2e_test

import (
	"bytes"
	"encoding/json"
	"io"
	"mime"
	"net/http"
	"net/url"
	"regexp"
	"slices"
	"strings"
	"testing"

	"woolsignal/core/expr"
	"woolsignal/core/schema"
	"woolsignal/e2e/harness"
	"woolsignal/server/api"
	"woolsignal/server/audit"
	"woolsignal/standin/postbag"
	"woolsignal/standin/shieling"
	"woolsignal/wire"
)

// described holds what the service answers against what it says of itself.
type described struct {
	t      *testing.T
	url    string
	token  string
	doc    map[string]any
	routes []api.Route
	called map[string]bool
	paths  map[string]string // the address last called, by method and pattern
}

func describedBy(t *testing.T, base, token string) *described {
	d := &described{t: t, url: base + "/api/v1", token: token, routes: (&api.API{}).Routes(), called: map[string]bool{},
		paths: map[string]string{}}
	response, err := http.Get(d.url + "/openapi.json")
	if err != nil {
		t.Fatal(err)
	}
	defer response.Body.Close()
	data, err := io.ReadAll(response.Body)
	if err != nil {
		t.Fatal(err)
	}
	doc, err := expr.DecodeJSON(data)
	if err != nil {
		t.Fatal(err)
	}
	d.doc = doc.(map[string]any)
	return d
}

// route finds the description of an address.
func (d *described) route(method, path string) (string, map[string]any) {
	d.t.Helper()
	for _, r := range d.routes {
		pattern := regexp.MustCompile(`^` +
			regexp.MustCompile(`\{\w+\}`).ReplaceAllString(regexp.QuoteMeta(r.Path), "") + `$`)
		if strings.Contains(r.Path, "{") {
			pattern = regexp.MustCompile(`^` +
				regexp.MustCompile(`\\\{\w+\\\}`).ReplaceAllString(regexp.QuoteMeta(r.Path), `[^/]+`) + `$`)
		}
		if r.Method == method && pattern.MatchString(path) {
			item := d.doc["paths"].(map[string]any)[r.Path].(map[string]any)
			return r.Path, item[strings.ToLower(method)].(map[string]any)
		}
	}
	d.t.Fatalf("no route is %s %s", method, path)
	return "", nil
}

// call calls an address and gives what came back, once it is as described.
func (d *described) call(method, path string, body any) any {
	d.t.Helper()
	address, err := url.Parse(path)
	if err != nil {
		d.t.Fatal(err)
	}
	pattern, operation := d.route(method, address.Path)
	d.called[method+" "+pattern], d.paths[method+" "+pattern] = true, address.Path
	var in io.Reader
	if body != nil {
		data, err := json.Marshal(body)
		if err != nil {
			d.t.Fatal(err)
		}
		in = bytes.NewReader(data)
	}
	request, err := http.NewRequestWithContext(harness.Context(d.t), method, d.url+path, in)
	if err != nil {
		d.t.Fatal(err)
	}
	if d.token != "" {
		request.Header.Set("Authorization", "Bearer "+d.token)
	}
	response, err := http.DefaultClient.Do(request)
	if err != nil {
		d.t.Fatal(err)
	}
	defer response.Body.Close()
	return d.fits(method+" "+path, operation, response)
}

// fits holds one answer against its description.
func (d *described) fits(what string, operation map[string]any, response *http.Response) any {
	d.t.Helper()
	kind, _, _ := mime.ParseMediaType(response.Header.Get("Content-Type"))
	if kind == "text/event-stream" {
		return nil // it has no end
	}
	data, err := io.ReadAll(response.Body)
	if err != nil {
		d.t.Fatal(err)
	}
	if response.StatusCode >= 300 {
		d.t.Fatalf("%s: %s %s", what, response.Status, data)
	}
	responses := operation["responses"].(map[string]any)
	answer, ok := responses[response.Status[:3]].(map[string]any)
	if !ok {
		d.t.Errorf("%s answers %s, which is not described", what, response.Status)
		return nil
	}
	content, _ := answer["content"].(map[string]any)
	if len(data) == 0 && content == nil {
		return nil
	}
	media, ok := content[kind].(map[string]any)
	if !ok {
		d.t.Errorf("%s answers %s, and %v is described", what, kind, content)
		return nil
	}
	wanted, _ := media["schema"].(map[string]any)
	if wanted == nil {
		return nil
	}
	got, err := expr.DecodeJSON(data)
	if err != nil {
		d.t.Fatalf("%s: %v in %s", what, err, data)
	}
	compiled, err := schema.Compile(map[string]any{"allOf": []any{wanted}, "components": d.doc["components"]})
	if err != nil {
		d.t.Fatal(err)
	}
	if err := compiled.Validate(got); err != nil {
		d.t.Errorf("%s is not as described: %v", what, err)
	}
	return got
}

// field gives a text at a path of an answer.
func field(v any, path ...any) string {
	for _, p := range path {
		switch p := p.(type) {
		case string:
			v = v.(map[string]any)[p]
		case int:
			v = v.([]any)[p]
		}
	}
	return expr.Text(v)
}

// Every address answers as the description says: its status, its content type,
// and a body that fits.
func TestEveryRouteAnswersAsDescribed(t *testing.T) {
	t.Parallel()
	const get, post, put, del = http.MethodGet, http.MethodPost, http.MethodPut, http.MethodDelete
	fresh := harness.Start(t, t.TempDir(), "serve")
	link := regexp.MustCompile(`http://\S+/join\?key=(\S+)`).FindStringSubmatch(fresh.Output())
	if link == nil {
		t.Fatal("nobody is invited")
	}
	j := describedBy(t, fresh.URL, "")
	j.call(post, "/join", map[string]any{"key": link[1], "email": "owner@larkrigg.example", "name": "Owner",
		"password": "a long password"})

	s := harness.Demo(t)
	elin := s.Person("Elin")
	d := describedBy(t, s.URL, elin.Token)
	d.called["POST /join"] = true
	d.call(get, "/openapi.json", nil)
	d.call(post, "/session", map[string]any{"email": elin.Email, "password": elin.Password})
	d.call(post, "/tokens", map[string]any{"email": elin.Email, "password": elin.Password})
	for _, path := range []string{"/session", "/workflows", "/workflows/depot-slots", "/on", "/backup", "/language",
		"/schemas/workflow.json", "/live",
		"/connections", "/connections/depot-calendar", "/tools", "/tools?text=add&limit=3", "/tables",
		"/tables/mishaps/rows?limit=5", "/tables/fibre-tests/csv",
		"/files", "/people", "/bin", "/workflows/depot-slots/versions", "/workflows/depot-slots/diff",
		"/workflows/depot-slots/samples", "/reviews?decided=true"} {
		d.call(get, path, nil)
	}
	book(t, s, "t1")
	asked := s.Talk("t1", "Cancel it")
	said := d.call(post, "/workflows/depot-slots/chat", map[string]any{"thread": "t9", "text": "hello"})
	d.call(get, "/workflows/depot-slots/chat/t9", nil)
	d.call(get, "/runs?limit=3&workflow=depot-slots", nil)
	d.call(get, "/runs/"+asked.ID, nil)
	d.call(get, "/runs/"+asked.ID+"/journal", nil)
	d.call(get, "/reviews", nil)
	review := s.OpenReview(asked).ID
	d.call(get, "/reviews/"+review, nil)
	d.call(post, "/reviews/"+review, map[string]any{"choice": "approve"})
	d.call(get, "/today", nil)
	comesBack(t, s)
	d.call(del, "/follow-ups/"+field(d.call(get, "/follow-ups", nil), "follow_ups", 0, "id"), nil)
	keepsFact(t, s, "The ford floods in June.")
	fact := field(d.call(get, "/facts", nil), "facts", 0, "id")
	d.call(put, "/facts/"+fact, map[string]any{"said": "", "fact": "The ford floods in November."})
	d.call(del, "/facts/"+fact, nil)

	started := field(d.call(post, "/workflows/payout-week/runs",
		map[string]any{"inputs": map[string]any{"price_per_kg": 2}}), "run")
	if _, err := s.As("Elin").Settled(harness.Context(t), started); err != nil {
		t.Fatal(err)
	}
	d.call(post, "/runs/"+started+"/stop", map[string]any{"note": "not now"})
	d.call(post, "/runs/"+field(said, "run")+"/again", map[string]any{})
	d.call(post, "/again", map[string]any{"runs": []string{field(said, "run")}})
	d.call(post, "/workflows/depot-slots/try",
		map[string]any{"step": "1", "given": map[string]any{"answer": map[string]any{"text": "x"},
			"signal": map[string]any{"id": "s", "kind": "chat", "source": "/console/x", "thread": "t", "text": "x"}}})
	d.call(put, "/workflows/depot-slots/samples/hello", map[string]any{"signal": map[string]any{"text": "hello"}})
	d.call(put, "/workflows/depot-slots/samples/next", map[string]any{"next": true})

	files := d.call(get, "/files", nil)
	d.call(post, "/check", files)
	d.call(put, "/files", files)
	d.call(post, "/publish", map[string]any{"note": "as it is"})
	d.call(post, "/workflows/depot-slots/revert", map[string]any{"version": 1})
	d.call(put, "/workflows/depot-slots/on", map[string]any{"on": true})
	d.call(put, "/on", map[string]any{"on": true})
	d.call(post, "/workflows/mishap/rename", map[string]any{"to": "mishaps-told"})
	d.call(del, "/workflows/mishaps-told", nil)
	binned := d.call(get, "/bin", nil)
	d.call(post, "/bin/"+field(binned, 0, "n")+"/take-back", nil)

	d.call(put, "/connections/clip-register/secret", map[string]any{"secret": "another key for the register"})
	d.call(post, "/connections/depot-calendar/test", nil)
	d.call(post, "/connections/minutes/sign-in", nil)
	d.call(post, "/key", nil)
	d.call(get, "/tools/depot-calendar/add_event/choices/calendar", nil)
	row := field(d.call(post, "/tables/mishaps/rows", map[string]any{"values": mishap()}), "row")
	d.call(put, "/tables/mishaps/rows/"+row, map[string]any{"values": map[string]any{}})
	csv := d.call(get, "/tables/mishaps/csv", nil)
	d.call(post, "/tables/mishaps/csv", csv)
	d.call(del, "/tables/mishaps/rows/"+row, nil)
	d.call(get, "/blobs/"+keptFile(t, s), nil)
	d.call(post, "/workflows/weighbridge/read", map[string]any{"text": field(d.call(get, "/workflows/weighbridge", nil),
		"text")})
	written := field(d.call(get, "/workflows/weighbridge", nil), "text")
	d.call(put, "/workflows/weighbridge/draft", map[string]any{"text": written + "\n", "from": written})
	d.call(post, "/workflows/weighbridge/work-out", map[string]any{"text": written, "at": "/steps/0", "code": "1 + 1"})
	d.call(post, "/workflows/weighbridge/rename-step", map[string]any{"text": written, "from": "net", "to": "weight"})
	d.call(post, "/workflows/weighbridge/bring-out", map[string]any{"text": written, "code": "net.kg", "from": "0",
		"to": "/steps/1/when"})
	d.call(get, "/names", nil)
	d.call(get, "/agents", nil)
	d.call(get, "/budget", nil)
	d.call(get, "/agents/depot-desk", nil)
	d.call(post, "/agents/depot-desk/tasks", map[string]any{"task": "What is booked on Friday?", "thread": "t1"})
	d.call(get, "/agents/depot-desk/chat/t1", nil)
	d.call(post, "/workflows/weighbridge/delivery", map[string]any{"trigger": "scale", "body": map[string]any{}})
	d.call(get, "/definitions/table/mishaps", nil)
	key := map[string]any{"text": "connection: gate-key\ntitle: Gate's key\nsigning_key: {}\n"}
	d.call(post, "/definitions/connection/gate-key/read", key)
	d.call(put, "/definitions/connection/gate-key", key)
	d.call(post, "/connections/gate-key/new-key", nil)
	d.call(post, "/descriptions", map[string]any{"text": `{"openapi": "3.1.0",
		"info": {"title": "Gate", "version": "1"},
		"paths": {"/open": {"get": {"responses": {"200": {"description": "open"}}}}}}`})
	d.call(get, "/workflows/weighbridge/before-live", nil)
	d.call(get, "/audit", nil)
	code := field(d.call(post, "/chat-names", map[string]any{"connection": "shieling"}), "write")
	s.Types(shieling.Said{As: "elin", Direct: true, Text: code})
	s.BotSays("", "You are linked")
	d.call(get, "/chat-names", nil)
	d.call(del, "/chat-names/shieling/elin", nil)
	d.call(put, "/password", map[string]any{"password": elin.Password, "next": "another shearling"})
	d.call(del, "/tokens/"+field(d.call(get, "/tokens", nil), 0, "id"), nil)
	d.call(del, "/session", nil)
	for _, r := range d.routes {
		if !d.called[r.Method+" "+r.Path] {
			t.Errorf("%s %s was not called", r.Method, r.Path)
		}
	}
	d.recorded(elin.Email)
}

// keepsNothing are the routes that are sent something, and change nothing.
var keepsNothing = []string{"POST /check", "POST /workflows/{workflow}/read", "POST /workflows/{workflow}/rename-step",
	"POST /workflows/{workflow}/bring-out", "POST /workflows/{workflow}/work-out", "POST /definitions/{kind}/{id}/read"}

// exports are the routes that are asked, and hand out much at once.
var exports = []string{"GET /tables/{table}/csv", "GET /runs/{run}/journal", "GET /blobs/{hash}", "GET /files",
	"GET /backup"}

// before are the routes that are called by nobody who is signed in yet, and what is
// recorded of them.
var before = map[string]string{"POST /session": audit.SignIn, "POST /tokens": audit.MakeToken}

// recorded insists that each route that changes or exports something left an entry in the
// audit trail, of who called it, with what it touched.
func (d *described) recorded(who string) {
	d.t.Helper()
	var all []wire.Event
	data, err := json.Marshal(d.call(http.MethodGet, "/audit?limit=500", nil))
	if err == nil {
		err = json.Unmarshal(data, &all)
	}
	if err != nil {
		d.t.Fatal(err)
	}
	for _, r := range d.routes {
		name := r.Method + " " + r.Path
		if r.Method == http.MethodGet && !slices.Contains(exports, name) || slices.Contains(keepsNothing, name) ||
			name == "POST /join" { // which was called of another service
			continue
		}
		if !slices.ContainsFunc(all, func(e wire.Event) bool {
			if did := before[name]; did != "" {
				return e.Did == did && !e.Refused
			}
			at := d.paths[name]
			return e.Did == r.Audited && e.Who == who && (e.About == at || strings.HasPrefix(e.About, at+": "))
		}) {
			d.t.Errorf("%s left no entry in the audit trail", name)
		}
	}
}

// mishap is a row for the table of mishaps.
func mishap() map[string]any {
	return map[string]any{"workflow": "weighbridge", "because": "the scale was wet", "state": "open"}
}

// keptFile is the hash of a file that came with a mail.
func keptFile(t *testing.T, s *harness.Service) string {
	t.Helper()
	s.Watching("office-mail", "mails that arrive in INBOX")
	s.Writes(postbag.Letter{From: "bills@thrawl-sacking.example", To: "office@larkrigg.example", Subject: "An invoice",
		Text:  "Here it is.",
		Files: map[string][]byte{"note.txt": []byte("twelve sacks")}})
	d := s.RunOf("mailroom-invoices", "with a file",
		func(d wire.Detail) bool { return d.Signal != nil && len(d.Signal.Files) > 0 })
	return d.Signal.Files[0].Blob
}
