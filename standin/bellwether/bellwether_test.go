package bellwether

import (
	"encoding/json"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"
	"time"
)

var monday = time.Date(2026, 11, 23, 0, 0, 0, 0, time.UTC)

func TestDaysAreReadAsPeopleSayThem(t *testing.T) {
	for said, want := range map[string]string{
		"today please": "2026-11-23", "tomorrow": "2026-11-24", "on Thursday morning": "2026-11-26",
		"Monday":     "2026-11-30",
		"2026-12-01": "2026-12-01", "the 3rd of December": "2026-12-03", "1 March": "2027-03-01", "whenever": "",
	} {
		got := ""
		if d, ok := readDay(said, monday); ok {
			got = d.Format(time.DateOnly)
		}
		if got != want {
			t.Errorf("%q is read as %q, want %q", said, got, want)
		}
	}
}

func TestFactsAreGatheredOverAConversation(t *testing.T) {
	f := gather([]message{
		{Role: "system", Content: "It is Monday 23 November 2026, 09:10 (Europe/London)."},
		{Role: "user", Content: "Can I bring 30 fleeces on Thursday afternoon?"},
		{Role: "assistant", Content: "Which farm?"},
		{Role: "user", Content: "Hollin Bank"},
		{Role: "tool", Content: `{"calendar":"dock-1","id":"ws-1f"}`},
	})
	for name, want := range map[string]string{"day": "2026-11-26", "amount": "30 fleeces", "grower": "Hollin Bank",
		"earliest": "12:00", "event": "ws-1f"} {
		if f[name] != want {
			t.Errorf("%s is %q, want %q", name, f[name], want)
		}
	}
	f.read("it's from Upper Swarth, 4 bales at 2:30 pm on Friday", monday)
	for name, want := range map[string]string{"day": "2026-11-27", "amount": "4 bales", "grower": "Upper Swarth",
		"time": "14:30", "earliest": "14:30"} {
		if f[name] != want {
			t.Errorf("later, %s is %q, want %q", name, f[name], want)
		}
	}
}

func offerOf(name, description, parameters string) offer {
	o := offer{Name: name, Description: description}
	if err := json.Unmarshal([]byte(parameters), &o.Parameters); err != nil {
		panic(err)
	}
	return o
}

func TestWhatNoRuleIsAbout(t *testing.T) {
	tools := []offer{
		offerOf("register__list_deliveries", "Lists deliveries, all or one grower's.",
			`{"type":"object","properties":{"grower":{"type":"string"}},"required":["grower"]}`),
		offerOf("sensors__read_store", "Reads humidity and temperature of a wool store.",
			`{"type":"object","properties":{}}`),
		offerOf("helper__market_researcher", "Finds what newspapers say about prices.", `{"type":"object",
			"required":["inputs","task"],"properties":{"task":{"type":"string"},"inputs":{"type":"object",
			"required":["about","grower"],"properties":{"about":{"type":"string"},"grower":{"type":"string"}}}}}`),
	}
	ask := func(said string) (string, []toolCall) {
		out := think(&request{Tools: tools, Messages: []message{{Role: "user", Content: said}}}, nil)
		return out.text, out.calls
	}
	if _, calls := ask("What is the humidity and temperature in there?"); len(calls) != 1 ||
		calls[0].Name != "sensors__read_store" {
		t.Errorf("a tool whose description overlaps: %+v", calls)
	}
	if _, calls := ask("Which deliveries has the grower at Skell Top?"); len(calls) != 1 ||
		calls[0].Arguments != `{"grower":"Skell Top"}` {
		t.Errorf("an argument out of the text: %+v", calls)
	}
	if text, _ := ask("Which deliveries has that grower?"); !strings.Contains(text, "need to know: grower") {
		t.Errorf("a missing argument: %q", text)
	}
	asked := "What do newspapers say about prices for Skell Top?"
	if _, calls := ask(asked); len(calls) != 1 ||
		calls[0].Arguments != `{"inputs":{"about":"`+asked+`","grower":"Skell Top"},"task":"`+asked+`"}` {
		t.Errorf("a question that is passed on: %+v", calls)
	}
	if text, _ := ask("What do newspapers say about prices?"); !strings.Contains(text, "need to know: grower") {
		t.Errorf("what is missing deeper down: %q", text)
	}
	if text, _ := ask("mumble"); !strings.Contains(text, "lists deliveries") {
		t.Errorf("nothing fits: %q", text)
	}
}

func TestTheProtocolIsEnforced(t *testing.T) {
	server := httptest.NewServer(New(Options{Key: "key"}))
	defer server.Close()
	for name, c := range map[string]struct {
		key, body string
		status    int
	}{
		"wrong key":     {"other", `{}`, http.StatusUnauthorized},
		"no JSON":       {"key", `{`, http.StatusBadRequest},
		"unknown model": {"key", `{"model":"ram"}`, http.StatusNotFound},
		"whole answer": {"key", `{"model":"bellwether-small","messages":[{"role":"user","content":"hello"}]}`,
			http.StatusOK},
	} {
		request, _ := http.NewRequest(http.MethodPost, server.URL+"/v1/chat/completions", strings.NewReader(c.body))
		request.Header.Set("Authorization", "Bearer "+c.key)
		response, err := http.DefaultClient.Do(request)
		if err != nil {
			t.Fatal(err)
		}
		var body map[string]any
		if err := json.NewDecoder(response.Body).Decode(&body); err != nil || response.StatusCode != c.status ||
			(body["error"] == nil) != (c.status == 200) {
			t.Errorf("%s: %d %v %v", name, response.StatusCode, body, err)
		}
		response.Body.Close()
	}
}
