package openapi

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"maps"
	"mime"
	"mime/multipart"
	"net/textproto"
	"net/url"
	"slices"
	"strings"

	"github.com/getkin/kin-openapi/openapi3"

	"woolsignal/core/expr"
	"woolsignal/server/tool"
)

// body is how a request's body is made of arguments.
type body struct {
	media    string            // its media type
	fields   map[string]string // field → argument; nil where whole is the body
	whole    string            // the argument that is all of it; "" where fields are
	required bool
	files    map[string]bool // fields of a form that are files
}

// mediaTypes lists the media types something may have.
func mediaTypes(content openapi3.Content) string {
	return strings.Join(slices.Sorted(maps.Keys(content)), ", ")
}

func isJSON(media string) bool {
	kind, _, err := mime.ParseMediaType(media)
	return err == nil && (kind == "application/json" || strings.HasSuffix(kind, "+json"))
}

// isText tells whether what has a media type is words.
func isText(media string) bool {
	kind, _, err := mime.ParseMediaType(media)
	return err == nil && (strings.HasPrefix(kind, "text/") || kind == "application/xml" ||
		strings.HasSuffix(kind, "+xml") || kind == "application/yaml" || strings.HasSuffix(kind, "+yaml") ||
		kind == "application/x-ndjson")
}

// jsonOf is the first media type that is JSON; plain application/json before
// those of a vendor.
func jsonOf(content openapi3.Content) *openapi3.MediaType {
	media, _ := chosen(content)
	if !isJSON(media) {
		return nil
	}
	return content[media]
}

// chosen picks the media type a body is sent as: JSON, a form, words, or bytes.
func chosen(content openapi3.Content) (media string, of *openapi3.MediaType) {
	rank := func(media string) int {
		kind, _, err := mime.ParseMediaType(media)
		switch {
		case err != nil:
			return 9
		case kind == "application/json":
			return 0
		case isJSON(kind):
			return 1
		case kind == "multipart/form-data":
			return 2
		case kind == "application/x-www-form-urlencoded":
			return 3
		case isText(kind):
			return 4
		case strings.Contains(kind, "*"):
			return 6
		}
		return 5
	}
	for _, one := range slices.Sorted(maps.Keys(content)) {
		if media == "" || rank(one) < rank(media) {
			media = one
		}
	}
	return media, content[media]
}

// bodyOf reads what a body is made of. names gives fields names that no other
// argument has; properties and required take what it needs.
func (o *operation) bodyOf(b *openapi3.RequestBody, s *schemas, properties map[string]any) (required []any,
	err error) {
	media, of := chosen(b.Content)
	if of == nil {
		return nil, nil
	}
	schema, err := s.plain(of.Schema)
	if err != nil {
		return nil, err
	}
	o.body = &body{media: media, required: b.Required, files: map[string]bool{}}
	form := strings.HasPrefix(media, "multipart/form-data") ||
		strings.HasPrefix(media, "application/x-www-form-urlencoded")
	fields, needed, flat := fieldsOf(schema)
	switch {
	case !isJSON(media) && !form:
		schema = tool.FileSchema("What is sent")
		if isText(media) {
			schema = tool.Prop("string", "What is sent, as "+media)
		}
	case flat: // where the body need not be there and its fields must, it is taken to be
		o.body.fields = map[string]string{}
		for _, name := range slices.Sorted(maps.Keys(fields)) { // each reading names them alike
			field, file := formField(fields[name], form)
			o.body.files[name] = file
			as := o.free(name, "in_body", properties)
			o.body.fields[name], properties[as] = as, field
			if slices.Contains(needed, any(name)) {
				required = append(required, as)
			}
		}
		return required, nil
	case form: // its fields one below another, as they must stay together
		for name, field := range fields {
			fields[name], o.body.files[name] = formField(field, form)
		}
	}
	if b.Description != "" && schema["description"] == nil {
		schema["description"] = b.Description
	}
	o.body.whole = o.free("body", "as_a_whole", properties)
	properties[o.body.whole] = schema
	if b.Required {
		required = append(required, o.body.whole)
	}
	return required, nil
}

// fieldsOf gives the fields of a schema that is a map of these and no others;
// flat is false where it is anything else, or says more than its fields do.
func fieldsOf(schema map[string]any) (fields map[string]any, required []any, flat bool) {
	fields, _ = schema["properties"].(map[string]any)
	required, _ = schema["required"].([]any)
	for key, v := range schema {
		switch key {
		case "properties", "required", "title", "description", "default", "deprecated":
		case "type":
			if v != "object" {
				return fields, required, false
			}
		case "additionalProperties":
			if v != false {
				return fields, required, false
			}
		default: // oneOf, allOf, minProperties … are about all of it
			if !strings.HasPrefix(key, "x-") {
				return fields, required, false
			}
		}
	}
	return maps.Clone(fields), required, len(fields) > 0
}

