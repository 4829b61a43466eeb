package bellwether

import (
	"encoding/json"
	"fmt"
	"net/http"
	"strings"
	"time"
)

// The chat-completions protocol.
type (
	chatMessage struct {
		Role       string     `json:"role"`
		Content    chatWords  `json:"content"`
		ToolCalls  []chatCall `json:"tool_calls,omitempty"`
		ToolCallID string     `json:"tool_call_id,omitempty"`
	}
	chatWords string
	chatCall  struct {
		Index    int          `json:"index"`
		ID       string       `json:"id"`
		Type     string       `json:"type"`
		Function chatFunction `json:"function"`
	}
	chatFunction struct {
		Name      string `json:"name"`
		Arguments string `json:"arguments"`
	}
	chatRequest struct {
		Model    string        `json:"model"`
		Messages []chatMessage `json:"messages"`
		Tools    []struct {
			Function struct {
				Name        string         `json:"name"`
				Description string         `json:"description"`
				Parameters  map[string]any `json:"parameters"`
			} `json:"function"`
		} `json:"tools"`
		Stream    bool `json:"stream"`
		MaxTokens int  `json:"max_tokens"`
		Longest   int  `json:"max_completion_tokens"`
		Format    struct {
			Type   string `json:"type"`
			Schema struct {
				Schema map[string]any `json:"schema"`
			} `json:"json_schema"`
		} `json:"response_format"`
	}
)

// UnmarshalJSON reads words, or parts of which some are shown.
func (c *chatWords) UnmarshalJSON(data []byte) error {
	var text string
	if json.Unmarshal(data, &text) == nil {
		*c = chatWords(text)
		return nil
	}
	var parts []struct {
		Text  string `json:"text"`
		Image struct {
			URL string `json:"url"`
		} `json:"image_url"`
		File struct {
			Name string `json:"filename"`
			Data string `json:"file_data"`
		} `json:"file"`
	}
	if err := json.Unmarshal(data, &parts); err != nil {
		return err
	}
	var said []string
	for _, p := range parts {
		switch {
		case p.Image.URL != "":
			said = append(said, tellURL("", p.Image.URL))
		case p.File.Data != "":
			said = append(said, tellURL(p.File.Name, p.File.Data))
		default:
			said = append(said, p.Text)
		}
	}
	*c = chatWords(strings.Join(said, "\n\n"))
	return nil
}

// tellURL says what a data: address (RFC 2397) shows.
func tellURL(name, address string) string {
	head, text, ok := strings.Cut(strings.TrimPrefix(address, "data:"), ";base64,")
	if !ok {
		return "The file " + name + " is nowhere I can look."
	}
	return tell(name, head, text)
}

func (c *chatRequest) request() *request {
	in := &request{Model: c.Model, Stream: c.Stream, Longest: max(c.MaxTokens, c.Longest)}
	if c.Format.Type == "json_schema" {
		in.Schema = c.Format.Schema.Schema
	}
	for _, m := range c.Messages {
		one := message{Role: m.Role, Content: string(m.Content), CallID: m.ToolCallID}
		for _, call := range m.ToolCalls {
			one.Calls = append(one.Calls, toolCall{call.ID, call.Function.Name, call.Function.Arguments})
		}
		in.Messages = append(in.Messages, one)
	}
	for _, t := range c.Tools {
		in.Tools = append(in.Tools, offer{t.Function.Name, t.Function.Description, t.Function.Parameters})
	}
	return in
}

// complete answers in the chat-completions protocol.
func (s *server) complete(w http.ResponseWriter, r *http.Request) {
	var asked chatRequest
	if !take(w, r, &asked) || !offers(w, asked.Model, false) {
		return
	}
	in := asked.request()
	out, err := s.answerTo(in)
	if err != nil {
		refuse(w, http.StatusBadRequest, err.Error())
		return
	}
	if !faulty(w, out.fault, chatFaults) {
		sendChat(w, in, out, s.paceOf(in.Model))
	}
}

func sendChat(w http.ResponseWriter, in *request, out reply, pace time.Duration) {
	read, cached, written := in.count(out)
	usage := map[string]any{"prompt_tokens": read, "completion_tokens": written, "total_tokens": read + written,
		"prompt_tokens_details": map[string]any{"cached_tokens": cached}}
	finish := "stop"
	switch {
	case out.cut:
		finish = "length"
	case len(out.calls) > 0:
		finish = "tool_calls"
	}
	var calls []chatCall
	for i, c := range out.calls {
		calls = append(calls, chatCall{i, c.ID, "function", chatFunction{c.Name, c.Arguments}})
	}
	if !in.Stream {
		answer(w, map[string]any{"id": "bw-1", "object": "chat.completion", "model": in.Model, "usage": usage,
			"choices": []any{map[string]any{"index": 0, "finish_reason": finish,
				"message": chatMessage{Role: "assistant", Content: chatWords(out.text), ToolCalls: calls}}}})
		return
	}
	send := events(w)
	chunk := func(delta any, finish any) {
		send("", map[string]any{"id": "bw-1", "object": "chat.completion.chunk", "model": in.Model,
			"choices": []any{map[string]any{"index": 0, "delta": delta, "finish_reason": finish}}})
	}
	chunk(map[string]any{"role": "assistant"}, nil)
	for _, word := range strings.SplitAfter(out.text, " ") {
		if word != "" {
			time.Sleep(pace)
			chunk(map[string]any{"content": word}, nil)
		}
	}
	for _, c := range calls {
		time.Sleep(8 * pace)
		chunk(map[string]any{"tool_calls": []chatCall{c}}, nil)
	}
	chunk(map[string]any{}, finish)
	send("", map[string]any{"id": "bw-1", "model": in.Model, "choices": []any{}, "usage": usage})
	fmt.Fprint(w, "data: [DONE]\n\n")
}

// events begins a stream of server-sent events, and gives what sends one.
func events(w http.ResponseWriter) func(kind string, v any) {
	w.Header().Set("Content-Type", "text/event-stream")
	flush := http.NewResponseController(w)
	return func(kind string, v any) {
		data, err := json.Marshal(v)
		if err != nil {
			return
		}
		if kind != "" {
			fmt.Fprintf(w, "event: %s\n", kind)
		}
		fmt.Fprintf(w, "data: %s\n\n", data)
		_ = flush.Flush() // who went away reads nothing
	}
}
