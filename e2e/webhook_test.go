package e2e_test

import (
	"bytes"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"strings"
	"sync"
	"testing"
	"time"

	webhooks "github.com/standard-webhooks/standard-webhooks/libraries/go"

	"woolsignal/client"
	"woolsignal/core/run"
	"woolsignal/demo"
	"woolsignal/e2e/harness"
	"woolsignal/wire"
)

func delivery() demo.Delivery {
	return demo.Delivery{Grower: "Hollin Bank", GrossKg: 412.5, TareKg: 31, FarmKg: 384, Bales: 2, Notes: "dry"}
}

func filterWorkflow(id string) client.Filter { return client.Filter{Workflow: id} }

// read reads a JSON body; an empty one is nil.
func read(t *testing.T, r *http.Response) map[string]any {
	t.Helper()
	defer r.Body.Close()
	data, err := io.ReadAll(r.Body)
	if err != nil {
		t.Fatal(err)
	}
	var body map[string]any
	if len(data) > 0 {
		if err := json.Unmarshal(data, &body); err != nil {
			t.Fatalf("%s: %q", err, data)
		}
	}
	return body
}

func TestADeliveryIsComputedRecordedAndAnswered(t *testing.T) {
	t.Parallel()
	s := harness.Demo(t)
	state, err := demo.LoadState(s.Data)
	if err != nil {
		t.Fatal(err)
	}
	post := func(id string, body any) (*http.Response, map[string]any) {
		t.Helper()
		r, err := demo.Post(harness.Context(t), s.URL, "weighbridge", state.Signing, id, body)
		if err != nil {
			t.Fatal(err)
		}
		return r, read(t, r)
	}
	r, body := post("d-1", delivery())
	if r.StatusCode != 201 || body["net_kg"] != 381.5 || body["lane"] != "clean" || body["receipt"] != "D-20401" {
		t.Fatalf("answered %d %v", r.StatusCode, body)
	}
	heavy := delivery()
	heavy.FarmKg = 500
	if _, body = post("d-2", heavy); body["lane"] != "check by hand" {
		t.Errorf("a load that shrank by a quarter goes to %v", body["lane"])
	}
	empty := delivery()
	empty.GrossKg = 30
	if r, body = post("d-3", empty); r.StatusCode != 422 ||
		r.Header.Get("Content-Type") != "application/problem+json" ||
		!strings.Contains(fmt.Sprint(body["detail"]), "Net weight is -1 kg") {
		t.Errorf("stopped as failed: %d %v", r.StatusCode, body)
	}
	stranger := delivery()
	stranger.Grower = "Nowhere Farm"
	if r, body = post("d-4", stranger); r.StatusCode != 500 || strings.Contains(fmt.Sprint(body), "Nowhere") {
		t.Errorf("a failure inside: %d %v", r.StatusCode, body)
	}
	var wg sync.WaitGroup
	for range 8 {
		wg.Go(func() {
			r, err := demo.Post(harness.Context(t), s.URL, "weighbridge", state.Signing, "d-5", delivery())
			if err != nil {
				t.Error(err)
				return
			}
			var body map[string]any
			if err := json.NewDecoder(r.Body).Decode(&body); err != nil || r.StatusCode != 201 ||
				body["receipt"] != "D-20403" {
				t.Errorf("a delivery that came eight times at once was answered %d %v %v", r.StatusCode, body, err)
			}
			r.Body.Close()
		})
	}
	wg.Wait()
	page, err := s.As("Ines").Runs(harness.Context(t), filterWorkflow("weighbridge"))
	if err != nil || len(page.Runs) != 5 {
		t.Errorf("%d runs, want 5 (%v)", len(page.Runs), err)
	}
	if n := s.Count("clip-register", "POST", 201); n != 3 {
		t.Errorf("%d rows were added, want 3", n)
	}
}

