package intake_test

import (
	"bytes"
	"context"
	"crypto/hmac"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"io"
	"log/slog"
	"mime/multipart"
	"net"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"
	"time"

	"github.com/go-chi/chi/v5"
	webhooks "github.com/standard-webhooks/standard-webhooks/libraries/go"

	"woolsignal/core/run"
	"woolsignal/server/engine"
	"woolsignal/server/intake"
	"woolsignal/server/testbed"
)

const (
	standardKey = "whsec_MfKQ9r8GKYqrTwjUPD8ILPZIo2LaLaSw"
	plainKey    = "a-key-agreed-on"
)

// gate is the public addresses of a small workspace.
type gate struct {
	t   *testing.T
	url string
	bed *testbed.Bed
	e   *engine.Engine
}

func open(t *testing.T) *gate {
	t.Helper()
	hook := func(id, verify string) string {
		return fmt.Sprintf("workflow: %s\ntitle: T\ntriggers:\n  - id: in\n    webhook: {path: %s, verify: %s}\n"+
			"steps:\n  - compute: {x: signal.body}\n", id, id, verify)
	}
	bed := testbed.Open(t, map[string]string{
		"connections/standard.yaml": "connection: standard\ntitle: S\nsigning_key: {scheme: standard-webhooks}\n",
		"connections/plain.yaml": "connection: plain\ntitle: P\n" +
			"signing_key: {scheme: hmac-sha256, header: X-Scale-Signature, prefix: 'sha256=', time_header: " +
			"X-Scale-Time, id_field: delivery.id}\n",
		"connections/bearer.yaml": "connection: bearer\ntitle: B\nsigning_key: {scheme: bearer}\n",
		"workflows/std.yaml":      hook("std", "standard"), "workflows/mac.yaml": hook("mac", "plain"),
		"workflows/bear.yaml": hook("bear", "bearer"),
		"workflows/strict.yaml": strings.Replace(hook("strict", "standard"), "verify: standard",
			"verify: standard, accepts: {type: object, required: [kg]}", 1),
		"workflows/offer.yaml": `workflow: offer
title: Offer a fleece
triggers:
  - id: form
    form:
      page: offer
      intro: Tell us what you have.
      fields:
        - {name: grower, title: "Which farm?", most: 40}
        - {name: kg, type: number}
        - {name: shorn, type: date}
        - {name: kind, type: choice, choices: [hill, crossbred]}
        - {name: email, type: email}
        - {name: phone, type: phone, required: false}
        - {name: picture, type: file, required: false, most: 1000}
      thanks: Thank you. We write back within two days.
steps:
  - compute: {x: 'signal.body.kg + 1'}
`,
		"workflows/line.yaml": "workflow: line\ntitle: L\ntriggers:\n  - id: line\n" +
			"    phone: {path: line, verify: bearer, answer_within: 100ms, voice: fell, speed: 90%}\nsteps:\n" +
			"  - say: {text: \"${signal.text == 'hold' ? 'One moment, please.' : " +
			"'You said ' + signal.text + ' <b>&'}\"}\n",
	})
	for name, secret := range map[string]string{"standard": standardKey, "plain": plainKey, "bearer": plainKey} {
		bed.Give(t, bed.Workspace.Now().Workspace, name, secret)
	}
	log := slog.New(slog.DiscardHandler)
	e := engine.New(bed.Store, bed.Workspace, bed.Kit, bed.Secrets, bed.Scripts, log)
	t.Cleanup(func() { e.Stop(context.Background()) })
	limits := intake.NewLimits()
	hooks := &intake.Webhooks{Workspace: bed.Workspace, Engine: e, Kit: bed.Kit, Secrets: bed.Secrets,
		Log: log, Limits: limits}
	r := chi.NewRouter()
	r.Handle("/in/{path}", hooks)
	r.Handle("/in/{path}/{draft:draft}", hooks)
	r.Handle("/slip/{page}", &intake.Forms{Workspace: bed.Workspace, Engine: e, Kit: bed.Kit, Log: log, Limits: limits})
	r.Handle("/call/{path}", &intake.Phones{Workspace: bed.Workspace, Engine: e, Secrets: bed.Secrets, Store: bed.Store,
		Log: log, Limits: limits})
	s := httptest.NewServer(r)
	t.Cleanup(s.Close)
	return &gate{t, s.URL, bed, e}
}

