package openapi

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"regexp"
	"slices"
	"strings"
	"time"

	"github.com/getkin/kin-openapi/openapi3"

	"woolsignal/core/expr"
	"woolsignal/core/flow"
	"woolsignal/core/protocol"
	"woolsignal/server/safepath"
	"woolsignal/server/tool"
)

// operations makes tools of an OpenAPI 3 description.
func operations(_ *tool.Kit, w *flow.Workspace, c *flow.Connection, client *http.Client) ([]*tool.Operation, error) {
	is := c.Is.(*protocol.OpenAPI)
	description := w.Files[is.Description]
	loader := openapi3.NewLoader()
	doc, err := loader.LoadFromData([]byte(description))
	if err != nil {
		return nil, fmt.Errorf("the description %s cannot be read: %w", is.Description, err)
	}
	if !strings.HasPrefix(doc.OpenAPI, "3.") {
		return nil, fmt.Errorf("%s is no OpenAPI 3 description", is.Description)
	}
	components, err := componentSchemas(doc)
	if err != nil {
		return nil, err
	}
	var out []*tool.Operation
	taken := map[string]bool{}
	for _, path := range doc.Paths.InMatchingOrder() {
		item := doc.Paths.Value(path)
		for method, op := range item.Operations() {
			id := operationName(op.OperationID, method, path)
			if len(is.Offer) > 0 && !slices.Contains(is.Offer, id) {
				continue
			}
			if taken[id] {
				return nil, fmt.Errorf("the description %s has two operations called %s", is.Description, id)
			}
			taken[id] = true
			a := &apiCall{client: client, base: c.Address, method: method, path: path, title: c.Title}
			described, err := a.describe(op, append(slices.Clone(item.Parameters), op.Parameters...), components)
			if err != nil {
				return nil, fmt.Errorf("%s %s: %w", method, path, err)
			}
			described.Name = c.ID + "/" + id
			described.Title = c.Title + ": " + strings.ReplaceAll(id, "_", " ")
			out = append(out, &tool.Operation{Tool: described, Call: a.call})
		}
	}
	for _, wanted := range is.Offer {
		if !slices.ContainsFunc(out, func(o *tool.Operation) bool { return o.Name == c.ID+"/"+wanted }) {
			return out, fmt.Errorf("the description %s has no operation %s", is.Description, wanted)
		}
	}
	if len(out) == 0 {
		return nil, fmt.Errorf("the description %s names no operation", is.Description)
	}
	return out, nil
}

var notInNames = regexp.MustCompile(`[^A-Za-z0-9_.-]+`)

// operationName is what the description calls an operation; many name none,
// and are called by method and path, as in get_growers_name.
func operationName(id, method, path string) string {
	if id == "" {
		id = strings.ToLower(method) + path
	}
	return strings.Trim(notInNames.ReplaceAllString(id, "_"), "_")
}

// apiCall is one operation of an API.
type apiCall struct {
	client             *http.Client
	base, method, path string
	title              string
	places             map[string]string // argument → path, query, header or body
	keyed              bool              // the peer honours an idempotency key
}