// formField is a field of a form: one that holds bytes is a file.
func formField(field any, form bool) (schema any, file bool) {
	s, _ := field.(map[string]any)
	format, _ := s["format"].(string)
	if !form || format != "binary" && s["contentMediaType"] == nil {
		if items, _ := s["items"].(map[string]any); form && items != nil {
			if inner, files := formField(items, form); files {
				return map[string]any{"type": "array", "items": inner}, true
			}
		}
		return field, false
	}
	description, _ := s["description"].(string)
	return tool.FileSchema(description), true
}

// write makes the body of a call's arguments. kind is its media type; "" where
// nothing of it was given and it need not be there.
func (b *body) write(ctx context.Context, k *tool.Kit, args map[string]any) (data []byte, kind string, err error) {
	v, given := args[b.whole], false
	if b.whole != "" {
		_, given = args[b.whole]
	} else {
		all := map[string]any{}
		for field, name := range b.fields {
			if value, is := args[name]; is {
				all[field], given = value, true
			}
		}
		v = all
	}
	if !given && !b.required {
		return nil, "", nil
	}
	switch {
	case isJSON(b.media):
		data, err = json.Marshal(v)
		return data, b.media, err
	case strings.HasPrefix(b.media, "application/x-www-form-urlencoded"):
		fields, _ := v.(map[string]any)
		text, err := encoded(fields)
		return []byte(text), b.media, err
	case strings.HasPrefix(b.media, "multipart/form-data"):
		fields, _ := v.(map[string]any)
		return b.multipart(ctx, k, fields)
	case isText(b.media):
		return []byte(expr.Text(v)), b.media, nil
	}
	file, err := k.Load(ctx, v)
	if err != nil {
		return nil, "", err
	}
	if kind = b.media; strings.Contains(kind, "*") {
		if kind = file.Kind; kind == "" {
			kind = "application/octet-stream"
		}
	}
	return file.Data, kind, nil
}

// encoded writes a form's fields; a list gives its name once for each item, what
// is nested further is JSON.
func encoded(fields map[string]any) (string, error) {
	values := url.Values{}
	for name, v := range fields {
		all, list := v.([]any)
		if !list {
			all = []any{v}
		}
		for _, one := range all {
			text, err := word(one)
			if err != nil {
				return "", err
			}
			values.Add(name, text)
		}
	}
	return values.Encode(), nil
}

// word is a value as a form has it.
func word(v any) (string, error) {
	switch v.(type) {
	case map[string]any, []any:
		text, err := json.Marshal(v)
		return string(text), err
	}
	return expr.Text(v), nil
}

// multipart writes a form with files (RFC 7578).
func (b *body) multipart(ctx context.Context, k *tool.Kit, fields map[string]any) ([]byte, string, error) {
	var out bytes.Buffer
	w := multipart.NewWriter(&out)
	for _, name := range slices.Sorted(maps.Keys(fields)) {
		all, list := fields[name].([]any)
		if !list {
			all = []any{fields[name]}
		}
		for _, v := range all {
			if err := b.part(ctx, k, w, name, v); err != nil {
				return nil, "", fmt.Errorf("%s: %w", name, err)
			}
		}
	}
	if err := w.Close(); err != nil {
		return nil, "", err
	}
	return out.Bytes(), w.FormDataContentType(), nil
}

// quoted escapes what would end a name in quotes, as package mime/multipart does.
var quoted = strings.NewReplacer("\\", "\\\\", `"`, "\\\"", "\r", "%0D", "\n", "%0A")

func (b *body) part(ctx context.Context, k *tool.Kit, w *multipart.Writer, name string, v any) error {
	head, data := textproto.MIMEHeader{}, []byte(nil)
	head.Set("Content-Disposition", `form-data; name="`+quoted.Replace(name)+`"`)
	if b.files[name] {
		file, err := k.Load(ctx, v)
		if err != nil {
			return err
		}
		data = file.Data
		head.Set("Content-Disposition", multipart.FileContentDisposition(name, file.Name))
		if file.Kind == "" {
			file.Kind = "application/octet-stream"
		}
		head.Set("Content-Type", file.Kind)
	} else {
		text, err := word(v)
		if err != nil {
			return err
		}
		if _, plain := v.(map[string]any); plain {
			head.Set("Content-Type", "application/json")
		}
		data = []byte(text)
	}
	part, err := w.CreatePart(head)
	if err != nil {
		return err
	}
	_, err = part.Write(data)
	return err
}
