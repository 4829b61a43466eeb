package e2e_test

import (
	"context"
	"encoding/json"
	"iter"
	"net/http"
	"regexp"
	"strings"
	"testing"

	"github.com/getkin/kin-openapi/openapi3"
	sse "github.com/tmaxmax/go-sse"

	"woolsignal/core/run"
	"woolsignal/e2e/harness"
	"woolsignal/server/api"
	"woolsignal/standin/ledger"
	"woolsignal/wire"
)

func TestTheDescriptionIsOpenAPIAndComplete(t *testing.T) {
	t.Parallel()
	s := harness.Start(t, t.TempDir(), "serve")
	response, err := http.Get(s.URL + "/api/v1/openapi.json")
	if err != nil {
		t.Fatal(err)
	}
	defer response.Body.Close()
	var raw json.RawMessage
	if err := json.NewDecoder(response.Body).Decode(&raw); err != nil {
		t.Fatal(err)
	}
	doc, err := openapi3.NewLoader().LoadFromData(raw)
	if err != nil {
		t.Fatal(err)
	}
	if err := doc.Validate(context.Background()); err != nil {
		t.Error(err)
	}
	seen := map[string]bool{}
	for _, route := range (&api.API{}).Routes() {
		item := doc.Paths.Find(route.Path)
		if item == nil || item.GetOperation(route.Method) == nil {
			t.Errorf("%s %s is not described", route.Method, route.Path)
			continue
		}
		id := item.GetOperation(route.Method).OperationID
		if seen[id] {
			t.Errorf("two operations are called %s", id)
		}
		seen[id] = true
	}
	if review := doc.Components.Schemas["Review"]; review == nil || review.Value.Properties["yours"] == nil ||
		review.Value.Properties["choices"] == nil {
		t.Error("a review is not described with what it holds")
	}
}

// TestLiveStream listens while a conversation happens.
func TestLiveStream(t *testing.T) {
	t.Parallel()
	s := harness.Demo(t)
	request, err := http.NewRequestWithContext(harness.Context(t), http.MethodGet, s.URL+"/api/v1/live", nil)
	if err != nil {
		t.Fatal(err)
	}
	request.Header.Set("Authorization", "Bearer "+s.Person("Ines").Token)
	response, err := http.DefaultClient.Do(request)
	if err != nil {
		t.Fatal(err)
	}
	defer response.Body.Close()
	events, end := iter.Pull2(sse.Read(response.Body, nil))
	defer end()
	next := func() (kind string, data map[string]any) {
		t.Helper()
		event, err, more := events()
		if err != nil || !more {
			t.Fatal("the stream ended: ", err)
		}
		if err := json.Unmarshal([]byte(event.Data), &data); err != nil {
			t.Fatal(err)
		}
		return event.Type, data
	}
	if kind, _ := next(); kind != "ready" {
		t.Fatalf("the stream begins with %s", kind)
	}
	heard, err := s.As("Ines").Say(harness.Context(t), "depot-slots", "t1",
		"Can I bring 30 fleeces on Thursday morning?")
	if err != nil {
		t.Fatal(err)
	}
	said, kinds := "", map[string]bool{}
	for {
		kind, data := next()
		if data["run"] != heard.Run {
			continue
		}
		kinds[kind] = true
		if kind == "piece" {
			said += data["text"].(string)
		}
		if kind == "run" && data["status"] == "done" {
			break
		}
	}
	if said != "Which farm are they coming from?" || !kinds["run"] {
		t.Errorf("heard %q, news of the kinds %v", said, kinds)
	}
}

// TestOpenRunsFinishOnWhatTheyBeganWith changes a workflow while one of its
// runs waits for a person.
func TestOpenRunsFinishOnWhatTheyBeganWith(t *testing.T) {
	t.Parallel()
	s := harness.Demo(t)
	book(t, s, "t1")
	d := s.Talk("t1", "Cancel it")
	c := harness.Context(t)
	files, err := s.As("Ines").Files(c)
	if err != nil {
		t.Fatal(err)
	}
	const path = "workflows/depot-slots.yaml"
	files[path] = strings.Replace(files[path], "text: ${answer.text}", "text: \"New words: ${answer.text}\"", 1)
	if _, err := s.As("Ines").Apply(c, wire.Files{Files: files}); err != nil {
		t.Fatal(err)
	}
	if _, err := s.As("Ines").Publish(c, wire.Publish{Note: "new words"}); err != nil {
		t.Fatal(err)
	}
	s.Kill()
	if _, err := s.As("Tobias").Decide(c, s.OpenReview(d).ID, wire.Decision{Choice: "approve"}); err != nil {
		t.Fatal(err)
	}
	d = s.Ended(d.ID)
	if said := s.Said("t1", d.ID); d.Status != run.Done || strings.Contains(said, "New words") {
		t.Errorf("a run that was open took the new words: %q", said)
	}
	next := s.Talk("t1", "hello")
	if said := s.Said("t1", next.ID); !strings.HasPrefix(said, "New words: ") {
		t.Errorf("the next run kept the old words: %q", said)
	}
}

// TestStoppingLetsCallsComeHome stops the service while a booking is on its
// way: the answer is taken in, and nothing is sent again at the next start.
func TestStoppingLetsCallsComeHome(t *testing.T) {
	t.Parallel()
	s := harness.Demo(t)
	s.Misbehave("almanac", ledger.Order{Match: "PUT ", Times: 1, Delay: "1s", After: true})
	heard, err := s.As("Ines").Say(harness.Context(t), "depot-slots", "t1",
		"Can I bring 30 fleeces from Hollin Bank on Thursday morning?")
	if err != nil {
		t.Fatal(err)
	}
	harness.Eventually(t, "the booking is made", func() bool { return s.Count("almanac", "PUT", 200, 201, 204) == 1 })
	s.Terminate()
	if d := s.Ended(heard.Run); d.Status != run.Done {
		t.Errorf("%s: %s", d.Status, d.Because)
	}
	puts := 0
	for _, e := range s.Ledger("almanac") {
		if e.Method == "PUT" {
			puts++
		}
	}
	if puts != 1 {
		t.Errorf("the booking was sent %d times", puts)
	}
}

// TestPagesOfRunsHoldTogether walks a list by its pages.
func TestPagesOfRunsHoldTogether(t *testing.T) {
	t.Parallel()
	s := harness.Demo(t)
	for range 7 {
		s.Talk("t1", "hello")
	}
	seen, filter := map[string]bool{}, filterWorkflow("depot-slots")
	filter.Limit = 3
	for range 3 {
		page, err := s.As("Ines").Runs(harness.Context(t), filter)
		if err != nil {
			t.Fatal(err)
		}
		for _, r := range page.Runs {
			if seen[r.ID] {
				t.Errorf("%s stands on two pages", r.ID)
			}
			seen[r.ID] = true
		}
		filter.Before = page.Next
	}
	if len(seen) != 7 || filter.Before != "" {
		t.Errorf("%d of 7 runs on three pages, the next before %q", len(seen), filter.Before)
	}
	for text, want := range map[string]int{"HELL": 7, "100%": 0, "_": 0} {
		filter = filterWorkflow("")
		filter.Text = text
		if page, err := s.As("Ines").Runs(harness.Context(t), filter); err != nil || len(page.Runs) != want {
			t.Errorf("%q is found in %d runs, want %d (%v)", text, len(page.Runs), want, err)
		}
	}
	if ok := regexp.MustCompile(`^[0-9a-z]{16}$`).MatchString(s.Talk("t1", "hello").ID); !ok {
		t.Error("a run's id is not of the form documented")
	}
}
