package tool

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
)

// plainHTTP sends any request to one host.
type plainHTTP struct {
	client *http.Client
	base   string
	title  string
}

func httpOperations(_ *Kit, _ *flow.Workspace, c *flow.Connection, client *http.Client) ([]*Operation, error) {
	p := &plainHTTP{client, c.Address, c.Title}
	path := prop("string", "The path below "+c.Address, "pattern", "^/")
	query := map[string]any{"type": "object", "description": "Values for the query"}
	headers := map[string]any{"type": "object", "description": "Further headers",
		"additionalProperties": map[string]any{"type": "string"}}
	out := object([]any{"status", "headers", "body"},
		map[string]any{"status": prop("integer", ""), "headers": map[string]any{"type": "object"},
			"body": map[string]any{}})
	all := []*Operation{
		operation(c.ID, c.Title, "get", "Reads from an address.",
			object([]any{"path"}, map[string]any{"path": path, "query": query, "headers": headers}), out, reads, p.get),
		operation(c.ID, c.Title, "send", "Sends a request that may change something.",
			object([]any{"method", "path"},
				map[string]any{"method": prop("string", "", "enum", []any{"POST", "PUT", "PATCH", "DELETE"}),
					"path": path, "query": query, "headers": headers,
					"body": map[string]any{"description": "A text as it is; anything else as JSON"}}), out, sends,
			p.send),
	}
	for _, op := range all {
		op.OpenWorld = true
	}
	return all, nil
}

func (p *plainHTTP) get(ctx context.Context, args map[string]any, _ Sending) (any, error) {
	return p.do(ctx, http.MethodGet, args, nil)
}

func (p *plainHTTP) send(ctx context.Context, args map[string]any, _ Sending) (any, error) {
	var body []byte
	if v, given := args["body"]; given {
		if s, ok := v.(string); ok {
			body = []byte(s)
		} else {
			data, err := json.Marshal(v)
			if err != nil {
				return nil, &RefusedError{Message: err.Error()}
			}
			body = data
		}
	}
	return p.do(ctx, text(args, "method"), args, body)
}

func (p *plainHTTP) do(ctx context.Context, method string, args map[string]any, body []byte) (any, error) {
	ctx, cancel := context.WithTimeout(ctx, 30*time.Second)
	defer cancel()
	address := p.base + text(args, "path")
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
		return nil, &RefusedError{Message: err.Error()}
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
	data, err := answered(p.title, response)
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