// send makes a request and gives the status and the answer's words.
func (g *gate) send(method, path string, headers map[string]string, body []byte) (int, string) {
	g.t.Helper()
	request, err := http.NewRequest(method, g.url+path, bytes.NewReader(body))
	if err != nil {
		g.t.Fatal(err)
	}
	for name, v := range headers {
		request.Header.Set(name, v)
	}
	response, err := http.DefaultClient.Do(request)
	if err != nil {
		g.t.Fatal(err)
	}
	defer response.Body.Close()
	answer, _ := io.ReadAll(response.Body)
	return response.StatusCode, string(answer)
}

// signed are the headers of a delivery signed as Standard Webhooks says.
func signed(t *testing.T, id, kind string, at time.Time, body []byte) map[string]string {
	t.Helper()
	hook, err := webhooks.NewWebhook(standardKey)
	if err != nil {
		t.Fatal(err)
	}
	signature, err := hook.Sign(id, at, body)
	if err != nil {
		t.Fatal(err)
	}
	return map[string]string{"Content-Type": kind, "webhook-id": id, "webhook-timestamp": fmt.Sprint(at.Unix()),
		"webhook-signature": signature}
}

// runs counts the runs of a workflow, and gives the newest one's signal.
func (g *gate) runs(workflow string) (n int, signal *run.Signal) {
	g.t.Helper()
	rows, err := g.bed.Store.Read().Query("SELECT id FROM runs WHERE workflow = ? ORDER BY accepted", workflow)
	if err != nil {
		g.t.Fatal(err)
	}
	defer rows.Close()
	var last string
	for ; rows.Next(); n++ {
		if err := rows.Scan(&last); err != nil {
			g.t.Fatal(err)
		}
	}
	if n > 0 {
		state, err := g.e.Fold(context.Background(), last)
		if err != nil {
			g.t.Fatal(err)
		}
		signal = state.Signal
	}
	return n, signal
}

