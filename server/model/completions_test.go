package model_test

import (
	"context"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"net/http/httptest"
	"reflect"
	"strings"
	"sync"
	"testing"
	"time"

	"woolsignal/core/agent"
	"woolsignal/core/flow"
	"woolsignal/core/protocol"
	"woolsignal/core/run"
	"woolsignal/server/model"
)

// peer is a model server that answers as a test says, and keeps what it was asked.
type peer struct {
	*model.Server
	mu    sync.Mutex
	asked []map[string]any
	heads []http.Header
}

// shelf gives every file the same bytes.
type shelf struct{}

func (shelf) Bytes(_ context.Context, f agent.File) ([]byte, error) {
	return []byte("bytes of " + f.Name), nil
}

func (shelf) Words(_ context.Context, f agent.File, _ []byte) (string, error) {
	return "words of " + f.Name, nil
}

// answering makes a peer that speaks a protocol; answer gets the number of the
// request, from 1, and what was asked.
func answering(t *testing.T, speaks string, answer func(w http.ResponseWriter, n int, asked map[string]any)) *peer {
	t.Helper()
	p := &peer{}
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		var asked map[string]any
		if err := json.NewDecoder(r.Body).Decode(&asked); err != nil {
			t.Errorf("the request cannot be read: %v", err)
		}
		p.mu.Lock()
		p.asked, p.heads = append(p.asked, asked), append(p.heads, r.Header)
		n := len(p.asked)
		p.mu.Unlock()
		answer(w, n, asked)
	}))
	t.Cleanup(server.Close)
	p.Server = &model.Server{Client: server.Client(), Files: shelf{}, Connection: &flow.Connection{Title: "Peer",
		Address: server.URL, Is: &protocol.ModelServer{Protocol: speaks}}}
	return p
}

var able = flow.Model{Name: "m", LongestAnswer: 500, InputPrice: 1, CachedPrice: 1, OutputPrice: 2, PicturePrice: 0.5,
	SearchPrice: 0.25, Abilities: []string{flow.CallsTools, flow.FitsSchemas, flow.ReadsPictures, flow.ReadsPDF}}

// ask asks it, and gives what it said as it came.
func (p *peer) ask(ask *run.Ask) (model.Reply, string, error) {
	var said strings.Builder
	if ask.Within == 0 {
		ask.Within = time.Minute // longer than a busy machine needs for the largest of these answers
	}
	if ask.Messages == nil {
		ask.Messages = []agent.Message{{Role: "user", Text: "Hello"}}
	}
	reply, err := p.Ask(context.Background(), able, ask, func(piece string) { said.WriteString(piece) })
	return reply, said.String(), err
}

func withTool() *run.Ask {
	return &run.Ask{Model: "medium", System: "be brief", Tools: []run.Offer{{Name: "slots/find",
		Description: "Finds."}}}
}

func stream(w io.Writer, chunks ...string) {
	for _, c := range chunks {
		fmt.Fprintf(w, "data: %s\n\n", c)
	}
}

func TestPiecesBecomeOneMessage(t *testing.T) {
	p := answering(t, protocol.Completions, func(w http.ResponseWriter, _ int, _ map[string]any) {
		stream(w, `{"model":"m-1","choices":[{"delta":{"role":"assistant","content":"Look"}}]}`,
			`{"choices":[{"delta":{"content":"ing."}}]}`,
			`{"choices":[{"delta":{"tool_calls":[{"index":0,"id":"a",`+
				`"function":{"name":"slots__find","arguments":"{\"n\":"}}]}}]}`,
			`{"choices":[{"delta":{"tool_calls":[{"index":0,"function":{"arguments":"2.0}"}}]},`+
				`"finish_reason":"tool_calls"}]}`,
			`{"choices":[],"usage":{"prompt_tokens":10,"completion_tokens":4,`+
				`"prompt_tokens_details":{"cached_tokens":3}}}`,
			`[DONE]`)
	})
	reply, said, err := p.ask(withTool())
	if err != nil {
		t.Fatal(err)
	}
	if said != "Looking." || reply.Message.Text != said || reply.Turn.Cost != 18 || reply.Turn.Model != "m-1" ||
		reply.Turn.Cached != 3 {
		t.Errorf("%q, %+v", said, reply)
	}
	if a := reply.Message.Asks; len(a) != 1 || a[0].Tool != "slots/find" ||
		!reflect.DeepEqual(a[0].Args, map[string]any{"n": int64(2)}) {
		t.Errorf("asks %+v", a)
	}
}

