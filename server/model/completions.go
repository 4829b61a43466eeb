package model

import (
	"encoding/json"
	"net/http"
	"strconv"

	"woolsignal/core/agent"
	"woolsignal/core/flow"
)

// completions is the chat-completions protocol, as many servers speak it.
type completions struct{}

type (
	chatMessage struct {
		Role       string     `json:"role"`
		Content    any        `json:"content"` // a text, or a list of parts
		ToolCalls  []chatCall `json:"tool_calls,omitempty"`
		ToolCallID string     `json:"tool_call_id,omitempty"`
	}
	chatCall struct {
		ID       string       `json:"id"`
		Type     string       `json:"type"`
		Function chatFunction `json:"function"`
	}
	chatFunction struct {
		Name      string `json:"name"`
		Arguments string `json:"arguments"`
	}
	chatTool struct {
		Type     string       `json:"type"`
		Function chatOffering `json:"function"`
	}
	chatOffering struct {
		Name        string         `json:"name"`
		Description string         `json:"description"`
		Parameters  map[string]any `json:"parameters,omitempty"`
	}
	chatRequest struct {
		Model     string         `json:"model"`
		Messages  []chatMessage  `json:"messages"`
		Tools     []chatTool     `json:"tools,omitempty"`
		Stream    bool           `json:"stream"`
		Options   map[string]any `json:"stream_options,omitempty"`
		Format    map[string]any `json:"response_format,omitempty"`
		MaxTokens int            `json:"max_tokens,omitempty"`
		Longest   int            `json:"max_completion_tokens,omitempty"` // its newer name
	}
	chatAnswer struct {
		Model   string `json:"model"`
		Choices []struct {
			Delta        chatPiece `json:"delta"`
			Message      chatPiece `json:"message"`
			FinishReason string    `json:"finish_reason"`
		} `json:"choices"`
		Usage *struct {
			Prompt  int `json:"prompt_tokens"`
			Written int `json:"completion_tokens"`
			Details struct {
				Cached int `json:"cached_tokens"`
			} `json:"prompt_tokens_details"`
		} `json:"usage"`
		Error *wireError `json:"error"`
	}
	chatPiece struct {
		Content   chatWords `json:"content"`
		Refusal   string    `json:"refusal"`
		Reasoning string    `json:"reasoning"`
		Thought   string    `json:"reasoning_content"`
		Calls     []struct {
			Index    *int   `json:"index"`
			ID       string `json:"id"`
			Function struct {
				Name      string    `json:"name"`
				Arguments chatWords `json:"arguments"`
			} `json:"function"`
		} `json:"tool_calls"`
	}
)

// chatWords are words as servers write them: a text, a list of parts with texts, or
// JSON where a text of it belongs.
type chatWords string

// UnmarshalJSON reads any of them.
func (s *chatWords) UnmarshalJSON(data []byte) error {
	var text string
	var parts []struct {
		Text string `json:"text"`
	}
	switch {
	case json.Unmarshal(data, &text) == nil: // nothing at all too
		*s = chatWords(text)
	case json.Unmarshal(data, &parts) == nil:
		for _, p := range parts {
			*s += chatWords(p.Text)
		}
	default:
		*s = chatWords(data)
	}
	return nil
}

func (completions) path() string      { return "/chat/completions" }
func (completions) dress(http.Header) {}

// body is the request.
func (completions) body(q *question) any {
	r := chatRequest{Model: q.model.Name, Stream: true,
		Messages: []chatMessage{{Role: "system", Content: q.system()}}}
	if !q.without("stream_options") {
		r.Options = map[string]any{"include_usage": true}
	}
	if q.without("max_tokens") {
		r.Longest = q.longest()
	} else {
		r.MaxTokens = q.longest()
	}
	if q.Answer != nil && q.model.Can(flow.FitsSchemas) && !q.without("response_format") {
		r.Format = map[string]any{"type": "json_schema",
			"json_schema": map[string]any{"name": "answer", "schema": q.Answer}}
	}
	for _, m := range q.Messages {
		r.Messages = append(r.Messages, chatOf(q, m))
	}
	for _, t := range q.Tools {
		r.Tools = append(r.Tools, chatTool{"function", chatOffering{q.names[t.Name], t.Description, t.Schema}})
	}
	return r
}

func chatOf(q *question, m agent.Message) chatMessage {
	w := chatMessage{Role: m.Role, Content: m.Text, ToolCallID: q.calls[m.CallID]}
	if len(m.Files) > 0 {
		parts := []any{map[string]any{"type": "text", "text": m.Text}}
		for _, f := range m.Files {
			parts = append(parts, chatPart(q.shown[f.Blob]))
		}
		w.Content = parts
	}
	for _, a := range m.Asks {
		c := chatCall{ID: q.calls[a.ID], Type: "function", Function: chatFunction{Name: q.names[a.Tool]}}
		if text, ok := arguments(a); ok {
			c.Function.Arguments = string(text)
		} else {
			c.Function.Arguments, _ = a.Args.(string)
		}
		w.ToolCalls = append(w.ToolCalls, c)
	}
	return w
}

func chatPart(s shown) map[string]any {
	address := "data:" + s.Type + ";base64," + s.data
	switch {
	case s.data == "":
		return map[string]any{"type": "text", "text": s.told()}
	case s.isPicture():
		return map[string]any{"type": "image_url", "image_url": map[string]any{"url": address}}
	}
	return map[string]any{"type": "file", "file": map[string]any{"filename": s.Name, "file_data": address}}
}

// chunk reads one event.
func (c completions) chunk(w *writing, data string) (bool, error) {
	if data == "[DONE]" {
		w.ended = true
		return true, nil
	}
	return false, c.whole(w, []byte(data))
}

// whole reads an answer, or a piece of one: they look alike.
func (completions) whole(w *writing, data []byte) error {
	var a chatAnswer
	if err := decode(data, &a); err != nil {
		return err
	}
	if a.Error != nil {
		return &busyError{breath, a.Error.err()}
	}
	if u := a.Usage; u != nil {
		w.turn.Input, w.turn.Output, w.turn.Cached = u.Prompt, u.Written, min(u.Details.Cached, u.Prompt)
	}
	if a.Model != "" {
		w.turn.Model = a.Model
	}
	for _, choice := range a.Choices {
		for _, p := range []chatPiece{choice.Delta, choice.Message} {
			if err := w.chat(p); err != nil {
				return err
			}
		}
		if choice.FinishReason != "" {
			w.cut(chatCuts[choice.FinishReason])
		}
	}
	return nil
}

// chatCuts are the reasons to finish that are no end.
var chatCuts = map[string]agent.Cut{"length": agent.CutLength, "max_tokens": agent.CutLength,
	"content_filter": agent.CutFilter, "refusal": agent.CutRefusal}

func (w *writing) chat(p chatPiece) error {
	if err := w.thinks(p.Thought + p.Reasoning); err != nil {
		return err
	}
	if p.Refusal != "" {
		w.turn.Cut = agent.CutRefusal
	}
	if err := w.words(string(p.Content) + p.Refusal); err != nil {
		return err
	}
	for _, c := range p.Calls {
		one := piece{id: c.ID, name: c.Function.Name, args: string(c.Function.Arguments)}
		if c.Index != nil {
			one.place = strconv.Itoa(*c.Index)
		}
		if err := w.asks(one); err != nil {
			return err
		}
	}
	return nil
}

// raw is JSON as it is.
func raw(v any) json.RawMessage {
	text, err := json.Marshal(v)
	if err != nil {
		return json.RawMessage("{}")
	}
	return text
}