func TestHostileDeliveriesStartNothing(t *testing.T) {
	g := open(t)
	now := time.Now()
	good := []byte(`{"kg": 12}`)
	json := "application/json"
	deep := []byte(strings.Repeat("[", 5000) + strings.Repeat("]", 5000))
	billion := []byte(`<!DOCTYPE a [<!ENTITY x "xxxxxxxxxx"><!ENTITY y "&x;&x;&x;&x;">]><a>&y;</a>`)
	with := func(h map[string]string, name, v string) map[string]string { h[name] = v; return h }
	without := func(h map[string]string, name string) map[string]string { delete(h, name); return h }
	n := 0
	fresh := func(kind string, body []byte) map[string]string {
		n++
		return signed(t, fmt.Sprint("d-", n), kind, now, body)
	}
	for name, c := range map[string]struct {
		method  string
		headers map[string]string
		body    []byte
		status  int
		words   string
	}{
		"a bad signature": {"", with(fresh(json, good), "webhook-signature", "v1,AAAA"), good, 401,
			"Check the key"},
		"a signature of another": {"", fresh(json, []byte(`{"kg": 13}`)), good, 401, "exact bytes"},
		"no signature": {"", without(fresh(json, good), "webhook-signature"), good, 401,
			"missing: webhook-signature"},
		"no id": {"", without(fresh(json, good), "webhook-id"), good, 401, "missing: webhook-id"},
		"an old timestamp": {"", signed(t, "old", json, now.Add(-time.Hour), good), good, 401,
			"five minutes"},
		"a timestamp to come": {"", signed(t, "new", json, now.Add(time.Hour), good), good, 401, "five minutes"},
		"a timestamp that is none": {"", with(fresh(json, good), "webhook-timestamp", "yesterday"), good, 401,
			"Check the key"},
		"an endless id": {"", signed(t, strings.Repeat("i", 300), json, now, good), good, 401,
			"200 characters"},
		"another method":             {"PUT", fresh(json, good), good, 405, "with POST"},
		"reading instead of sending": {"GET", fresh(json, nil), nil, 405, "with POST"},
		"no type":                    {"", without(fresh(json, good), "Content-Type"), good, 415, "Content-Type"},
		"a picture":                  {"", fresh("image/png", good), good, 415, "Content-Type"},
		"another character set":      {"", fresh("application/json; charset=latin1", good), good, 415, "UTF-8"},
		"a megabyte and more":        {"", fresh(json, good), bytes.Repeat([]byte(" "), 1<<20+1), 413, "1048576 bytes"},
		"half of it":                 {"", fresh(json, []byte(`{"kg": `)), []byte(`{"kg": `), 400, "not JSON"},
		"two values":                 {"", fresh(json, []byte(`{} {}`)), []byte(`{} {}`), 400, "not JSON"},
		"a name twice": {"", fresh(json, []byte(`{"kg": 1, "kg": 900}`)), []byte(`{"kg": 1, "kg": 900}`),
			400, "duplicate"},
		"a name twice, deeper": {"", fresh(json, []byte(`{"a": [{"kg": 1, "kg": 900}]}`)),
			[]byte(`{"a": [{"kg": 1, "kg": 900}]}`), 400, "duplicate"},
		"five thousand brackets": {"", fresh(json, deep), deep, 400, "nested"},
		"broken UTF-8":           {"", fresh(json, []byte("\"\xff\xfe\"")), []byte("\"\xff\xfe\""), 400, "not JSON"},
		"entities in XML":        {"", fresh("application/xml", billion), billion, 400, "entities"},
		"five thousand elements": {"", fresh("text/xml", []byte(strings.Repeat("<a>", 5000))),
			[]byte(strings.Repeat("<a>", 5000)), 400, "nested"},
		"XML that ends too soon": {"", fresh("text/xml", []byte("<a><b></a>")), []byte("<a><b></a>"), 400,
			"not XML"},
		"a form that is none": {"", fresh("application/x-www-form-urlencoded", []byte("kg=%zz")),
			[]byte("kg=%zz"), 400, "not a form"},
		"parts without an end": {"", fresh("multipart/form-data; boundary=x", []byte("--x\r\n")),
			[]byte("--x\r\n"), 400, "broke off"},
		"an event without a type": {"", fresh("application/cloudevents+json", []byte(`{"specversion": "1.0"}`)),
			[]byte(`{"specversion": "1.0"}`), 400, "not a CloudEvent"},
		"an event in headers": {"", with(fresh("application/json", good), "Ce-Specversion", "1.0"), good, 400,
			"structured mode"},
		"an event of another world": {"", fresh("application/cloudevents+json", []byte(`{"specversion": "9.9"}`)),
			[]byte(`{"specversion": "9.9"}`), 400, "not a CloudEvent"},
	} {
		if c.method == "" {
			c.method = http.MethodPost
		}
		status, answer := g.send(c.method, "/in/std", c.headers, c.body)
		if status != c.status || !strings.Contains(answer, c.words) {
			t.Errorf("%s: %d %s, want %d and %q", name, status, answer, c.status, c.words)
		}
	}
	if n, _ := g.runs("std"); n != 0 {
		t.Errorf("%d runs were started", n)
	}
}

func TestASlowDeliveryHoldsNobodyUp(t *testing.T) {
	g := open(t)
	c, err := net.Dial("tcp", strings.TrimPrefix(g.url, "http://"))
	if err != nil {
		t.Fatal(err)
	}
	defer c.Close()
	if _, err := fmt.Fprintf(c,
		"POST /in/std HTTP/1.1\r\nHost: x\r\nContent-Type: application/json\r\n"+
			"Content-Length: 100\r\n\r\n{"); err != nil {
		t.Fatal(err)
	}
	body := []byte(`{"kg": 12}`)
	if status, answer := g.send(http.MethodPost, "/in/std", signed(t, "d-1", "application/json", time.Now(), body),
		body); status != http.StatusAccepted {
		t.Errorf("%d %s", status, answer)
	}
}

