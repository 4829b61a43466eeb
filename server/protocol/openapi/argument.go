package openapi

import (
	"encoding/json"
	"fmt"
	"net/http"
	"net/url"
	"slices"
	"strings"

	"github.com/getkin/kin-openapi/openapi3"
	"github.com/oapi-codegen/runtime"

	"woolsignal/core/expr"
	"woolsignal/server/safepath"
)

// argument is one value of a tool, and where in a request it stands.
type argument struct {
	name    string // as the tool has it
	at      string // as the request has it
	in      string // path, query, header or cookie
	style   string
	explode bool
	plain   bool // reserved characters of a query stand as they are
	asJSON  bool // it is written as JSON, whatever it is
}

// argumentOf reads a parameter. why says, where it is not "", what of it cannot
// be sent.
func argumentOf(p *openapi3.Parameter) (a argument, schema *openapi3.SchemaRef, why string) {
	a = argument{at: p.Name, in: p.In, style: p.Style, plain: p.AllowReserved}
	schema = p.Schema
	if len(p.Content) > 0 {
		media := jsonOf(p.Content)
		if media == nil {
			return a, nil, "it is written as " + mediaTypes(p.Content)
		}
		a.asJSON, schema = true, media.Schema
	}
	if a.style == "" {
		a.style = map[string]string{"path": "simple", "header": "simple", "query": "form", "cookie": "form"}[p.In]
	}
	a.explode = a.style == "form" || a.style == "deepObject"
	if p.Explode != nil {
		a.explode = *p.Explode
	}
	if a.asJSON || schema == nil || schema.Value == nil {
		return a, schema, ""
	}
	return a, schema, a.unfit(schema.Value)
}

// unfit says what of a schema's values its style has no place for (OpenAPI 3.1,
// 4.8.12.3: what is nested further is undefined).
func (a argument) unfit(s *openapi3.Schema) string {
	switch {
	case s.Type.Is("array") && composite(s.Items):
		return "it is a list of lists or maps, for which the style " + a.style + " has no form"
	case s.Type.Is("array") && a.style == "deepObject":
		return "it is a list, for which the style deepObject has no form"
	case s.Type.Is("object") && a.style != "deepObject":
		for name, property := range s.Properties {
			if composite(property) {
				return name + " within it is a list or map, for which the style " + a.style + " has no form"
			}
		}
	}
	return ""
}

func composite(ref *openapi3.SchemaRef) bool {
	return ref != nil && ref.Value != nil && (ref.Value.Type.Is("array") || ref.Value.Type.Is("object"))
}

// request is what a call is made of.
type request struct {
	path    string
	query   []string // name=value, encoded
	header  http.Header
	cookies []string
	body    []byte
}

// put puts a value in its place.
func (a argument) put(r *request, v any) error {
	if a.asJSON {
		text, err := json.Marshal(v)
		if err != nil {
			return err
		}
		v = string(text)
	}
	switch list := v.(type) {
	case nil:
		return nil // nothing is what null sends
	case []any:
		if len(list) == 0 && a.in != "path" {
			return nil
		}
		v = slices.Clone(list)
		for i, item := range list {
			v.([]any)[i] = expr.Text(item)
		}
	case map[string]any:
		if len(list) == 0 && a.in != "path" {
			return nil
		}
	default:
		v = expr.Text(v)
	}
	switch a.in {
	case "path":
		return a.putInPath(r, v)
	case "query":
		text, err := a.styled(runtime.ParamLocationQuery, v)
		r.query = append(r.query, noURI.Replace(text))
		return err
	case "cookie":
		text, err := a.styled(runtime.ParamLocationQuery, v) // so that no part of it ends the cookie
		r.cookies = append(r.cookies, strings.ReplaceAll(text, "&", "; "))
		return err
	}
	text, err := a.styled(runtime.ParamLocationHeader, v)
	if strings.ContainsAny(text, "\r\n\x00") {
		return fmt.Errorf("it has a character that no header can hold")
	}
	r.header.Set(a.at, text)
	return err
}

// noURI are what styles put between values that no address may hold as it is
// (RFC 3986, 3.4).
var noURI = strings.NewReplacer(" ", "%20", "|", "%7C", "[", "%5B", "]", "%5D")

func (a argument) styled(where runtime.ParamLocation, v any) (string, error) {
	return runtime.StyleParamWithOptions(a.style, a.explode, a.at, v,
		runtime.StyleParamOptions{ParamLocation: where, AllowReserved: a.plain})
}

// putInPath puts a value between slashes, where it must not lead elsewhere.
func (a argument) putInPath(r *request, v any) error {
	if text, is := v.(string); is {
		if err := safepath.Segment(text); err != nil {
			return err
		}
	}
	text, err := a.styled(runtime.ParamLocationPath, v)
	if err != nil {
		return err
	}
	read, err := url.PathUnescape(text)
	if err != nil {
		return err
	}
	if err := safepath.Segment(read); err != nil {
		return err
	}
	r.path = strings.ReplaceAll(r.path, "{"+a.at+"}", text)
	return nil
}
