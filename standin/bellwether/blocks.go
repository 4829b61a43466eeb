package bellwether

import (
	"encoding/json"
	"net/http"
	"strings"
	"time"
)

// The messages protocol.
type (
	blockRequest struct {
		Model    string `json:"model"`
		System   string `json:"system"`
		Messages []struct {
			Role    string `json:"role"`
			Content blocks `json:"content"`
		} `json:"messages"`
		Tools []struct {
			Name        string         `json:"name"`
			Description string         `json:"description"`
			Schema      map[string]any `json:"input_schema"`
		} `json:"tools"`
		Choice struct {
			Name string `json:"name"`
		} `json:"tool_choice"`
		MaxTokens int  `json:"max_tokens"`
		Stream    bool `json:"stream"`
	}
	blocks []block
	block  struct {
		Type   string          `json:"type"`
		Text   string          `json:"text"`
		ID     string          `json:"id"`
		Name   string          `json:"name"`
		Title  string          `json:"title"`
		Input  json.RawMessage `json:"input"`
		Of     string          `json:"tool_use_id"`
		Given  any             `json:"content"`
		Source struct {
			Kind string `json:"media_type"`
			Data string `json:"data"`
		} `json:"source"`
	}
)

// UnmarshalJSON reads words, or blocks.
func (b *blocks) UnmarshalJSON(data []byte) error {
	var text string
	if json.Unmarshal(data, &text) == nil {
		*b = blocks{{Type: "text", Text: text}}
		return nil
	}
	var all []block
	err := json.Unmarshal(data, &all)
	*b = all
	return err
}

func (b *blockRequest) request() *request {
	in := &request{Model: b.Model, Stream: b.Stream, Longest: b.MaxTokens,
		Messages: []message{{Role: "system", Content: b.System}}}
	for _, m := range b.Messages {
		in.Messages = append(in.Messages, m.Content.messages(m.Role)...)
	}
	for _, t := range b.Tools {
		if t.Name == b.Choice.Name { // it is made to use it: what it is called with is the answer
			in.Schema = t.Schema
			continue
		}
		in.Tools = append(in.Tools, offer{t.Name, t.Description, t.Schema})
	}
	return in
}

// messages are the blocks of one message: what tools gave, each one of its own, and
// the rest.
func (b blocks) messages(role string) []message {
	var out []message
	rest := message{Role: role}
	var said []string
	for _, one := range b {
		switch one.Type {
		case "tool_result":
			text, _ := one.Given.(string)
			out = append(out, message{Role: "tool", CallID: one.Of, Content: text})
		case "tool_use":
			rest.Calls = append(rest.Calls, toolCall{one.ID, one.Name, string(one.Input)})
		case "image", "document":
			said = append(said, tell(one.Title, one.Source.Kind, one.Source.Data))
		default:
			said = append(said, one.Text)
		}
	}
	if rest.Content = strings.Join(said, "\n\n"); rest.Content != "" || len(rest.Calls) > 0 {
		out = append(out, rest)
	}
	return out
}

// message answers in the messages protocol.
func (s *server) message(w http.ResponseWriter, r *http.Request) {
	var asked blockRequest
	if !take(w, r, &asked) || !offers(w, asked.Model, false) {
		return
	}
	if asked.MaxTokens < 1 {
		refuse(w, http.StatusBadRequest, "max_tokens: say how long the answer may be")
		return
	}
	in := asked.request()
	out, err := s.answerTo(in)
	if err != nil {
		refuse(w, http.StatusBadRequest, err.Error())
		return
	}
	if in.Schema != nil && asked.Choice.Name != "" {
		out.calls, out.text = []toolCall{{"call_1", asked.Choice.Name, out.text}}, ""
	}
	if !faulty(w, out.fault, blockFaults) {
		sendBlocks(w, in, out, s.paceOf(in.Model))
	}
}

func sendBlocks(w http.ResponseWriter, in *request, out reply, pace time.Duration) {
	read, cached, written := in.count(out)
	usage := map[string]any{"input_tokens": read - cached, "cache_read_input_tokens": cached, "output_tokens": written}
	stop := "end_turn"
	switch {
	case out.cut:
		stop = "max_tokens"
	case len(out.calls) > 0:
		stop = "tool_use"
	}
	var content []map[string]any
	if out.text != "" {
		content = append(content, map[string]any{"type": "text", "text": out.text})
	}
	for _, c := range out.calls {
		content = append(content, map[string]any{"type": "tool_use", "id": c.ID, "name": c.Name,
			"input": json.RawMessage(c.Arguments)})
	}
	whole := map[string]any{"id": "bw-1", "type": "message", "role": "assistant", "model": in.Model}
	if !in.Stream {
		whole["content"], whole["stop_reason"], whole["usage"] = content, stop, usage
		answer(w, whole)
		return
	}
	send := events(w)
	whole["usage"] = usage
	send("message_start", map[string]any{"type": "message_start", "message": whole})
	for i, b := range content {
		streamBlock(send, i, b, pace)
	}
	send("message_delta", map[string]any{"type": "message_delta", "delta": map[string]any{"stop_reason": stop},
		"usage": map[string]any{"output_tokens": written}})
	send("message_stop", map[string]any{"type": "message_stop"})
}

func streamBlock(send func(string, any), at int, b map[string]any, pace time.Duration) {
	begin := map[string]any{"type": "text", "text": ""}
	var pieces []map[string]any
	if text, words := b["text"].(string); words {
		for _, word := range strings.SplitAfter(text, " ") {
			pieces = append(pieces, map[string]any{"type": "text_delta", "text": word})
		}
	} else {
		begin = map[string]any{"type": "tool_use", "id": b["id"], "name": b["name"], "input": map[string]any{}}
		input, _ := b["input"].(json.RawMessage)
		pieces = append(pieces, map[string]any{"type": "input_json_delta", "partial_json": string(input)})
	}
	send("content_block_start", map[string]any{"type": "content_block_start", "index": at, "content_block": begin})
	for _, p := range pieces {
		time.Sleep(pace)
		send("content_block_delta", map[string]any{"type": "content_block_delta", "index": at, "delta": p})
	}
	send("content_block_stop", map[string]any{"type": "content_block_stop", "index": at})
}