func TestBodiesOfEveryForm(t *testing.T) {
	g := open(t)
	var parts bytes.Buffer
	w := multipart.NewWriter(&parts)
	if err := w.WriteField("kg", "12"); err != nil {
		t.Fatal(err)
	}
	f, err := w.CreateFormFile("ticket", "../../etc/ticket.txt")
	if err == nil {
		_, err = io.WriteString(f, "gross 412")
	}
	if err != nil || w.Close() != nil {
		t.Fatal(err)
	}
	for name, c := range map[string]struct {
		kind, body, want string
	}{
		"JSON":             {"application/json", `{"kg": 12.5, "n": 2}`, `{"kg":12.5,"n":2}`},
		"JSON of a vendor": {"application/vnd.scale+json", `[1]`, `[1]`},
		"a form": {"application/x-www-form-urlencoded", "kg=12&lane=a&lane=b",
			`{"kg":"12","lane":["a","b"]}`},
		"a form with a file": {w.FormDataContentType(), parts.String(), `{"kg":"12"}`},
		"XML": {"application/xml", `<scale id="2"><kg>12</kg></scale>`,
			`{"scale":{"-id":"2","kg":"12"}}`},
		"XML in Latin 1": {"text/xml; charset=iso-8859-1", "<n>D\xfcnn</n>", `{"n":"Dünn"}`},
		"text":           {"text/plain", "gross 412", `"gross 412"`},
		"a CloudEvent, structured": {"application/cloudevents+json",
			`{"specversion": "1.0", "id": "e-2", "source": "/scale/2", "type": "scale.read", "subject": "trailer ` +
				`8", "data": {"kg": 4}}`, `{"kg":4}`},
	} {
		headers := signed(t, name, c.kind, time.Now(), []byte(c.body))
		if status, answer := g.send(http.MethodPost, "/in/std", headers,
			[]byte(c.body)); status != http.StatusAccepted {
			t.Errorf("%s: %d %s", name, status, answer)
			continue
		}
		_, s := g.runs("std")
		if got, _ := json.Marshal(s.Body); string(got) != c.want {
			t.Errorf("%s is read as %s, want %s", name, got, c.want)
		}
		switch {
		case strings.Contains(name, "file") &&
			(len(s.Files) != 1 || s.Files[0].Name != "ticket.txt" || s.Files[0].Field != "ticket"):
			t.Errorf("the files are %+v", s.Files)
		case strings.Contains(name, "CloudEvent") &&
			(s.Type != "scale.read" || s.Source != "/scale/2" || !strings.HasPrefix(s.Subject, "trailer") ||
				s.ID != "e-2"):
			t.Errorf("%s is %+v", name, s)
		}
		time.Sleep(2 * time.Millisecond) // runs are told apart here by when they came
	}
}

// scaled are the headers of a delivery signed as the scale signs.
func scaled(at int64, body []byte) map[string]string {
	m := hmac.New(sha256.New, []byte(plainKey))
	fmt.Fprintf(m, "%d.%s", at, body)
	return map[string]string{"Content-Type": "application/json", "X-Scale-Time": fmt.Sprint(at),
		"X-Scale-Id": "m-1", "X-Scale-Signature": "sha256=" + hex.EncodeToString(m.Sum(nil))}
}

