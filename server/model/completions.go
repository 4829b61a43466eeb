package model

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"slices"
	"strings"
	"time"

	sse "github.com/tmaxmax/go-sse"

	"woolsignal/core/agent"
	"woolsignal/core/expr"
	"woolsignal/core/flow"
	"woolsignal/core/run"
	"woolsignal/server/egress"
)

// The chat-completions protocol, as many servers speak it.
type (
	wireMessage struct {
		Role       string     `json:"role"`
		Content    string     `json:"content"`
		ToolCalls  []wireCall `json:"tool_calls,omitempty"`
		ToolCallID string     `json:"tool_call_id,omitempty"`
	}
	wireCall struct {
		Index    int    `json:"index,omitempty"`
		ID       string `json:"id"`
		Type     string `json:"type"`
		Function struct {
			Name      string `json:"name"`
			Arguments string `json:"arguments"`
		} `json:"function"`
	}
	wireTool struct {
		Type     string       `json:"type"`
		Function wireFunction `json:"function"`
	}
	wireFunction struct {
		Name        string         `json:"name"`
		Description string         `json:"description"`
		Parameters  map[string]any `json:"parameters,omitempty"`
	}
	wireRequest struct {
		Model         string         `json:"model"`
		Messages      []wireMessage  `json:"messages"`
		Tools         []wireTool     `json:"tools,omitempty"`
		Stream        bool           `json:"stream"`
		StreamOptions map[string]any `json:"stream_options,omitempty"`
		Format        map[string]any `json:"response_format,omitempty"`
	}
	wireChunk struct {
		Model   string `json:"model"`
		Choices []struct {
			Delta        wireMessage `json:"delta"`
			FinishReason string      `json:"finish_reason"`
		} `json:"choices"`
		Usage *struct {
			PromptTokens     int `json:"prompt_tokens"`
			CompletionTokens int `json:"completion_tokens"`
		} `json:"usage"`
		Error *struct {
			Message string `json:"message"`
		} `json:"error"`
	}
)

// wireName writes a tool's name with the characters the protocol allows.
func wireName(tool string) string { return strings.ReplaceAll(tool, "/", "__") }

func wire(model string, ask *run.Ask) wireRequest {
	r := wireRequest{Model: model, Stream: true, StreamOptions: map[string]any{"include_usage": true},
		Messages: []wireMessage{{Role: "system", Content: ask.System}}}
	if ask.Answer != nil {
		r.Format = map[string]any{"type": "json_schema",
			"json_schema": map[string]any{"name": "answer", "schema": ask.Answer}}
		// Servers that do not know the field are told in words as well.
		text, err := json.Marshal(ask.Answer)
		if err == nil {
			r.Messages[0].Content += "\n\nAnswer with JSON that fits this schema, and nothing else:\n" + string(text)
		}
	}
	for _, m := range ask.Messages {
		w := wireMessage{Role: m.Role, Content: m.Text, ToolCallID: m.CallID}
		for _, a := range m.Asks {
			c := wireCall{ID: a.ID, Type: "function"}
			c.Function.Name = wireName(a.Tool)
			if text, ok := a.Args.(string); ok {
				c.Function.Arguments = text
			} else if args, err := json.Marshal(a.Args); err == nil {
				c.Function.Arguments = string(args)
			}
			w.ToolCalls = append(w.ToolCalls, c)
		}
		r.Messages = append(r.Messages, w)
	}
	for _, t := range ask.Tools {
		r.Tools = append(r.Tools, wireTool{"function", wireFunction{wireName(t.Name), t.Description, t.Schema}})
	}
	return r
}

// once asks one time. again says how long to wait before another try; 0 means
// that another would not help.
func (s *Server) once(ctx context.Context, model flow.Model, ask *run.Ask, say func(string)) (reply Reply,
	again time.Duration, err error) {
	body, err := json.Marshal(wire(model.Name, ask))
	if err != nil {
		return reply, 0, err
	}
	request, err := http.NewRequestWithContext(ctx, http.MethodPost, s.Connection.Address+"/chat/completions",
		bytes.NewReader(body))
	if err != nil {
		return reply, 0, err
	}
	request.Header.Set("Content-Type", "application/json")
	request.Header.Set("Accept", "text/event-stream")
	response, err := s.Client.Do(request)
	if err != nil {
		if ctx.Err() != nil {
			return reply, 0, ctx.Err()
		}
		return reply, time.Second, fmt.Errorf("it cannot be reached: %w", err)
	}
	defer response.Body.Close()
	if response.StatusCode != http.StatusOK {
		return reply, pause(response), statusError(response)
	}
	reply, err = readStream(response.Body, say)
	if err != nil && ctx.Err() != nil {
		return reply, 0, ctx.Err()
	}
	if err != nil {
		return reply, 200 * time.Millisecond, err
	}
	if reply.Turn.Model == "" {
		reply.Turn.Model = model.Name
	}
	for i, a := range reply.Message.Asks {
		at := slices.IndexFunc(ask.Tools, func(o run.Offer) bool { return wireName(o.Name) == a.Tool })
		if at >= 0 {
			reply.Message.Asks[i].Tool = ask.Tools[at].Name
		}
	}
	return reply, 0, nil
}