// describe reads an operation's parameters and body as one flat schema.
func (a *apiCall) describe(op *openapi3.Operation, parameters openapi3.Parameters,
	components map[string]any) (flow.Tool, error) {
	a.places = map[string]string{}
	properties, required := map[string]any{}, []any{}
	for _, ref := range parameters {
		p := ref.Value
		if p == nil || p.In == "cookie" {
			continue
		}
		if p.In == "header" && strings.EqualFold(p.Name, tool.IdempotencyHeader) {
			a.keyed = true
			continue
		}
		s, err := plainSchema(p.Schema, components)
		if err != nil {
			return flow.Tool{}, err
		}
		if p.Description != "" {
			s["description"] = p.Description
		}
		properties[p.Name], a.places[p.Name] = s, p.In
		if p.Required {
			required = append(required, p.Name)
		}
	}
	if op.RequestBody != nil && op.RequestBody.Value != nil {
		if media := op.RequestBody.Value.Content.Get("application/json"); media != nil {
			s, err := plainSchema(media.Schema, components)
			if err != nil {
				return flow.Tool{}, err
			}
			inner, _ := s["properties"].(map[string]any)
			for name, p := range inner {
				if _, taken := properties[name]; taken {
					return flow.Tool{}, fmt.Errorf("%s is both a parameter and a field of the body", name)
				}
				properties[name], a.places[name] = p, "body"
			}
			if r, ok := s["required"].([]any); ok {
				required = append(required, r...)
			}
		}
	}
	t := flow.Tool{Description: strings.TrimSpace(op.Summary + "\n" + op.Description),
		Input: tool.Object(required, properties), Resend: flow.ResendNever}
	switch a.method {
	case http.MethodGet, http.MethodHead:
		t.ReadOnly, t.Idempotent, t.Resend = true, true, flow.ResendSafe
	case http.MethodPut, http.MethodDelete: // idempotent by RFC 9110, 9.2.2
		t.Idempotent, t.Resend = true, flow.ResendSafe
		t.Destructive = a.method == http.MethodDelete
	}
	if a.keyed {
		t.Resend = flow.ResendKey
	}
	for _, status := range []int{200, 201, 202} {
		if r := op.Responses.Status(status); r != nil && r.Value != nil {
			if media := r.Value.Content.Get("application/json"); media != nil {
				s, err := plainSchema(media.Schema, components)
				t.Output = s
				return t, err
			}
		}
	}
	return t, nil
}

// call sends one request.
func (a *apiCall) call(ctx context.Context, args map[string]any, s tool.Sending) (any, error) {
	ctx, cancel := context.WithTimeout(ctx, 30*time.Second)
	defer cancel()
	path, query, body := a.path, url.Values{}, map[string]any{}
	headers := http.Header{"Accept": {"application/json"}}
	hasBody := false
	for name, place := range a.places {
		hasBody = hasBody || place == "body"
		v, given := args[name]
		if !given {
			continue
		}
		switch place {
		case "path":
			part, err := safepath.Escape(expr.Text(v))
			if err != nil {
				return nil, &tool.RefusedError{Message: name + ": " + err.Error()}
			}
			path = strings.ReplaceAll(path, "{"+name+"}", part)
		case "query":
			query.Set(name, expr.Text(v))
		case "header":
			headers.Set(name, expr.Text(v))
		default:
			body[name] = v
		}
	}
	address := a.base + path
	if len(query) > 0 {
		address += "?" + query.Encode()
	}
	var content io.Reader
	if hasBody {
		data, err := json.Marshal(body)
		if err != nil {
			return nil, &tool.RefusedError{Message: err.Error()}
		}
		content = bytes.NewReader(data)
		headers.Set("Content-Type", "application/json")
	}
	if a.keyed {
		headers.Set(tool.IdempotencyHeader, s.Key)
	}
	request, err := http.NewRequestWithContext(ctx, a.method, address, content)
	if err != nil {
		return nil, &tool.RefusedError{Message: err.Error()}
	}
	request.Header = headers
	response, err := a.client.Do(request)
	if err != nil {
		return nil, fmt.Errorf("%s: %w", a.title, err)
	}
	defer response.Body.Close()
	return a.read(response)
}

func (a *apiCall) read(r *http.Response) (any, error) {
	data, err := tool.Answered(a.title, r)
	if err != nil {
		return nil, err
	}
	if len(bytes.TrimSpace(data)) == 0 {
		return map[string]any{"status": int64(r.StatusCode)}, nil
	}
	v, err := expr.DecodeJSON(data)
	if err != nil {
		return nil, &tool.HappenedError{Message: fmt.Sprintf("%s answered %d, with something that is not JSON: %v",
			a.title,
			r.StatusCode, err)}
	}
	return v, nil
}

