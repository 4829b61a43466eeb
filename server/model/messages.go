package model

import (
	"encoding/json"
	"net/http"
	"strconv"
	"strings"

	"woolsignal/core/agent"
)

// messages is the messages protocol: content in blocks, and events that each say
// what happens to one of them.
type messages struct{}

type (
	blockRequest struct {
		Model     string         `json:"model"`
		System    string         `json:"system,omitempty"`
		Messages  []blockMessage `json:"messages"`
		Tools     []blockTool    `json:"tools,omitempty"`
		Choice    map[string]any `json:"tool_choice,omitempty"`
		MaxTokens int            `json:"max_tokens"`
		Stream    bool           `json:"stream"`
	}
	blockMessage struct {
		Role    string `json:"role"`
		Content []any  `json:"content"`
	}
	blockTool struct {
		Name        string         `json:"name"`
		Description string         `json:"description,omitempty"`
		Schema      map[string]any `json:"input_schema"`
	}
	blockUsage struct {
		Input    int `json:"input_tokens"`
		Output   int `json:"output_tokens"`
		Cached   int `json:"cache_read_input_tokens"`
		Stored   int `json:"cache_creation_input_tokens"`
		Searched struct {
			Requests int `json:"web_search_requests"`
		} `json:"server_tool_use"`
	}
	block struct {
		Type     string          `json:"type"`
		ID       string          `json:"id"`
		Name     string          `json:"name"`
		Text     string          `json:"text"`
		Thinking string          `json:"thinking"`
		Input    json.RawMessage `json:"input"`
	}
	blockAnswer struct {
		Model      string      `json:"model"`
		Content    []block     `json:"content"`
		StopReason string      `json:"stop_reason"`
		Usage      *blockUsage `json:"usage"`
		Error      *wireError  `json:"error"`
	}
	blockEvent struct {
		Type    string       `json:"type"`
		Index   int          `json:"index"`
		Message *blockAnswer `json:"message"`
		Block   *block       `json:"content_block"`
		Delta   struct {
			Type       string `json:"type"`
			Text       string `json:"text"`
			Thinking   string `json:"thinking"`
			JSON       string `json:"partial_json"`
			StopReason string `json:"stop_reason"`
		} `json:"delta"`
		Usage *blockUsage `json:"usage"`
		Error *wireError  `json:"error"`
	}
)

// answerTool is the tool through which a model gives an answer of a shape: what it
// is called with is the answer.
const answerTool = "give_answer"

func (messages) path() string        { return "/messages" }
func (messages) dress(h http.Header) { h.Set("Anthropic-Version", "2023-06-01") } // the protocol's version

// body is the request.
func (messages) body(q *question) any {
	r := blockRequest{Model: q.model.Name, System: q.system(), MaxTokens: q.longest(), Stream: true}
	for _, m := range q.Messages {
		one := blocksOf(q, m)
		// Messages of one role in a row are one: what tools gave comes as the user's.
		if n := len(r.Messages); n > 0 && r.Messages[n-1].Role == one.Role {
			r.Messages[n-1].Content = append(r.Messages[n-1].Content, one.Content...)
		} else if len(one.Content) > 0 {
			r.Messages = append(r.Messages, one)
		}
	}
	for _, t := range q.Tools {
		r.Tools = append(r.Tools, blockTool{q.names[t.Name], t.Description, objectOf(t.Schema)})
	}
	if q.Answer != nil && len(q.Tools) == 0 && q.Answer["type"] == "object" {
		r.System = q.System
		r.Tools = []blockTool{{answerTool, "Gives the answer.", q.Answer}}
		r.Choice = map[string]any{"type": "tool", "name": answerTool}
	}
	return r
}

// objectOf is a schema of arguments: the protocol wants one for every tool.
func objectOf(schema map[string]any) map[string]any {
	if schema["type"] == "object" {
		return schema
	}
	out := map[string]any{"type": "object"}
	for k, v := range schema {
		out[k] = v
	}
	return out
}