func TestPlainSignaturesAndBearers(t *testing.T) {
	g := open(t)
	body := []byte(`{"kg": 12}`)
	now := time.Now().Unix()
	for name, c := range map[string]struct {
		headers map[string]string
		status  int
		words   string
	}{
		"right":       {scaled(now, body), 202, ""},
		"again":       {scaled(now, body), 202, ""},
		"other bytes": {scaled(now, []byte("{}")), 401, "exact bytes"},
		"too old":     {scaled(now-3600, body), 401, "five minutes"},
		"no time": {map[string]string{"Content-Type": "application/json", "X-Scale-Signature": "sha256=00"}, 401,
			"X-Scale-Time"},
		"no prefix": {map[string]string{"Content-Type": "application/json", "X-Scale-Signature": "00"}, 401, "sha256="},
	} {
		if status, answer := g.send(http.MethodPost, "/in/mac", c.headers, body); status != c.status ||
			!strings.Contains(answer, c.words) {
			t.Errorf("%s: %d %s", name, status, answer)
		}
	}
	// Somebody who saw it sends it under another name, which nobody signed.
	replayed := scaled(now, body)
	replayed["X-Scale-Id"] = "m-2"
	if status, answer := g.send(http.MethodPost, "/in/mac", replayed, body); status != 202 {
		t.Errorf("replayed: %d %s", status, answer)
	}
	if n, _ := g.runs("mac"); n != 1 {
		t.Errorf("%d runs of one delivery", n)
	}
	// A name in the body is signed: sent anew, with another time, it is the same.
	for _, at := range []int64{now, now - 1, now - 2} {
		named := []byte(`{"delivery": {"id": "d-7"}}`)
		if status, answer := g.send(http.MethodPost, "/in/mac", scaled(at, named), named); status != 202 {
			t.Errorf("named in its body: %d %s", status, answer)
		}
	}
	if n, _ := g.runs("mac"); n != 2 {
		t.Errorf("%d runs of two deliveries", n)
	}
	event := map[string]string{"Content-Type": "application/json", "Authorization": "Bearer " + plainKey,
		"Ce-Specversion": "1.0", "Ce-Id": "e-1", "Ce-Source": "/scale/2", "Ce-Type": "scale.read"}
	if status, answer := g.send(http.MethodPost, "/in/bear", event, body); status != 202 {
		t.Errorf("a CloudEvent in binary mode, of who has the key: %d %s", status, answer)
	}
	if _, s := g.runs("bear"); s.ID != "e-1" || s.Type != "scale.read" {
		t.Errorf("it is %+v", s)
	}
	unsigned := signed(t, "d-9", "application/json", time.Now(), body)
	for name, v := range event {
		if name != "Authorization" {
			unsigned[name] = v
		}
	}
	if status, answer := g.send(http.MethodPost, "/in/std", unsigned, body); status != 400 ||
		!strings.Contains(answer, "structured mode") {
		t.Errorf("in binary mode, where only the body is signed: %d %s", status, answer)
	}
	for key, want := range map[string]int{"Bearer " + plainKey: 202, "Bearer wrong": 401, "Basic " + plainKey: 401,
		"": 401} {
		if status, answer := g.send(http.MethodPost, "/in/bear",
			map[string]string{"Content-Type": "application/json", "Authorization": key}, body); status != want {
			t.Errorf("%q: %d %s", key, status, answer)
		}
	}
}

func TestTheDraftHasAnAddressOfItsOwn(t *testing.T) {
	g := open(t)
	body := []byte(`{"kg": 12}`)
	if status, answer := g.send(http.MethodPost, "/in/std/draft",
		signed(t, "d-1", "application/json", time.Now(), body), body); status != http.StatusAccepted {
		t.Errorf("%d %s", status, answer)
	}
	if status, _ := g.send(http.MethodPost, "/in/nothing/draft", nil, body); status != http.StatusNotFound {
		t.Errorf("a path nobody wrote: %d", status)
	}
}