func TestBlocksBecomeOneMessage(t *testing.T) {
	p := answering(t, protocol.Messages, func(w http.ResponseWriter, _ int, _ map[string]any) {
		stream(w, `{"type":"message_start","message":{"model":"m-1","usage":{"input_tokens":7,`+
			`"cache_read_input_tokens":3,"output_tokens":1}}}`,
			`{"type":"content_block_start","index":0,"content_block":{"type":"thinking","thinking":"Where?"}}`,
			`{"type":"content_block_start","index":1,"content_block":{"type":"text","text":""}}`,
			`{"type":"content_block_delta","index":1,"delta":{"type":"text_delta","text":"Looking."}}`,
			`{"type":"ping"}`,
			`{"type":"content_block_start","index":2,"content_block":{"type":"tool_use","id":"a",`+
				`"name":"slots__find","input":{}}}`,
			`{"type":"content_block_delta","index":2,"delta":{"type":"input_json_delta","partial_json":"{\"n\":"}}`,
			`{"type":"content_block_delta","index":2,"delta":{"type":"input_json_delta","partial_json":"2.0}"}}`,
			`{"type":"content_block_stop","index":2}`,
			`{"type":"message_delta","delta":{"stop_reason":"tool_use"},"usage":{"output_tokens":4,`+
				`"server_tool_use":{"web_search_requests":2}}}`, `{"type":"message_stop"}`)
	})
	reply, said, err := p.ask(withTool())
	if err != nil {
		t.Fatal(err)
	}
	if said != "Looking." || reply.Message.Text != said || reply.Message.Thought != "Where?" ||
		reply.Turn.Cost != 500_018 || reply.Turn.Input != 10 || reply.Turn.Cached != 3 || reply.Turn.Output != 4 {
		t.Errorf("%q, %+v", said, reply)
	}
	if a := reply.Message.Asks; len(a) != 1 || a[0].Tool != "slots/find" ||
		!reflect.DeepEqual(a[0].Args, map[string]any{"n": int64(2)}) {
		t.Errorf("asks %+v", a)
	}
	if p.heads[0].Get("Anthropic-Version") == "" || p.asked[0]["system"] != "be brief" ||
		p.asked[0]["max_tokens"] != 500.0 {
		t.Errorf("asked %v", p.asked[0])
	}
}

// conversation is one with all that a conversation can have.
var conversation = []agent.Message{
	{Role: "user", Text: "What is on these?", Files: []agent.File{{Name: "bale.png", Type: "image/png", Blob: "1"},
		{Name: "bill.pdf", Type: "application/pdf", Blob: "2"}, {Name: "note.txt", Type: "text/plain", Blob: "3"}}},
	{Role: "assistant", Asks: []agent.Request{{ID: "run1-2/case-1/0-1-1", Tool: "slots/find",
		Args: map[string]any{"n": 2}},
		{ID: "run1-2/case-1/0-1-2", Tool: "slots/gone.away", Args: "no json"}}},
	{Role: "tool", CallID: "run1-2/case-1/0-1-1", Text: `{"free": 2}`},
	{Role: "tool", CallID: "run1-2/case-1/0-1-2", Text: "error: there is no such tool"},
	{Role: "user", Text: "That does not fit."},
}

// TestWhatIsSent holds a whole conversation against what each protocol makes of it.
func TestWhatIsSent(t *testing.T) {
	for speaks, want := range map[string][]string{
		protocol.Completions: {`"image_url":{"url":"data:image/png;base64,Ynl0ZXMgb2YgYmFsZS5wbmc="}`,
			`"file":{"file_data":"data:application/pdf;base64,`, `"text":"The file note.txt:\n\nwords of note.txt"`,
			`"id":"call_1"`, `"name":"slots__gone_away"`, `"arguments":"no json"`, `"tool_call_id":"call_2"`,
			`"max_tokens":500`},
		protocol.Messages: {`"type":"image"`, `"media_type":"application/pdf"`,
			`"text":"The file note.txt:\n\nwords of note.txt"`, `"id":"call_1"`, `"input":{"n":2}`,
			`"input":{"not_readable":"no json"}`, `"is_error":true`, `"tool_use_id":"call_1"`},
	} {
		p := answering(t, speaks, func(w http.ResponseWriter, _ int, _ map[string]any) {
			whole(w, speaks,
				"Two bales.")
		})
		a := withTool()
		a.Messages = conversation
		reply, _, err := p.ask(a)
		if err != nil {
			t.Fatal(speaks, err)
		}
		if reply.Turn.Pictures != 1 || reply.Turn.Cost < 500_000 {
			t.Errorf("%s: %+v", speaks, reply.Turn)
		}
		sent, _ := json.Marshal(p.asked[0])
		for _, part := range want {
			if !strings.Contains(string(sent), part) {
				t.Errorf("%s: %s is not in %s", speaks, part, sent)
			}
		}
		if speaks == protocol.Messages {
			roles := ""
			for _, m := range p.asked[0]["messages"].([]any) {
				roles += m.(map[string]any)["role"].(string) + " "
			}
			if roles != "user assistant user " {
				t.Errorf("the roles are %s", roles)
			}
		}
	}
}

// whole writes an answer in one piece, as a server does that streams nothing.
func whole(w http.ResponseWriter, speaks, text string) {
	w.Header().Set("Content-Type", "application/json; charset=utf-8")
	if speaks == protocol.Messages {
		_ = json.NewEncoder(w).Encode(map[string]any{"model": "m-1", "stop_reason": "end_turn",
			"content": []any{map[string]any{"type": "text", "text": text}},
			"usage":   map[string]any{"input_tokens": 10, "output_tokens": 4}})
		return
	}
	_ = json.NewEncoder(w).Encode(map[string]any{"model": "m-1",
		"choices": []any{map[string]any{"finish_reason": "stop",
			"message": map[string]any{"content": text}}}, "usage": map[string]any{"prompt_tokens": 10,
			"completion_tokens": 4}})
}
