package bellwether

import (
	"encoding/json"
	"fmt"
	"net/http"
	"strings"
	"time"

	"github.com/go-chi/chi/v5"

	"woolsignal/standin/ledger"
)

// Names are the models it offers.
var Names = []string{"bellwether-small", "bellwether-medium", "bellwether-large"}

type (
	message struct {
		Role       string     `json:"role"`
		Content    string     `json:"content"`
		ToolCalls  []toolCall `json:"tool_calls,omitempty"`
		ToolCallID string     `json:"tool_call_id,omitempty"`
	}
	toolCall struct {
		Index    int      `json:"index"`
		ID       string   `json:"id"`
		Type     string   `json:"type"`
		Function function `json:"function"`
	}
	function struct {
		Name      string `json:"name"`
		Arguments string `json:"arguments"`
	}
	offer struct {
		Function struct {
			Name        string         `json:"name"`
			Description string         `json:"description"`
			Parameters  map[string]any `json:"parameters"`
		} `json:"function"`
	}
	request struct {
		Model    string    `json:"model"`
		Messages []message `json:"messages"`
		Tools    []offer   `json:"tools"`
		Stream   bool      `json:"stream"`
		Format   struct {
			Type   string `json:"type"`
			Schema struct {
				Schema map[string]any `json:"schema"`
			} `json:"json_schema"`
		} `json:"response_format"`
	}
)

// New makes the server. key is the bearer token it asks for; pace is how long
// it takes for a word, so that streaming can be seen.
func New(key string, pace time.Duration) http.Handler {
	r := chi.NewRouter()
	r.Use(func(next http.Handler) http.Handler {
		return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
			if r.Header.Get("Authorization") != "Bearer "+key {
				refuse(w, http.StatusUnauthorized, "the key is missing or wrong")
				return
			}
			next.ServeHTTP(w, r)
		})
	})
	r.Get("/v1/models", func(w http.ResponseWriter, _ *http.Request) {
		var data []any
		for _, n := range Names {
			data = append(data, map[string]any{"id": n, "object": "model", "owned_by": "larkrigg"})
		}
		answer(w, map[string]any{"object": "list", "data": data})
	})
	r.Post("/v1/chat/completions", func(w http.ResponseWriter, r *http.Request) { complete(w, r, pace) })
	return ledger.Wrap(r)
}

func answer(w http.ResponseWriter, v any) {
	w.Header().Set("Content-Type", "application/json")
	_ = json.NewEncoder(w).Encode(v)
}

func refuse(w http.ResponseWriter, status int, text string) {
	w.Header().Set("Content-Type", "application/json")
	w.WriteHeader(status)
	_ = json.NewEncoder(w).Encode(map[string]any{"error": map[string]any{"message": text,
		"type": "invalid_request_error"}})
}

func complete(w http.ResponseWriter, r *http.Request, pace time.Duration) {
	var in request
	if err := json.NewDecoder(http.MaxBytesReader(w, r.Body, 4<<20)).Decode(&in); err != nil {
		refuse(w, http.StatusBadRequest, err.Error())
		return
	}
	known := false
	for _, n := range Names {
		known = known || n == in.Model
	}
	if !known {
		refuse(w, http.StatusNotFound, "there is no model "+in.Model)
		return
	}
	text, calls := "", []toolCall(nil)
	if in.Format.Type == "json_schema" {
		text = answerShaped(&in, in.Format.Schema.Schema)
	} else {
		text, calls = think(&in)
	}
	for i := range calls {
		calls[i].Index, calls[i].Type, calls[i].ID = i, "function", fmt.Sprintf("call_%d", i+1)
	}
	finish := "stop"
	if len(calls) > 0 {
		finish = "tool_calls"
	}
	usage := count(&in, text, calls)
	if !in.Stream {
		answer(w, map[string]any{"id": "bw-1", "object": "chat.completion", "model": in.Model, "usage": usage,
			"choices": []any{map[string]any{"index": 0, "finish_reason": finish,
				"message": message{Role: "assistant", Content: text, ToolCalls: calls}}}})
		return
	}
	w.Header().Set("Content-Type", "text/event-stream")
	flush := http.NewResponseController(w)
	send := func(delta any, finish any, more map[string]any) {
		chunk := map[string]any{"id": "bw-1", "object": "chat.completion.chunk", "model": in.Model, "choices": []any{}}
		if delta != nil {
			chunk["choices"] = []any{map[string]any{"index": 0, "delta": delta, "finish_reason": finish}}
		}
		for k, v := range more {
			chunk[k] = v
		}
		data, _ := json.Marshal(chunk)
		fmt.Fprintf(w, "data: %s\n\n", data)
		_ = flush.Flush()
	}
	send(map[string]any{"role": "assistant"}, nil, nil)
	for _, word := range strings.SplitAfter(text, " ") {
		if word == "" {
			continue
		}
		if pace > 0 {
			time.Sleep(pace)
		}
		send(map[string]any{"content": word}, nil, nil)
	}
	for _, c := range calls {
		if pace > 0 {
			time.Sleep(8 * pace)
		}
		send(map[string]any{"tool_calls": []toolCall{c}}, nil, nil)
	}
	send(map[string]any{}, finish, nil)
	send(nil, nil, map[string]any{"usage": usage})
	fmt.Fprint(w, "data: [DONE]\n\n")
}

// count estimates tokens: four bytes each.
func count(in *request, text string, calls []toolCall) map[string]int {
	sent, _ := json.Marshal(in.Messages)
	tools, _ := json.Marshal(in.Tools)
	written := len(text)
	for _, c := range calls {
		written += len(c.Function.Name) + len(c.Function.Arguments)
	}
	p, c := (len(sent)+len(tools))/4, written/4+1
	return map[string]int{"prompt_tokens": p, "completion_tokens": c, "total_tokens": p + c}
}
