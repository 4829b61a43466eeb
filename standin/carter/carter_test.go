package carter_test

import (
	"encoding/json"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"

	"woolsignal/standin/carter"
)

// asks sends one request and gives what came back, as text.
func asks(t *testing.T, url, key, body string) string {
	t.Helper()
	request, err := http.NewRequest(http.MethodPost, url+"/a2a", strings.NewReader(body))
	if err != nil {
		t.Fatal(err)
	}
	request.Header.Set("Authorization", "Bearer "+key)
	response, err := http.DefaultClient.Do(request)
	if err != nil {
		t.Fatal(err)
	}
	defer response.Body.Close()
	if response.StatusCode != http.StatusOK {
		return response.Status
	}
	var out any
	if err := json.NewDecoder(response.Body).Decode(&out); err != nil {
		t.Fatal(err)
	}
	text, _ := json.Marshal(out)
	return string(text)
}

func TestALorryIsBookedByTalking(t *testing.T) {
	s := httptest.NewServer(carter.New("key"))
	defer s.Close()
	says := func(id, task, words string) string {
		return `{"jsonrpc":"2.0","id":1,"method":"SendMessage","params":{"message":{"messageId":"` + id +
			`","taskId":"` + task + `","role":"ROLE_USER","parts":[{"text":"` + words + `"}]}}}`
	}
	for _, c := range []struct{ name, key, body, want string }{
		{"a stranger", "other", says("m0", "", "12 bales"), "401"},
		{"without a day", "key", says("m1", "", "Can you fetch 12 bales?"), `"text":"On which day?"`},
		{"the same again", "key", says("m1", "", "Can you fetch 12 bales?"), `"id":"lorry-1"`},
		{"the day", "key", says("m2", "lorry-1", "On Friday."), "12 bales, Friday"},
		{"after its end", "key", says("m3", "lorry-1", "And 3 bales more"), "has ended"},
		{"of no task", "key", says("m4", "lorry-9", "Friday"), "no task lorry-9"},
		{"without words", "key", says("m5", "", ""), "at least one part"},
		{"another", "key", says("m6", "", "A lorry, please"), "For how many bales?"},
		{"called off", "key", `{"jsonrpc":"2.0","id":2,"method":"CancelTask","params":{"id":"lorry-2"}}`,
			"TASK_STATE_CANCELED"},
		{"called off twice", "key", `{"jsonrpc":"2.0","id":2,"method":"CancelTask","params":{"id":"lorry-2"}}`,
			"-32002"},
		{"looked up", "key", `{"jsonrpc":"2.0","id":2,"method":"GetTask","params":{"id":"lorry-1"}}`,
			"TASK_STATE_COMPLETED"},
		{"an unknown method", "key", `{"jsonrpc":"2.0","id":2,"method":"Sing"}`, "-32601"},
		{"no JSON", "key", `{`, "-32700"},
	} {
		if got := asks(t, s.URL, c.key, c.body); !strings.Contains(got, c.want) {
			t.Errorf("%s: %s, want %q", c.name, got, c.want)
		}
	}
}
