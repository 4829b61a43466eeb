package openapi

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"mime"
	"net/http"
	"path"
	"strings"
	"time"
	"unicode/utf8"

	"woolsignal/core/expr"
	"woolsignal/server/tool"
)

// patience bounds one call.
const patience = 30 * time.Second

// call sends one request.
func (o *operation) call(ctx context.Context, args map[string]any, s tool.Sending) (any, error) {
	ctx, cancel := context.WithTimeout(ctx, patience)
	defer cancel()
	r := &request{path: o.path, header: http.Header{"Accept": {o.accept}}}
	for _, a := range o.arguments {
		v, given := args[a.name]
		if !given {
			continue
		}
		if err := a.put(r, v); err != nil {
			return nil, &tool.RefusedError{Message: fmt.Sprintf("%s cannot be sent: %v", a.name, err)}
		}
	}
	if o.body != nil {
		data, kind, err := o.body.write(ctx, o.kit, args)
		var refused *tool.RefusedError
		if errors.As(err, &refused) {
			return nil, err
		} else if err != nil {
			return nil, &tool.RefusedError{Message: "the body cannot be sent: " + err.Error()}
		}
		if r.body = data; kind != "" {
			r.header.Set("Content-Type", kind)
		}
	}
	return o.send(ctx, r, s)
}

func (o *operation) send(ctx context.Context, r *request, s tool.Sending) (any, error) {
	address := o.base + r.path
	if len(r.query) > 0 {
		address += "?" + strings.Join(r.query, "&")
	}
	if len(r.cookies) > 0 {
		r.header.Set("Cookie", strings.Join(r.cookies, "; "))
	}
	if o.keyed {
		r.header.Set(tool.IdempotencyHeader, s.Key)
	}
	var content io.Reader
	if r.header.Get("Content-Type") != "" {
		content = bytes.NewReader(r.body)
	}
	request, err := http.NewRequestWithContext(ctx, o.method, address, content)
	if err != nil {
		return nil, &tool.RefusedError{Message: err.Error()}
	}
	request.Header = r.header
	response, err := o.client.Do(request)
	if err != nil {
		return nil, fmt.Errorf("%s: %w", o.title, err)
	}
	defer response.Body.Close()
	return o.read(ctx, response)
}

// read reads an answer by what it says it is: JSON, words, or else a file. JSON
// that is none is words.
func (o *operation) read(ctx context.Context, r *http.Response) (any, error) {
	data, err := tool.Answered(o.title, r)
	if err != nil {
		return nil, err
	}
	if len(bytes.TrimSpace(data)) == 0 {
		return map[string]any{"status": int64(r.StatusCode)}, nil
	}
	kind := r.Header.Get("Content-Type")
	if kind == "" || isJSON(kind) || isText(kind) {
		if v, err := expr.DecodeJSON(data); err == nil && !isText(kind) {
			return v, nil
		}
		if utf8.Valid(data) {
			return string(data), nil
		}
	}
	file, err := o.kit.Save(ctx, tool.Content{Name: nameOf(r), Kind: kind, Data: data})
	if err != nil {
		return nil, &tool.HappenedError{Message: fmt.Sprintf("%s answered %d, with a file that could not be kept: %v",
			o.title, r.StatusCode, err)}
	}
	return file, nil
}

// nameOf is what an answer calls the file it is, or else its address does.
func nameOf(r *http.Response) string {
	if _, said, err := mime.ParseMediaType(r.Header.Get("Content-Disposition")); err == nil && said["filename"] != "" {
		return said["filename"]
	}
	return path.Base(r.Request.URL.Path)
}