func TestHostileDeliveriesStartNothing(t *testing.T) {
	t.Parallel()
	s := harness.Demo(t)
	state, err := demo.LoadState(s.Data)
	if err != nil {
		t.Fatal(err)
	}
	good, _ := json.Marshal(delivery())
	type attack struct {
		method, path, kind string
		body               []byte
		change             func(http.Header)
		at                 time.Time
		key                string
		status             int
		want               string
	}
	for name, a := range map[string]attack{
		"wrong key": {key: "whsec_MfKQ9r8GKYqrTwjUPD8ILPZIo2LaLaSw", status: 401, want: "Check the key"},
		"no signature": {change: func(h http.Header) { h.Del("webhook-signature") }, status: 401,
			want: "missing: webhook-signature"},
		"broken signature": {change: func(h http.Header) { h.Set("webhook-signature", "v1,") }, status: 401,
			want: "Check the key"},
		"another id": {change: func(h http.Header) { h.Set("webhook-id", "other") }, status: 401,
			want: "Check the key"},
		"old":             {at: time.Now().Add(-time.Hour), status: 401, want: "five minutes"},
		"from the future": {at: time.Now().Add(time.Hour), status: 401, want: "five minutes"},
		"no number as time": {change: func(h http.Header) { h.Set("webhook-timestamp", "noon") }, status: 401,
			want: "timestamp"},
		"long id": {change: func(h http.Header) { h.Set("webhook-id", strings.Repeat("x", 201)) }, status: 401,
			want: "200 characters"},
		"wrong method": {method: "GET", status: 405, want: "with POST"},
		"put":          {method: "PUT", status: 405, want: "with POST"},
		"wrong path":   {path: "/in/weighbride", status: 404, want: "no workflow has a webhook"},
		"form":         {kind: "application/x-www-form-urlencoded", status: 422, want: "missing properties"},
		"latin":        {kind: "application/json; charset=iso-8859-1", status: 415, want: "UTF-8"},
		"no type":      {kind: " ", status: 415, want: "application/json"},
		"not JSON":     {body: []byte(`{"grower": "Hollin Bank",`), status: 400, want: "not JSON"},
		"two values":   {body: []byte(`{} {}`), status: 400, want: "after top-level"},
		"empty":        {body: []byte(""), status: 400, want: "not JSON"},
		"huge":         {body: bytes.Repeat([]byte(" "), 1<<20+1), status: 413, want: "1048576"},
		"deep": {body: append(bytes.Repeat([]byte("["), 200_000), bytes.Repeat([]byte("]"), 200_000)...),
			status: 400, want: "nested"},
		"missing fields": {body: []byte(`{"grower": "Hollin Bank"}`), status: 422, want: "gross_kg"},
		"wrong kinds": {body: []byte(`{"grower": 7, "gross_kg": "much", "tare_kg": 1, "farm_kg": 1, "bales": ` +
			`1.5}`), status: 422, want: "gross_kg"},
		"unknown field": {body: []byte(`{"grower": "x", "gross_kg": 1, "tare_kg": 1, "farm_kg": 1, "bales": 1, ` +
			`"colour": "red"}`), status: 422, want: "colour"},
		"division by zero": {body: []byte(`{"grower": "x", "gross_kg": 1, "tare_kg": 1, "farm_kg": 0, "bales": 1}`),
			status: 422, want: "farm_kg"},
	} {
		if a.body == nil {
			a.body = good
		}
		if a.at.IsZero() {
			a.at = time.Now()
		}
		key := state.Signing
		if a.key != "" {
			key = a.key
		}
		hook, err := webhooks.NewWebhook(key)
		if err != nil {
			t.Fatal(err)
		}
		signature, err := hook.Sign(name, a.at, a.body)
		if err != nil {
			t.Fatal(err)
		}
		method, path, kind := "POST", "/in/weighbridge", "application/json"
		for _, o := range []struct {
			into *string
			v    string
		}{{&method, a.method}, {&path, a.path}, {&kind, a.kind}} {
			if o.v != "" {
				*o.into = o.v
			}
		}
		request, err := http.NewRequest(method, s.URL+path, bytes.NewReader(a.body))
		if err != nil {
			t.Fatal(err)
		}
		request.Header.Set("Content-Type", strings.TrimSpace(kind))
		request.Header.Set("webhook-id", name)
		request.Header.Set("webhook-timestamp", fmt.Sprint(a.at.Unix()))
		request.Header.Set("webhook-signature", signature)
		if a.change != nil {
			a.change(request.Header)
		}
		response, err := http.DefaultClient.Do(request)
		if err != nil {
			t.Errorf("%s: %v", name, err)
			continue
		}
		body := read(t, response)
		if response.StatusCode != a.status || response.Header.Get("Content-Type") != "application/problem+json" ||
			!strings.Contains(strings.ToLower(fmt.Sprint(body)), strings.ToLower(a.want)) {
			t.Errorf("%s: %d %v, want %d and %q", name, response.StatusCode, body, a.status, a.want)
		}
	}
	status := 0
	for range 200 {
		response, err := http.Post(s.URL+"/in/weighbridge", "application/json", strings.NewReader("{}"))
		if err != nil {
			t.Fatal(err)
		}
		response.Body.Close()
		status = response.StatusCode
	}
	if status != http.StatusTooManyRequests {
		t.Errorf("after 200 refusals the next is answered %d", status)
	}
	if page, err := s.As("Ines").Runs(harness.Context(t), client.Filter{}); err != nil || len(page.Runs) != 0 {
		t.Errorf("hostile deliveries started %d runs (%v)", len(page.Runs), err)
	}
}

