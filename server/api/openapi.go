package api

import (
	"encoding/json"
	"net/http"
	"reflect"
	"strings"
	"time"

	"github.com/invopop/jsonschema"

	"woolsignal/core/flow"
	"woolsignal/core/run"
)

// openAPI describes the API as OpenAPI 3.1, from the table of routes.
func (a *API) openAPI(w http.ResponseWriter, _ *http.Request) error {
	doc, err := a.Description()
	if err != nil {
		return err
	}
	return reply(w, 0, doc)
}

// Description builds the OpenAPI 3.1 description.
func (a *API) Description() (map[string]any, error) {
	schemas, paths := map[string]any{}, map[string]any{}
	for _, route := range a.Routes() {
		operation := map[string]any{"summary": route.Summary, "operationId": operationID(route)}
		var parameters []any
		for _, part := range strings.Split(route.Path, "/") {
			if name, ok := strings.CutPrefix(part, "{"); ok {
				parameters = append(parameters,
					map[string]any{"name": strings.TrimSuffix(name, "}"), "in": "path", "required": true,
						"schema": map[string]any{"type": "string"}})
			}
		}
		for _, q := range route.Query {
			parameters = append(parameters,
				map[string]any{"name": q.Name, "in": "query", "description": q.Description, "schema": q.schema()})
		}
		if parameters != nil {
			operation["parameters"] = parameters
		}
		if route.In != nil {
			s, err := describe(route.In, schemas)
			if err != nil {
				return nil, err
			}
			operation["requestBody"] = map[string]any{"required": true,
				"content": map[string]any{"application/json": map[string]any{"schema": s}}}
		}
		responses, err := route.responses(schemas)
		if err != nil {
			return nil, err
		}
		operation["responses"] = responses
		if route.Role != "" {
			operation["security"] = []any{map[string]any{"token": []any{}}, map[string]any{"session": []any{}}}
			operation["x-role"] = string(route.Role)
		}
		at, _ := paths[route.Path].(map[string]any)
		if at == nil {
			at = map[string]any{}
			paths[route.Path] = at
		}
		at[strings.ToLower(route.Method)] = operation
	}
	return map[string]any{
		"openapi": "3.1.0",
		"info": map[string]any{"title": "Wool Signal", "version": "1",
			"description": "Workflows, their runs, and the people who review them."},
		"servers": []any{map[string]any{"url": prefix}},
		"paths":   paths,
		"components": map[string]any{"schemas": schemas, "securitySchemes": map[string]any{
			"token":   map[string]any{"type": "http", "scheme": "bearer"},
			"session": map[string]any{"type": "apiKey", "in": "cookie", "name": cookieName}}},
	}, nil
}

func operationID(r Route) string {
	var words []string
	for _, part := range strings.Split(strings.TrimSuffix(r.Path, ".json"), "/") {
		if part != "" && !strings.HasPrefix(part, "{") {
			words = append(words, part)
		} else if part != "" {
			words = append(words, "one")
		}
	}
	return strings.ToLower(r.Method) + "_" + strings.Join(words, "_")
}

// schema describes a value in the query.
func (p Parameter) schema() map[string]any {
	switch p.Holds {
	case "":
		return map[string]any{"type": "string"}
	case "date-time":
		return map[string]any{"type": "string", "format": p.Holds}
	}
	return map[string]any{"type": p.Holds}
}

// problemSchema describes an error (RFC 9457).
var problemSchema = map[string]any{"type": "object", "required": []any{"title", "status", "detail"},
	"properties": map[string]any{
		"title": map[string]any{"type": "string"}, "status": map[string]any{"type": "integer"},
		"detail": map[string]any{"type": "string"}}}

// responses describes what a route answers: its body, or that it has none, and
// problems.
func (route Route) responses(schemas map[string]any) (map[string]any, error) {
	out := map[string]any{"default": map[string]any{"description": "A problem (RFC 9457)",
		"content": map[string]any{"application/problem+json": map[string]any{"schema": problemSchema}}}}
	switch {
	case route.Produces != "":
		out["200"] = map[string]any{"description": "Done", "content": map[string]any{route.Produces: map[string]any{}}}
	case route.Out == nil:
		out["204"] = map[string]any{"description": "Done"}
	default:
		s, err := describe(route.Out, schemas)
		if err != nil {
			return nil, err
		}
		content := map[string]any{"application/json": map[string]any{"schema": s}}
		out["200"] = map[string]any{"description": "Done", "content": content}
		if route.Later != "" {
			out["202"] = map[string]any{"description": route.Later, "content": content}
		}
	}
	return out, nil
}

// describe gives a reference to a type's schema, and keeps the schema.
func describe(t reflect.Type, schemas map[string]any) (map[string]any, error) {
	if t.Kind() == reflect.Slice {
		inner, err := describe(t.Elem(), schemas)
		return map[string]any{"type": "array", "items": inner}, err
	}
	reflector := jsonschema.Reflector{Anonymous: true, AllowAdditionalProperties: true, ExpandedStruct: false,
		Namer: schemaName, Mapper: known}
	data, err := json.Marshal(reflector.ReflectFromType(t))
	if err != nil {
		return nil, err
	}
	var s map[string]any
	if err := json.Unmarshal([]byte(strings.ReplaceAll(string(data), "#/$defs/", "#/components/schemas/")),
		&s); err != nil {
		return nil, err
	}
	defs, _ := s["$defs"].(map[string]any)
	for name, d := range defs {
		schemas[name] = d
	}
	return map[string]any{"$ref": "#/components/schemas/" + schemaName(t)}, nil
}

// known describes types whose JSON is not that of their fields.
func known(t reflect.Type) *jsonschema.Schema {
	switch t {
	case reflect.TypeFor[time.Time]():
		return &jsonschema.Schema{Type: "string", Format: "date-time"}
	case reflect.TypeFor[run.BlockName](), reflect.TypeFor[run.Conversation]():
		return &jsonschema.Schema{Type: "string"}
	case reflect.TypeFor[json.RawMessage]():
		return &jsonschema.Schema{}
	case reflect.TypeFor[run.Status]():
		return among(run.Queued, run.Running, run.Waiting, run.Done, run.Failed, run.Stopped, run.Skipped,
			run.Uncertain, run.Retrying)
	case reflect.TypeFor[run.ReviewKind]():
		return among(run.OfStep, run.OfApproval, run.OfDoubt, run.OfConnection, run.OfAdvice)
	case reflect.TypeFor[flow.Resend]():
		return among(flow.ResendSafe, flow.ResendKey, flow.ResendOwnID, flow.ResendNever)
	case reflect.TypeFor[flow.Severity]():
		return among(flow.Wrong, flow.Remark)
	}
	return nil
}

// among describes a text that is one of a few.
func among[T ~string](words ...T) *jsonschema.Schema {
	s := &jsonschema.Schema{Type: "string"}
	for _, w := range words {
		s.Enum = append(s.Enum, string(w))
	}
	return s
}

// schemaName tells types of one name in two packages apart: a run's Review
// from the one the API lists.
func schemaName(t reflect.Type) string {
	pkg := t.PkgPath()[strings.LastIndexByte(t.PkgPath(), '/')+1:]
	if pkg == "wire" || pkg == "" {
		return t.Name()
	}
	return strings.ToUpper(pkg[:1]) + pkg[1:] + t.Name()
}
