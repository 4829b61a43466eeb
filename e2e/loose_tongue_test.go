package e2e_test

import (
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"

	"woolsignal/core/run"
	"woolsignal/e2e/harness"
	"woolsignal/wire"
)

// tongue is a model that says more than it should: words beside the tool it uses, then an
// answer letter by letter with its own key in it.
type tongue struct{ key string }

const overheard = "This one owes us 900 pounds, so I look first."

func (m tongue) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	asked, err := io.ReadAll(r.Body)
	if err != nil {
		return
	}
	send := func(delta map[string]any, ends any) {
		text, _ := json.Marshal(map[string]any{"choices": []any{map[string]any{"delta": delta, "finish_reason": ends}}})
		fmt.Fprintf(w, "data: %s\n\n", text)
		_ = http.NewResponseController(w).Flush()
	}
	if !strings.Contains(string(asked), `"role":"tool"`) {
		for _, letter := range overheard {
			send(map[string]any{"content": string(letter)}, nil)
		}
		send(map[string]any{"tool_calls": []any{map[string]any{"index": 0, "id": "a", "type": "function",
			"function": map[string]any{"name": "self__label", "arguments": `{"label": "debtor"}`}}}}, "tool_calls")
	} else {
		for _, letter := range "Come on Monday; the key is " + m.key + ", keep it." {
			send(map[string]any{"content": string(letter)}, nil)
		}
		send(map[string]any{}, "stop")
	}
	fmt.Fprint(w, "data: [DONE]\n\n")
}

const counterTalk = `workflow: counter-talk
title: Counter talk
triggers:
  - id: in
    chat: {page: counter-talk, open: true}
steps:
  - id: m
    agent: tongue
    task: '${signal.text}'
  - say: {text: '${m.text}'}
`

// TestAVisitorHearsNoAsideAndNoSecret talks to an agent of an open page, and takes in every
// byte its stream and its messages give.
func TestAVisitorHearsNoAsideAndNoSecret(t *testing.T) {
	t.Parallel()
	const key = "sk-wool-0123456789abcdefghij"
	s := harness.Demo(t)
	server := httptest.NewServer(tongue{key})
	t.Cleanup(server.Close)
	ctx := harness.Context(t)
	withFiles(t, s, map[string]string{
		"connections/loose.yaml": "connection: loose\ntitle: Loose\naddress: " + server.URL + "/v1\n" +
			"auth: {bearer: kept by the service}\nnetworks: [loopback]\nmodel_server:\n  protocol: chat-completions\n" +
			"  models:\n    loose: {name: loose, input_price: 1, output_price: 2, abilities: [tools]}\n",
		"agents/tongue.yaml": "agent: tongue\ntitle: Tongue\npurpose: Answers.\nmodel: loose\n" +
			"instructions: Answer.\ntools: [self/label]\n"})
	if _, err := s.As("Ines").PutSecretFor(ctx, "loose", "", key); err != nil {
		t.Fatal(err)
	}
	if err := with(t, s, "counter-talk", counterTalk); err != nil {
		t.Fatal(err)
	}
	v := &visitor{t: t, url: s.URL + "/talk/counter-talk/messages", key: strings.Repeat("loose", 6)}
	words := listens(ctx, t, s.URL+"/talk/counter-talk/words", v.key)
	v.says("May I come?")
	d := s.RunOf("counter-talk", "ended", func(d wire.Detail) bool { return d.Status.Ended() })
	if d.Status != run.Done {
		t.Fatalf("%s %s", d.Status, d.Because)
	}
	kept := v.hears("keep it.")
	heard := strings.Join(pieces(words), "")
	for where, all := range map[string]string{"the stream": heard, "what stays": kept} {
		for _, secret := range []string{key, key[:12], "900", "owes"} {
			if strings.Contains(all, secret) {
				t.Errorf("%s tells a visitor %q: %s", where, secret, all)
			}
		}
	}
}