func TestScheduleLooksBranchesAndAsks(t *testing.T) {
	t.Parallel()
	s := harness.Demo(t)
	c := harness.Context(t)
	files, err := s.As("Ines").Files(c)
	if err != nil {
		t.Fatal(err)
	}
	request, _ := http.NewRequest(http.MethodPut, s.Standins["barn-sensors"]+"/stores/north",
		strings.NewReader(`{"humidity_percent": 71, "temperature_celsius": 8}`))
	if r, err := http.DefaultClient.Do(request); err != nil || r.StatusCode != 204 {
		t.Fatalf("setting the gauge: %v %v", r, err)
	}
	files["workflows/store-watch.yaml"] = strings.Replace(files["workflows/store-watch.yaml"], "every: 15m",
		"every: 1s", 1)
	if _, err := s.As("Ines").Apply(c, wire.Files{Files: files}); err != nil {
		t.Fatal(err)
	}
	if _, err := s.As("Ines").Publish(c, wire.Publish{Note: "new words"}); err != nil {
		t.Fatal(err)
	}
	var first string
	harness.Eventually(t, "the schedule fires and asks the depot", func() bool {
		page, err := s.As("Ines").Runs(c, client.Filter{Workflow: "store-watch", Status: "waiting"})
		if err != nil || len(page.Runs) == 0 {
			return false
		}
		first = page.Runs[0].ID
		return true
	})
	d, err := s.As("Ines").Run(c, first)
	if err != nil {
		t.Fatal(err)
	}
	review := s.OpenReview(d)
	if !strings.Contains(fmt.Sprint(review.Show), "71 % humidity") {
		t.Errorf("the depot is shown %v", review.Show)
	}
	s.Kill() // a schedule goes on after a crash, and fires no time twice
	var decided = func() error {
		_, _, code := s.Command("Tobias", "", "answer", review.ID, "-choose", "open the vents")
		if code != 0 {
			return fmt.Errorf("exit code %d", code)
		}
		return nil
	}
	if err := decided(); err != nil {
		t.Fatal(err)
	}
	if d = s.Ended(first); d.Status != run.Done || !strings.Contains(fmt.Sprint(d.Steps), "open the vents") {
		t.Errorf("%s: %s", d.Status, d.Because)
	}
	harness.Eventually(t, "it fires again after the crash", func() bool {
		page, err := s.As("Ines").Runs(c, filterWorkflow("store-watch"))
		return err == nil && len(page.Runs) > 2
	})
	page, err := s.As("Ines").Runs(c, filterWorkflow("store-watch"))
	if err != nil {
		t.Fatal(err)
	}
	seen := map[string]bool{}
	for _, r := range page.Runs {
		if seen[r.About] {
			t.Errorf("the time %q started two runs", r.About)
		}
		seen[r.About] = true
	}
}