// componentSchemas gives the description's named schemas as plain JSON.
func componentSchemas(doc *openapi3.T) (map[string]any, error) {
	out := map[string]any{}
	if doc.Components == nil {
		return out, nil
	}
	data, err := json.Marshal(doc.Components.Schemas)
	if err == nil {
		err = json.Unmarshal(data, &out)
	}
	return out, err
}

// plainSchema turns a schema of a description into one that stands alone, in
// the 2020-12 draft.
func plainSchema(ref *openapi3.SchemaRef, components map[string]any) (map[string]any, error) {
	if ref == nil {
		return map[string]any{}, nil
	}
	data, err := json.Marshal(ref)
	if err != nil {
		return nil, err
	}
	var s any
	if err := json.Unmarshal(data, &s); err != nil {
		return nil, err
	}
	room := mostParts
	m, _ := inline(s, components, nil, &room).(map[string]any)
	if m == nil {
		m = map[string]any{}
	}
	return m, nil
}

// mostParts bounds the schemas one schema may become when its references are
// put in place; descriptions exist whose few lines would grow without end.
const mostParts = 20_000

// inline puts what references name in their place. A schema that contains
// itself, or one beyond room, is open there. within are the references above.
func inline(s any, components map[string]any, within []string, room *int) any {
	switch s := s.(type) {
	case []any:
		for i := range s {
			s[i] = inline(s[i], components, within, room)
		}
		return s
	case map[string]any:
		*room--
		if ref, ok := s["$ref"].(string); ok {
			target, known := components[strings.TrimPrefix(ref, "#/components/schemas/")]
			if !known || *room < 0 || slices.Contains(within, ref) {
				return map[string]any{}
			}
			return inline(copyJSON(target), components, append(slices.Clip(within), ref), room)
		}
		for k, v := range s {
			s[k] = inline(v, components, within, room)
		}
		modern(s)
		return s
	}
	return s
}

// modern rewrites what OpenAPI 3.0 says differently from JSON Schema 2020-12.
func modern(s map[string]any) {
	if kind, ok := s["type"].(string); ok && s["nullable"] == true {
		s["type"] = []any{kind, "null"}
	}
	for bound, exclusive := range map[string]string{"minimum": "exclusiveMinimum", "maximum": "exclusiveMaximum"} {
		if flag, ok := s[exclusive].(bool); ok {
			delete(s, exclusive)
			if flag {
				s[exclusive] = s[bound]
				delete(s, bound)
			}
		}
	}
	for _, key := range []string{"nullable", "example", "xml", "discriminator", "externalDocs"} {
		if _, isSchema := s[key].(map[string]any); !isSchema || key != "example" {
			delete(s, key)
		}
	}
}

func copyJSON(v any) any {
	switch v := v.(type) {
	case map[string]any:
		out := make(map[string]any, len(v))
		for k, item := range v {
			out[k] = copyJSON(item)
		}
		return out
	case []any:
		out := make([]any, len(v))
		for i, item := range v {
			out[i] = copyJSON(item)
		}
		return out
	}
	return v
}

// try uses the first operation that reads and needs nothing: that shows
// whether the key is right as well.
func try(ctx context.Context, k *tool.Kit, _ *flow.Workspace, tools tool.Catalogue, c *flow.Connection) tool.Verdict {
	var names []string
	for name, op := range tools {
		required, _ := op.Input["required"].([]any)
		if op.Connection == c.ID && op.ReadOnly && len(required) == 0 {
			names = append(names, name)
		}
	}
	if len(names) == 0 {
		return k.TryAddress(ctx, c)
	}
	slices.Sort(names)
	operation := strings.TrimPrefix(names[0], c.ID+"/")
	return k.TryTool(ctx, c, tools, operation, map[string]any{}, "The key is accepted; "+operation+" answers.")
}
