package tool

import (
	"context"
	"fmt"
	"mime"
	"net/http"
	"path"
	"strings"

	"woolsignal/core/flow"
	"woolsignal/core/run"
)

// fileSchema is the schema of an argument that is a file: one that came with
// a signal, or that a tool gave.
func fileSchema(description string) map[string]any {
	s := map[string]any(flow.FileShape())
	return map[string]any{"type": "object", "description": description, "properties": s["properties"],
		"required": []any{"name", "blob"}}
}

// content is a file with its bytes.
type content struct {
	name, kind string
	data       []byte
}

// load reads the bytes of a file that an argument names.
func (k *Kit) load(ctx context.Context, v any) (content, error) {
	f, _ := v.(map[string]any)
	hash, _ := f["blob"].(string)
	if hash == "" {
		return content{}, &RefusedError{Message: "this is not a file: a file is what a signal or another tool gave, " +
			"with its name and blob"}
	}
	data, err := k.store.Blob(ctx, hash)
	if err != nil {
		return content{}, &RefusedError{Message: fmt.Sprintf("%v: %v", f["name"], err)}
	}
	name, _ := f["name"].(string)
	kind, _ := f["type"].(string)
	return content{safeName(name), kind, data}, nil
}

// save keeps bytes and gives the file as values carry it.
func (k *Kit) save(ctx context.Context, c content) (map[string]any, error) {
	if c.kind == "" {
		c.kind = mediaType(c.name, c.data)
	}
	hash, err := k.store.PutBlob(ctx, c.data)
	if err != nil {
		return nil, err
	}
	return map[string]any{"name": safeName(c.name), "type": c.kind, "size": int64(len(c.data)), "blob": hash}, nil
}

// Keep keeps the bytes of a file that came with a signal.
func (k *Kit) Keep(ctx context.Context, name, kind string, data []byte) (run.File, error) {
	if kind == "" {
		kind = mediaType(name, data)
	}
	hash, err := k.store.PutBlob(ctx, data)
	return run.File{Name: safeName(name), Type: kind, Size: int64(len(data)), Blob: hash}, err
}

// mediaType goes by the name, else by the first bytes.
func mediaType(name string, data []byte) string {
	if kind := mime.TypeByExtension(path.Ext(name)); kind != "" {
		return kind
	}
	return http.DetectContentType(data)
}

// safeName takes the folders off a name somebody else chose.
func safeName(name string) string {
	name = strings.ReplaceAll(name, `\`, "/")
	name = strings.Trim(path.Base("/"+name), "./ ")
	if name == "" {
		return "file"
	}
	return name
}

// fileResult is the schema of a file that is given back.
func fileResult() map[string]any { return map[string]any(flow.FileShape()) }
