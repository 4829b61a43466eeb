package request

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"mime"
	"net/http"
	"net/url"
	"strings"
	"time"

	"woolsignal/core/expr"
	"woolsignal/core/flow"
	"woolsignal/server/tool"
)

// plainHTTP sends any request to one host.
type plainHTTP struct {
	client *http.Client
	base   string
	title  string
}

func operations(_ *tool.Kit, _ *flow.Workspace, c *flow.Connection, client *http.Client) ([]*tool.Operation, error) {
	p := &plainHTTP{client, c.Address, c.Title}
	path := tool.Prop("string", "The path below "+c.Address, "pattern", "^/")
	query := map[string]any{"type": "object", "description": "Values for the query"}
	headers := map[string]any{"type": "object", "description": "Further headers",
		"additionalProperties": map[string]any{"type": "string"}}
	out := tool.Object([]any{"status", "headers", "body"},
		map[string]any{"status": tool.Prop("integer", ""), "headers": map[string]any{"type": "object"},
			"body": map[string]any{}})
	all := []*tool.Operation{
		tool.NewOperation(c.ID, c.Title, "get", "Reads from an address.",
			tool.Object([]any{"path"}, map[string]any{"path": path, "query": query, "headers": headers}), out,
			tool.Reads, p.get),
		tool.NewOperation(c.ID, c.Title, "send", "Sends a request that may change something.",
			tool.Object([]any{"method", "path"},
				map[string]any{"method": tool.Prop("string", "", "enum", []any{"POST", "PUT", "PATCH", "DELETE"}),
					"path": path, "query": query, "headers": headers,
					"body": map[string]any{"description": "A text as it is; anything else as JSON"}}), out, tool.Sends,
			p.send),
	}
	for _, op := range all {
		op.OpenWorld = true
	}
	return all, nil
}

func (p *plainHTTP) get(ctx context.Context, args map[string]any, _ tool.Sending) (any, error) {
	return p.do(ctx, http.MethodGet, args, nil)
}

func (p *plainHTTP) send(ctx context.Context, args map[string]any, _ tool.Sending) (any, error) {
	var body []byte
	if v, given := args["body"]; given {
		if s, ok := v.(string); ok {
			body = []byte(s)
		} else {
			data, err := json.Marshal(v)
			if err != nil {
				return nil, &tool.RefusedError{Message: err.Error()}
			}
			body = data
		}
	}
	return p.do(ctx, tool.Text(args, "method"), args, body)
}

func (p *plainHTTP) do(ctx context.Context, method string, args map[string]any, body []byte) (any, error) {
	ctx, cancel := context.WithTimeout(ctx, 30*time.Second)
	defer cancel()
	address := p.base + tool.Text(args, "path")
	if query, _ := args["query"].(map[string]any); len(query) > 0 {
		values := url.Values{}
		for name, v := range query {
			values.Set(name, expr.Text(v))
		}
		separator := "?"
		if strings.Contains(address, "?") {
			separator = "&"
		}
		address += separator + values.Encode()
	}
	request, err := http.NewRequestWithContext(ctx, method, address, bytes.NewReader(body))
	if err != nil {
		return nil, &tool.RefusedError{Message: err.Error()}
	}
	if _, isText := args["body"].(string); len(body) > 0 && !isText {
		request.Header.Set("Content-Type", "application/json")
	} else if len(body) > 0 {
		request.Header.Set("Content-Type", "text/plain; charset=utf-8")
	}
	headers, _ := args["headers"].(map[string]any)
	for name, v := range headers {
		request.Header.Set(name, expr.Text(v))
	}
	response, err := p.client.Do(request)
	if err != nil {
		return nil, fmt.Errorf("%s: %w", p.title, err)
	}
	defer response.Body.Close()
	data, err := tool.Answered(p.title, response)
	if err != nil {
		return nil, err
	}
	return map[string]any{"status": int64(response.StatusCode), "headers": flat(response.Header),
		"body": bodyOf(response.Header, data)}, nil
}

func flat(h http.Header) map[string]any {
	out := map[string]any{}
	for name, values := range h {
		out[strings.ToLower(name)] = strings.Join(values, ", ")
	}
	return out
}

// bodyOf reads an answer as JSON where it says it is, else as text.
func bodyOf(h http.Header, data []byte) any {
	kind, _, _ := mime.ParseMediaType(h.Get("Content-Type"))
	if kind == "application/json" || strings.HasSuffix(kind, "+json") {
		if v, err := expr.DecodeJSON(data); err == nil {
			return v
		}
	}
	return strings.ToValidUTF8(string(data), "�")
}