// pause is how long to wait before a server that refused is asked again; 0
// where that would not help.
func pause(r *http.Response) time.Duration {
	if r.StatusCode != http.StatusTooManyRequests && r.StatusCode < 500 {
		return 0
	}
	if wanted := egress.RetryAfter(r.Header); wanted > 0 && wanted <= time.Minute {
		return wanted
	}
	return 500 * time.Millisecond
}

func statusError(r *http.Response) error {
	text, _ := io.ReadAll(io.LimitReader(r.Body, 4096))
	var body wireChunk
	said := strings.TrimSpace(string(text))
	if json.Unmarshal(text, &body) == nil && body.Error != nil {
		said = body.Error.Message
	}
	remedy := ""
	switch r.StatusCode {
	case http.StatusUnauthorized, http.StatusForbidden:
		remedy = "; its key is wrong or missing: replace it with woolsignal connect"
	case http.StatusNotFound:
		remedy = "; look at the address and the model's name in the connection's file"
	}
	return fmt.Errorf("it answered %s: %s%s", r.Status, said, remedy)
}

// longestEvent bounds one event of a stream.
const longestEvent = 1 << 20

// readStream puts the pieces of a streamed message together. A stream that
// breaks off before its end is an error, never half an answer.
func readStream(body io.Reader, say func(string)) (Reply, error) {
	var reply Reply
	var text strings.Builder
	var calls []wireCall
	ended := false
	// Some servers leave out the empty line behind the last event.
	whole := io.MultiReader(body, strings.NewReader("\n\n"))
	for event, err := range sse.Read(whole, &sse.ReadConfig{MaxEventSize: longestEvent}) {
		if err != nil {
			return reply, fmt.Errorf("its answer broke off: %w", err)
		}
		data := strings.TrimSpace(event.Data)
		if data == "" {
			continue
		}
		if data == "[DONE]" {
			ended = true
			break
		}
		var chunk wireChunk
		if err := json.Unmarshal([]byte(data), &chunk); err != nil {
			return reply, fmt.Errorf("its answer cannot be read: %w", err)
		}
		if chunk.Error != nil {
			return reply, errors.New(chunk.Error.Message)
		}
		if chunk.Usage != nil {
			reply.Turn.Input, reply.Turn.Output = chunk.Usage.PromptTokens, chunk.Usage.CompletionTokens
		}
		if chunk.Model != "" {
			reply.Turn.Model = chunk.Model
		}
		for _, c := range chunk.Choices {
			if c.Delta.Content != "" {
				text.WriteString(c.Delta.Content)
				if say != nil {
					say(c.Delta.Content)
				}
			}
			for _, call := range c.Delta.ToolCalls {
				if call.Index < 0 || call.Index > 64 {
					return reply, fmt.Errorf("its answer cannot be read: tool call number %d", call.Index)
				}
				for len(calls) <= call.Index {
					calls = append(calls, wireCall{})
				}
				into := &calls[call.Index]
				into.ID += call.ID
				into.Function.Name += call.Function.Name
				into.Function.Arguments += call.Function.Arguments
			}
			ended = ended || c.FinishReason != ""
		}
	}
	if !ended {
		return reply, errors.New("its answer broke off before the end")
	}
	reply.Message = agent.Message{Role: "assistant", Text: text.String()}
	for _, c := range calls {
		ask := agent.Request{ID: c.ID, Tool: c.Function.Name, Args: c.Function.Arguments}
		arguments := c.Function.Arguments
		if strings.TrimSpace(arguments) == "" {
			arguments = "{}"
		}
		if v, err := expr.DecodeJSON([]byte(arguments)); err == nil {
			ask.Args = v
		}
		reply.Message.Asks = append(reply.Message.Asks, ask)
	}
	if reply.Message.Text == "" && len(reply.Message.Asks) == 0 {
		return reply, errors.New("it answered nothing")
	}
	return reply, nil
}
