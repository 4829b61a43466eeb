package model_test

import (
	"context"
	"fmt"
	"io"
	"net/http"
	"net/http/httptest"
	"reflect"
	"strings"
	"testing"
	"time"

	"woolsignal/core/flow"
	"woolsignal/core/run"
	"woolsignal/server/model"
)

// ask sends one message to a peer that answers with each reply in turn.
func ask(t *testing.T, peer http.HandlerFunc) (model.Reply, string, error) {
	t.Helper()
	server := httptest.NewServer(peer)
	defer server.Close()
	s := model.Server{Connection: &flow.Connection{Title: "Peer", Address: server.URL}, Client: server.Client()}
	var said strings.Builder
	reply, err := s.Ask(context.Background(), flow.Model{Name: "m", InputPrice: 1, OutputPrice: 2},
		&run.Ask{System: "be brief", Within: 2 * time.Second, Tools: []run.Offer{{Name: "slots/find"}}},
		func(piece string) { said.WriteString(piece) })
	return reply, said.String(), err
}

func stream(w io.Writer, chunks ...string) {
	for _, c := range chunks {
		fmt.Fprintf(w, "data: %s\n\n", c)
	}
}

func TestPiecesBecomeOneMessage(t *testing.T) {
	reply, said, err := ask(t, func(w http.ResponseWriter, _ *http.Request) {
		stream(w, `{"model":"m-1","choices":[{"delta":{"role":"assistant","content":"Look"}}]}`,
			`{"choices":[{"delta":{"content":"ing."}}]}`,
			`{"choices":[{"delta":{"tool_calls":[{"index":0,"id":"a",`+
				`"function":{"name":"slots__find","arguments":"{\"n\":"}}]}}]}`,
			`{"choices":[{"delta":{"tool_calls":[{"index":0,"function":{"arguments":"2.0}"}}]},`+
				`"finish_reason":"tool_calls"}]}`,
			`{"choices":[],"usage":{"prompt_tokens":10,"completion_tokens":4}}`, `[DONE]`)
	})
	if err != nil {
		t.Fatal(err)
	}
	if said != "Looking." || reply.Message.Text != said || reply.Turn.Cost != 18 || reply.Turn.Model != "m-1" {
		t.Errorf("%q, %+v", said, reply)
	}
	if a := reply.Message.Asks; len(a) != 1 || a[0].Tool != "slots/find" ||
		!reflect.DeepEqual(a[0].Args, map[string]any{"n": int64(2)}) {
		t.Errorf("asks %+v", a)
	}
}

func TestOverloadIsWaitedOut(t *testing.T) {
	tries := 0
	reply, _, err := ask(t, func(w http.ResponseWriter, _ *http.Request) {
		if tries++; tries < 3 {
			w.WriteHeader(http.StatusServiceUnavailable)
			return
		}
		stream(w, `{"choices":[{"delta":{"content":"ok"},"finish_reason":"stop"}]}`)
	})
	if err != nil || reply.Message.Text != "ok" || tries != 3 {
		t.Errorf("%d tries, %+v, %v", tries, reply, err)
	}
}

func TestBrokenAnswersAreExplained(t *testing.T) {
	for name, c := range map[string]struct {
		want string
		peer http.HandlerFunc
	}{
		"wrong key": {"its key is wrong", func(w http.ResponseWriter, _ *http.Request) {
			http.Error(w, `{"error":{"message":"bad key"}}`, http.StatusUnauthorized)
		}},
		"garbage": {"cannot be read", func(w http.ResponseWriter, _ *http.Request) { stream(w, "<html>") }},
		"cut stream": {"broke off", func(w http.ResponseWriter, _ *http.Request) {
			stream(w, `{"choices":[{"delta":{"content":"half an ans"}}]}`)
		}},
		"nothing": {"answered nothing", func(w http.ResponseWriter, _ *http.Request) {
			stream(w, `{"choices":[{"delta":{},"finish_reason":"stop"}]}`)
		}},
		"error inside": {"window is full",
			func(w http.ResponseWriter, _ *http.Request) { stream(w, `{"error":{"message":"window is full"}}`) }},
		"wild index": {"tool call number", func(w http.ResponseWriter, _ *http.Request) {
			stream(w, `{"choices":[{"delta":{"tool_calls":[{"index":99999}]}}]}`)
		}},
		"never answers": {"did not answer within 2 seconds",
			func(_ http.ResponseWriter, r *http.Request) { _, _ = io.Copy(io.Discard, r.Body); <-r.Context().Done() }},
	} {
		if _, _, err := ask(t, c.peer); err == nil || !strings.Contains(err.Error(), c.want) ||
			!strings.HasPrefix(err.Error(), "Peer") {
			t.Errorf("%s: %v, want %q", name, err, c.want)
		}
	}
}
