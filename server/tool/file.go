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
	"woolsignal/server/store"
)

// FileSchema is the schema of an argument that is a file: one that came with
// a signal, or that a tool gave.
func FileSchema(description string) map[string]any {
	s := map[string]any(flow.FileShape())
	return map[string]any{"type": "object", "description": description, "properties": s["properties"],
		"required": []any{"name", "blob"}}
}

// Content is a file with its bytes.
type Content struct {
	Name, Kind string
	Data       []byte
}

// Load reads the bytes of a file that an argument names.
func (k *Kit) Load(ctx context.Context, v any) (Content, error) {
	f, _ := v.(map[string]any)
	hash, _ := f["blob"].(string)
	if hash == "" {
		return Content{}, &RefusedError{Message: "this is not a file: a file is what a signal or another tool gave, " +
			"with its name and blob"}
	}
	data, err := k.store.Blob(ctx, hash)
	if err != nil {
		return Content{}, &RefusedError{Message: fmt.Sprintf("%v: %v", f["name"], err)}
	}
	name, _ := f["name"].(string)
	kind, _ := f["type"].(string)
	return Content{SafeName(name), kind, data}, nil
}

// Save keeps bytes and gives the file as values carry it.
func (k *Kit) Save(ctx context.Context, c Content) (map[string]any, error) {
	if c.Kind == "" {
		c.Kind = mediaType(c.Name, c.Data)
	}
	hash, err := k.store.PutBlob(ctx, c.Data)
	if err != nil {
		return nil, err
	}
	return map[string]any{"name": SafeName(c.Name), "type": c.Kind, "size": int64(len(c.Data)), "blob": hash}, nil
}

// Describe is a file that came with a signal, before its bytes are kept: a signal
// that is refused leaves nothing.
func Describe(name, kind string, data []byte) run.File {
	if kind == "" {
		kind = mediaType(name, data)
	}
	return run.File{Name: SafeName(name), Type: kind, Size: int64(len(data)), Blob: store.BlobHash(data)}
}

// Keep keeps the bytes of a file that came with a signal from whom we know.
func (k *Kit) Keep(ctx context.Context, name, kind string, data []byte) (run.File, error) {
	_, err := k.store.PutBlob(ctx, data)
	return Describe(name, kind, data), err
}

// Leave keeps the bytes of a file that a stranger sent. The error is
// [store.ErrNoRoom] where strangers have left as much as they may.
func (k *Kit) Leave(ctx context.Context, name, kind string, data []byte) (run.File, error) {
	_, err := k.store.LeaveBlob(ctx, data)
	return Describe(name, kind, data), err
}

// mediaType goes by the name, else by the first bytes.
func mediaType(name string, data []byte) string {
	if kind := mime.TypeByExtension(path.Ext(name)); kind != "" {
		return kind
	}
	return http.DetectContentType(data)
}

// SafeName takes the folders off a name somebody else chose.
func SafeName(name string) string {
	name = strings.ReplaceAll(name, `\`, "/")
	name = strings.Trim(path.Base("/"+name), "./ ")
	if name == "" {
		return "file"
	}
	return name
}

// FileResult is the schema of a file that is given back.
func FileResult() map[string]any { return map[string]any(flow.FileShape()) }
