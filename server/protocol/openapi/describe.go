package openapi

import (
	"fmt"
	"net/http"
	"slices"
	"strings"

	"github.com/getkin/kin-openapi/openapi3"

	"woolsignal/core/flow"
	"woolsignal/server/tool"
)

// operation is one operation of an API.
type operation struct {
	kit                *tool.Kit
	client             *http.Client
	base, method, path string
	title              string
	arguments          []argument
	body               *body  // nil where it has none
	accept             string // media types of its answers
	keyed              bool   // the peer honours an idempotency key
	needs              string // what it cannot do without, and cannot be sent
}

// tool describes the operation, its parameters and body as one map of arguments.
func (o *operation) tool(op *openapi3.Operation, all openapi3.Parameters, s *schemas) (*tool.Operation, error) {
	properties, required, lacks := map[string]any{}, []any{}, []string(nil)
	for _, ref := range all {
		p := ref.Value
		if p == nil || p.In == "header" && ours(p.Name) {
			continue // the client sets these, or the answer's kind does
		}
		if p.In == "header" && strings.EqualFold(p.Name, tool.IdempotencyHeader) {
			o.keyed = true
			continue
		}
		a, of, why := argumentOf(p)
		switch {
		case why != "" && p.Required:
			o.needs = fmt.Sprintf("the parameter %s, and %s", p.Name, why)
			continue
		case why != "":
			lacks = append(lacks, fmt.Sprintf("the parameter %s: %s", p.Name, why))
			continue
		}
		schema, err := s.plain(of)
		if err != nil {
			return nil, err
		}
		if p.Description != "" {
			schema["description"] = p.Description
		}
		a.name = o.free(p.Name, "in_"+p.In, properties)
		properties[a.name] = schema
		if o.arguments = append(o.arguments, a); p.Required {
			required = append(required, a.name)
		}
	}
	if op.RequestBody != nil && op.RequestBody.Value != nil {
		more, err := o.bodyOf(op.RequestBody.Value, s, properties)
		if err != nil {
			return nil, err
		}
		required = append(required, more...)
	}
	output, err := o.output(op.Responses, s)
	if err != nil {
		return nil, err
	}
	return &tool.Operation{Call: o.call, Lacks: lacks, Tool: o.nature(flow.Tool{
		Description: strings.TrimSpace(op.Summary + "\n" + op.Description),
		Input:       tool.Object(required, properties), Output: output, Resend: flow.ResendNever})}, nil
}

// ours are the headers OpenAPI takes no parameters for (OpenAPI 3.1, 4.8.12.2.1).
func ours(header string) bool {
	return slices.ContainsFunc([]string{"Accept", "Content-Type", "Authorization"},
		func(one string) bool { return strings.EqualFold(one, header) })
}

// free gives an argument a name that none before it has.
func (o *operation) free(name, otherwise string, properties map[string]any) string {
	for properties[name] != nil {
		name += "_" + otherwise
	}
	return name
}

// nature says what the operation does to the world, by its method (RFC 9110, 9.2).
func (o *operation) nature(t flow.Tool) flow.Tool {
	switch o.method {
	case http.MethodGet, http.MethodHead, http.MethodOptions:
		t.ReadOnly, t.Idempotent, t.Resend = true, true, flow.ResendSafe
	case http.MethodPut, http.MethodDelete:
		t.Idempotent, t.Resend = true, flow.ResendSafe
		t.Destructive = o.method == http.MethodDelete
	}
	if o.keyed {
		t.Resend = flow.ResendKey
	}
	return t
}

// output is the schema of what the operation gives, as far as it says so in one
// way.
func (o *operation) output(all *openapi3.Responses, s *schemas) (map[string]any, error) {
	o.accept = "application/json, */*;q=0.5"
	for _, status := range []string{"200", "201", "202", "203", "2XX"} {
		r := all.Value(status)
		if r == nil || r.Value == nil || len(r.Value.Content) == 0 {
			continue
		}
		media, of := chosen(r.Value.Content)
		o.accept = media + ", */*;q=0.5"
		switch {
		case isJSON(media):
			return s.plain(of.Schema)
		case len(r.Value.Content) > 1:
			return nil, nil
		case isText(media):
			return tool.Prop("string", "What was answered, as "+media), nil
		}
		return tool.FileResult(), nil
	}
	return nil, nil
}