func TestAFormIsReadCheckedAndThanked(t *testing.T) {
	g := open(t)
	if status, page := g.send(http.MethodGet, "/slip/offer", nil, nil); status != 200 ||
		!strings.Contains(page, "Which farm?") || !strings.Contains(page, `type="date"`) ||
		strings.Contains(page, "<script") {
		t.Errorf("%d %s", status, page)
	}
	if status, page := g.send(http.MethodGet, "/slip/nothing", nil, nil); status != 404 ||
		!strings.Contains(page, "There is no such form") {
		t.Errorf("%d %s", status, page)
	}
	post := func(fields map[string]string, file string) (int, string) {
		t.Helper()
		var body bytes.Buffer
		w := multipart.NewWriter(&body)
		for k, v := range fields {
			if err := w.WriteField(k, v); err != nil {
				t.Fatal(err)
			}
		}
		f, err := w.CreateFormFile("picture", "fleece.png")
		if err == nil {
			_, err = io.WriteString(f, file)
		}
		if err != nil || w.Close() != nil {
			t.Fatal(err)
		}
		return g.send(http.MethodPost, "/slip/offer", map[string]string{"Content-Type": w.FormDataContentType()},
			body.Bytes())
	}
	fields := func(change ...string) map[string]string {
		all := map[string]string{"_once": "o-1", "grower": "Hollin Bank", "kg": "412,5", "shorn": "2026-06-14",
			"kind": "hill", "email": "hollin@hills.example", "phone": "+44 1632 960 101"}
		for i := 0; i+1 < len(change); i += 2 {
			all[change[i]] = change[i+1]
		}
		return all
	}
	for name, c := range map[string]struct {
		fields      map[string]string
		file, words string
	}{
		"nothing":             {fields("grower", ""), "", "Please fill this in"},
		"too long":            {fields("grower", strings.Repeat("x", 41)), "", "At most 40 characters"},
		"no number":           {fields("kg", "much"), "", "Please write a number"},
		"not a number at all": {fields("kg", "NaN"), "", "Please write a number"},
		"no date":             {fields("shorn", "in June"), "", "as 2026-11-26"},
		"another choice":      {fields("kind", "alpaca"), "", "choose one"},
		"no address":          {fields("email", "Hollin <x>"), "", "e-mail address"},
		"no country":          {fields("phone", "01632 960101"), "", "with its country"},
		"a large file":        {fields(), strings.Repeat("x", 1001), "The file may have"},
	} {
		status, page := post(c.fields, c.file)
		if status != http.StatusUnprocessableEntity || !strings.Contains(page, c.words) ||
			!strings.Contains(page, "Nothing was sent yet") {
			t.Errorf("%s: %d %s", name, status, page)
		}
		if name != "nothing" && name != "too long" && !strings.Contains(page, "Hollin Bank") {
			t.Errorf("%s: what was written is lost", name)
		}
	}
	if _, page := post(fields("grower", `"><img src=x onerror=alert(1)>`, "kg", "x"), ""); strings.Contains(page,
		"<img") {
		t.Error("what somebody wrote became markup")
	}
	if n, _ := g.runs("offer"); n != 0 {
		t.Fatalf("%d runs of forms that were refused", n)
	}
	for range 2 { // the button pressed twice
		if status, page := post(fields(), "PNG"); status != 200 ||
			!strings.Contains(page, "We write back within two days.") {
			t.Fatalf("%d %s", status, page)
		}
	}
	n, s := g.runs("offer")
	if got, _ := json.Marshal(s.Body); n != 1 ||
		string(got) != `{"email":"hollin@hills.example","grower":"Hollin `+
			`Bank","kg":412.5,"kind":"hill","phone":"+441632960101","shorn":"2026-06-14"}` {
		t.Errorf("%d runs of %s", n, got)
	}
	if data, err := g.bed.Store.Blob(context.Background(), s.Files[0].Blob); err != nil || string(data) != "PNG" {
		t.Errorf("the file is %q, %v", data, err)
	}
}

func TestATurnOfACall(t *testing.T) {
	g := open(t)
	post := func(key, form string) (int, string) {
		return g.send(http.MethodPost, "/call/line",
			map[string]string{"Content-Type": "application/x-www-form-urlencoded", "Authorization": key}, []byte(form))
	}
	for name, c := range map[string]struct {
		key, form string
		status    int
		words     string
	}{
		"said": {"Bearer " + plainKey, "call=c1&from=%2B441632960101&said=hello", 200,
			"You said hello &lt;b&gt;&amp;"},
		"with voice":         {"Bearer " + plainKey, "call=c2&said=hello", 200, `<voice name="fell">`},
		"another key":        {"Bearer x", "call=c1&said=hello", 401, "not the one"},
		"no call":            {"Bearer " + plainKey, "said=hello", 422, "Post call"},
		"no number":          {"Bearer " + plainKey, "call=c1&from=0153&said=x", 422, "E.164"},
		"an endless turn":    {"Bearer " + plainKey, "call=c1&said=" + strings.Repeat("x", 5000), 413, "4000 bytes"},
		"no form":            {"Bearer " + plainKey, "call=%zz", 400, "not a form"},
		"waiting in silence": {"Bearer " + plainKey, "call=c9&waiting=yes", 200, "Goodbye"},
	} {
		if status, answer := post(c.key, c.form); status != c.status || !strings.Contains(answer, c.words) {
			t.Errorf("%s: %d %s", name, status, answer)
		}
	}
}

// A workflow may say what the service says while an answer is awaited: the
// caller is listened to all the same.
func TestWordsLikeOursEndNoTurn(t *testing.T) {
	g := open(t)
	for _, form := range []string{"call=c3&said=hold", "call=c3&waiting=yes"} {
		status, answer := g.send(http.MethodPost, "/call/line", map[string]string{
			"Content-Type": "application/x-www-form-urlencoded", "Authorization": "Bearer " + plainKey}, []byte(form))
		if status != 200 || !strings.Contains(answer, "One moment, please.") || !strings.Contains(answer, "<field") {
			t.Errorf("%s: %d %s", form, status, answer)
		}
	}
}
