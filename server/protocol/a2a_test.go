package protocol_test

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"net/http/httptest"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"woolsignal/server/tool"
)

// elsewhere is a connection to an agent elsewhere, whose card was read.
func elsewhere(t *testing.T, address, more string) *bench {
	t.Helper()
	b := made(t, map[string]string{"connections/hauliers.yaml": "connection: hauliers\ntitle: Hauliers\naddress: " +
		address + "\nnetworks: [loopback]\na2a: {" + more + "}\n"}, nil)
	if _, err := tool.AskOffers(t.Context(), b.kit, b.w.Connections["hauliers"]); err != nil {
		t.Fatal(err)
	}
	b.tools, _ = tool.Build(b.w, b.kit)
	return b
}

// sends has a skill used with words, and stays till something came of it.
func (b *bench) sends(words, task string) (map[string]any, error) {
	b.t.Helper()
	args := map[string]any{"message": words}
	if task != "" {
		args["task"] = task
	}
	s := tool.Sending{Key: fmt.Sprintf("key-%s-%s", words, task)}
	for {
		got, err := b.tools.Call(context.Background(), b.kit, "hauliers/book_lorry", args, s)
		var pending *tool.PendingError
		if !errors.As(err, &pending) {
			out, _ := got.(map[string]any)
			return out, err
		}
		time.Sleep(min(pending.After, 300*time.Millisecond)) // what a run waits, but shorter
		s.Ref = pending.Ref
	}
}

// TestARealAgentElsewhere speaks with an agent made with the protocol's own SDK, one that
// streams and one that does not: it answers at once, takes long, asks back, refuses, and
// is called off.
func TestARealAgentElsewhere(t *testing.T) {
	node := program(t, "node")
	modules := filepath.Dir(filepath.Dir(program(t, filepath.Join(root(t), ".cache", "servers", "node_modules",
		"@a2a-js", "sdk"))))
	script, err := filepath.Abs("testdata/agent.mjs")
	if err != nil {
		t.Fatal(err)
	}
	for _, way := range []string{"plain", "streams"} {
		t.Run(way, func(t *testing.T) {
			port := freePort(t)
			runs(t, "", port, node, script, port, way, modules)
			b := elsewhere(t, "http://127.0.0.1:"+port, "")
			if op := b.tools["hauliers/book_lorry"]; op == nil || !op.OpenWorld || op.ReadOnly ||
				op.Description != "Books a lorry. For example: A lorry for 12 bales on Friday" {
				t.Fatalf("its skill became %+v", op)
			}
			for _, c := range []struct{ words, want string }{{"Say a word", "done A word. <nil>"},
				{"A lorry for 12 bales", "done A lorry is booked. [map[lorry:L-7]]"},
				{"A lorry, for 2 s", "done A lorry is booked. [map[lorry:L-7]]"},
				{"Something unclear", "asks On which day? <nil>"}} {
				got, err := b.sends(c.words, "")
				if said := fmt.Sprint(got["state"], " ", got["text"], " ", got["data"]); err != nil || said != c.want {
					t.Errorf("%q: %s, %v", c.words, said, err)
				}
				if got["state"] != "asks" {
					continue
				}
				task, _ := got["task"].(string)
				if got, err = b.sends("On Friday", task); err != nil || got["state"] != "done" || got["task"] != task {
					t.Errorf("its question answered: %v, %v", got, err)
				}
			}
			var refused *tool.RefusedError
			_, err := b.sends("The impossible", "")
			if !strings.Contains(fmt.Sprint(err), "failed: No lorry is free.") {
				t.Errorf("a task that fails: %v", err)
			}
			if _, err := b.sends("On Friday", "no-such-task"); !strings.Contains(fmt.Sprint(err), "refused: ") ||
				way == "plain" && !errors.As(err, &refused) && err == nil {
				t.Errorf("a task nobody knows: %v", err)
			}
		})
	}
	t.Run("never ends", func(t *testing.T) {
		port := freePort(t)
		runs(t, "", port, node, script, port, "plain", modules)
		b := elsewhere(t, "http://127.0.0.1:"+port, "within: 1s")
		if _, err := b.sends("never", ""); !strings.Contains(fmt.Sprint(err), "within 1 second; it was called off") {
			t.Errorf("%v", err)
		}
	})
}

// lyingAgent is a peer that answers what it is told to.
type lyingAgent struct {
	card    map[string]any
	answers map[string]string // by method
	stream  bool
}

func (l *lyingAgent) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	if r.Method == http.MethodGet {
		_ = json.NewEncoder(w).Encode(l.card) // the caller has gone
		return
	}
	var in struct{ Method string }
	_ = json.NewDecoder(r.Body).Decode(&in) // what is no JSON asks nothing
	if l.stream && in.Method == "SendStreamingMessage" {
		w.Header().Set("Content-Type", "text/event-stream")
	}
	fmt.Fprint(w, l.answers[in.Method])
}