func blocksOf(q *question, m agent.Message) blockMessage {
	if m.Role == "tool" {
		return blockMessage{"user", []any{map[string]any{"type": "tool_result", "tool_use_id": q.calls[m.CallID],
			"content": m.Text, "is_error": strings.HasPrefix(m.Text, agent.ErrorMark)}}}
	}
	out := blockMessage{Role: m.Role, Content: []any{}}
	for _, f := range m.Files {
		out.Content = append(out.Content, blockOf(q.shown[f.Blob]))
	}
	if strings.TrimSpace(m.Text) != "" { // an empty block is refused
		out.Content = append(out.Content, map[string]any{"type": "text", "text": m.Text})
	}
	for _, a := range m.Asks {
		input, ok := arguments(a)
		if !ok || len(input) == 0 || input[0] != '{' { // the protocol has no place for words that are no map
			input = raw(map[string]any{"not_readable": a.Args})
		}
		out.Content = append(out.Content, map[string]any{"type": "tool_use", "id": q.calls[a.ID],
			"name": q.names[a.Tool], "input": input})
	}
	return out
}

func blockOf(s shown) map[string]any {
	source := map[string]any{"type": "base64", "media_type": s.Type, "data": s.data}
	switch {
	case s.data == "":
		return map[string]any{"type": "text", "text": s.told()}
	case s.isPicture():
		return map[string]any{"type": "image", "source": source}
	}
	return map[string]any{"type": "document", "title": s.Name, "source": source}
}

// chunk reads one event.
func (messages) chunk(w *writing, data string) (bool, error) {
	var e blockEvent
	if err := decode([]byte(data), &e); err != nil {
		return false, err
	}
	if e.Error != nil {
		return false, &busyError{breath, e.Error.err()}
	}
	switch e.Type {
	case "message_start":
		if e.Message != nil {
			w.turn.Model = e.Message.Model
			w.used(e.Message.Usage)
		}
	case "content_block_start":
		if e.Block != nil {
			return false, w.begins(strconv.Itoa(e.Index), e.Block)
		}
	case "content_block_delta":
		if err := w.thinks(e.Delta.Thinking); err != nil {
			return false, err
		}
		if err := w.words(e.Delta.Text); err != nil || e.Delta.JSON == "" {
			return false, err
		}
		return false, w.asks(piece{place: strconv.Itoa(e.Index), args: e.Delta.JSON})
	case "message_delta":
		w.used(e.Usage)
		w.stops(e.Delta.StopReason)
	case "message_stop":
		w.ended = true
		return true, nil
	}
	return false, nil
}

// begins takes in a block that begins, or one that is whole.
func (w *writing) begins(place string, b *block) error {
	if err := w.thinks(b.Thinking); err != nil {
		return err
	}
	if err := w.words(b.Text); err != nil || b.Type != "tool_use" {
		return err
	}
	args := strings.TrimSpace(string(b.Input))
	if args == "{}" || args == "null" { // pieces follow
		args = ""
	}
	return w.asks(piece{place, b.ID, b.Name, args})
}

// whole reads an answer that came in one piece.
func (messages) whole(w *writing, data []byte) error {
	var a blockAnswer
	if err := decode(data, &a); err != nil {
		return err
	}
	if a.Error != nil {
		return &busyError{breath, a.Error.err()}
	}
	w.turn.Model = a.Model
	w.used(a.Usage)
	for i := range a.Content {
		if err := w.begins(strconv.Itoa(i), &a.Content[i]); err != nil {
			return err
		}
	}
	w.stops(a.StopReason)
	return nil
}

// used takes in what was counted: the later word counts, and a part may be missing.
func (w *writing) used(u *blockUsage) {
	if u == nil {
		return
	}
	if in := u.Input + u.Cached + u.Stored; in > 0 {
		w.turn.Input, w.turn.Cached = in, u.Cached
	}
	w.turn.Output = max(w.turn.Output, u.Output)
	w.turn.Searches = max(w.turn.Searches, u.Searched.Requests)
}

// blockCuts are the reasons to stop that are no end.
var blockCuts = map[string]agent.Cut{"max_tokens": agent.CutLength, "refusal": agent.CutRefusal,
	"model_context_window_exceeded": agent.CutWindow}

func (w *writing) stops(reason string) {
	if reason == "" {
		return
	}
	w.cut(blockCuts[reason])
	// A call of the tool that gives the answer is the answer.
	if len(w.calls) == 1 && w.calls[0].name == answerTool {
		w.put(w.calls[0].args.String(), "")
		w.calls = nil
	}
}