// TestAgentsElsewhereThatLie has peers answer with another task's id, garbage, half a
// stream, nothing, and cards that lead away, speak another version, or lost their skill.
func TestAgentsElsewhereThatLie(t *testing.T) {
	working := `{"jsonrpc":"2.0","id":"1","result":{"task":{"id":"t1","contextId":"c",` +
		`"status":{"state":"TASK_STATE_WORKING"}}}}`
	for name, c := range map[string]struct {
		answers map[string]string
		stream  bool
		says    string
	}{
		"another task's id": {map[string]string{"SendMessage": working, "GetTask": `{"result":{"id":"t2","status":` +
			`{"state":"TASK_STATE_COMPLETED"}}}`}, false, `answered about the task "t2"; asked was about "t1"`},
		"a task it forgot": {map[string]string{"SendMessage": working,
			"GetTask": `{"error":{"code":-32001,"message":"no"}}`}, false, "knows nothing of the task t1 any more"},
		"garbage": {map[string]string{"SendMessage": "<html>"}, false, "what is no JSON-RPC"},
		"nothing": {map[string]string{"SendMessage": "{}"}, false, "neither a result nor an error"},
		"an error": {map[string]string{"SendMessage": `{"error":{"code":-32602,"message":"no parts"}}`}, false,
			"no parts (-32602)"},
		"no task": {map[string]string{"SendMessage": `{"result":{"task":{}}}`}, false, `answered about the task ""`},
		"half a stream": {map[string]string{"SendStreamingMessage": "data: " + working + "\n\ndata: {\"jso",
			"GetTask": `{"result":{"id":"t1","status":{"state":"TASK_STATE_FAILED"}}}`}, true, "Hauliers failed"},
		"an empty stream": {map[string]string{"SendStreamingMessage": ""}, true, "said nothing of what comes of it"},
	} {
		t.Run(name, func(t *testing.T) {
			l := &lyingAgent{answers: c.answers, stream: c.stream}
			server := httptest.NewServer(l)
			t.Cleanup(server.Close)
			l.card = cardAt(server.URL, "1.0", "Book-Lorry", c.stream)
			b := elsewhere(t, server.URL, "")
			if _, err := b.sends("A lorry", ""); !strings.Contains(fmt.Sprint(err), c.says) {
				t.Errorf("%v", err)
			}
		})
	}
	l := &lyingAgent{}
	server := httptest.NewServer(l)
	t.Cleanup(server.Close)
	l.card = cardAt(server.URL, "1.0", "Book-Lorry", false)
	b := elsewhere(t, server.URL, "")
	for says, card := range map[string]map[string]any{
		"no longer has the skill Book-Lorry; its card has: Sing": cardAt(server.URL, "1.0", "Sing", false),
		"which is not the host this connection names": cardAt("http://127.0.0.1:1", "1.0", "Book-Lorry",
			false),
		"speaks JSONRPC 0.3; JSONRPC 1.0 is needed": cardAt(server.URL, "0.3", "Book-Lorry", false),
	} {
		l.card = card
		if _, err := b.sends("A lorry", ""); !strings.Contains(fmt.Sprint(err), says) {
			t.Errorf("%v", err)
		}
	}
}

func cardAt(address, version, skill string, streams bool) map[string]any {
	return map[string]any{"name": "Liar", "supportedInterfaces": []any{map[string]any{"url": address + "/rpc",
		"protocolBinding": "JSONRPC", "protocolVersion": version}},
		"capabilities": map[string]any{"streaming": streams}, "skills": []any{map[string]any{"id": skill,
			"description": "Books."}}}
}

// TestAnAgentElsewhereThatAsksBackForEver gives each of its questions as a result, so
// that whoever asked, and the limits of an agent, say when it is enough.
func TestAnAgentElsewhereThatAsksBackForEver(t *testing.T) {
	asked := 0
	l := &lyingAgent{answers: map[string]string{}}
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if r.Method == http.MethodPost {
			status := fmt.Sprintf(`{"id":"t1","status":{"state":"TASK_STATE_INPUT_REQUIRED",`+
				`"message":{"messageId":"q%d","parts":[{"text":"And then?"}]}}}`, asked/2)
			asked++ // a message is sent once it is known which question it answers
			l.answers = map[string]string{"SendMessage": `{"result":{"task":` + status + `}}`,
				"GetTask": `{"result":` + status + `}`}
		}
		l.ServeHTTP(w, r)
	}))
	t.Cleanup(server.Close)
	l.card = cardAt(server.URL, "1.0", "Book-Lorry", false)
	b := elsewhere(t, server.URL, "")
	task := ""
	for range 4 {
		got, err := b.sends("A lorry", task)
		if err != nil || got["state"] != "asks" || got["text"] != "And then?" || got["task"] != "t1" {
			t.Fatalf("%v, %v", got, err)
		}
		task = "t1"
	}
}
