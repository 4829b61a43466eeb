package webdav

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"path"
	"slices"
	"strings"
	"time"

	"github.com/emersion/go-webdav"

	"woolsignal/core/flow"
	"woolsignal/server/document"
	"woolsignal/server/safepath"
	"woolsignal/server/tool"
)

// Shelf is a folder tree of a WebDAV server (RFC 4918). The trigger that
// watches a folder and the tools use it.
type Shelf struct {
	client *webdav.Client
	http   *http.Client
	base   *url.URL
	title  string
}

// OpenShelf gives the files of a connection.
func OpenShelf(k *tool.Kit, c *flow.Connection) (*Shelf, error) {
	client, err := k.Client(c)
	if err != nil {
		return nil, err
	}
	return newShelf(c, client)
}

func newShelf(c *flow.Connection, client *http.Client) (*Shelf, error) {
	dav, err := webdav.NewClient(client, c.Address+"/")
	if err != nil {
		return nil, err
	}
	base, err := url.Parse(c.Address)
	return &Shelf{dav, client, base, c.Title}, err
}

// Entry is a file or a folder.
type Entry struct {
	Path, Name, Type, ETag string // the path is below the connection's address
	Folder                 bool
	Size                   int64
	Changed                time.Time
}

// List gives what stands in a folder, by name.
func (s *Shelf) List(ctx context.Context, folder string) ([]Entry, error) {
	ctx, cancel := context.WithTimeout(ctx, 30*time.Second)
	defer cancel()
	found, err := s.client.ReadDir(ctx, s.absolute(folder)+"/", false)
	if err != nil {
		return nil, s.explain(folder, err)
	}
	var out []Entry
	for _, f := range found {
		at := strings.Trim(strings.TrimPrefix(f.Path, s.base.Path), "/")
		if at == strings.Trim(path.Clean("/"+folder), "/") {
			continue // the folder itself
		}
		out = append(out, Entry{Path: at, Name: path.Base(at), Type: f.MIMEType, ETag: f.ETag, Folder: f.IsDir,
			Size: f.Size, Changed: f.ModTime})
	}
	slices.SortFunc(out, func(a, b Entry) int { return strings.Compare(a.Path, b.Path) })
	return out, nil
}

// absolute is a path on the server. It never leaves the connection's folder.
func (s *Shelf) absolute(p string) string { return path.Join("/", s.base.Path, path.Clean("/"+p)) }

func (s *Shelf) address(p string) string {
	u := *s.base
	u.Path = s.absolute(p)
	return u.String()
}

// explain says what an error of the client's means.
func (s *Shelf) explain(p string, err error) error {
	for code, refused := range map[string]tool.RefusedError{"404": {Message: s.title + " has no " + p, NotFound: true},
		"401": {Message: s.title + " does not accept the password"},
		"403": {Message: s.title + " does not allow that for " + p}} {
		if strings.Contains(err.Error(), "HTTP error: "+code) || strings.Contains(err.Error(), code+" ") {
			return &refused
		}
	}
	return fmt.Errorf("%s: %s: %w", s.title, p, err)
}

// Read gives the bytes of a file.
func (s *Shelf) Read(ctx context.Context, p string) ([]byte, string, error) {
	data, r, err := s.send(ctx, http.MethodGet, p, nil, nil)
	if err != nil {
		return nil, "", err
	}
	return data, r.Header.Get("Content-Type"), nil
}

// stands tells whether there is something of a name, by its properties alone:
// its size does not matter.
func (s *Shelf) stands(ctx context.Context, p string) (bool, error) {
	_, response, err := s.send(ctx, "PROPFIND", p, nil, map[string]string{"Depth": "0"})
	switch {
	case response != nil && response.StatusCode == http.StatusNotFound:
		return false, nil
	case err != nil:
		return false, err
	}
	return true, nil
}

// send makes one request and reads its answer.
func (s *Shelf) send(ctx context.Context, method, p string, body []byte, headers map[string]string) ([]byte,
	*http.Response, error) {
	ctx, cancel := context.WithTimeout(ctx, time.Minute)
	defer cancel()
	request, err := http.NewRequestWithContext(ctx, method, s.address(p), bytes.NewReader(body))
	if err != nil {
		return nil, nil, &tool.RefusedError{Message: err.Error()}
	}
	for name, v := range headers {
		request.Header.Set(name, v)
	}
	response, err := s.http.Do(request)
	if err != nil {
		return nil, nil, fmt.Errorf("%s: %w", s.title, err)
	}
	defer response.Body.Close()
	data, err := io.ReadAll(response.Body)
	if err != nil {
		return nil, nil, fmt.Errorf("%s: its answer broke off: %w", s.title, err)
	}
	return data, response, tool.AnswerError(s.title+", "+p, response, data)
}

// files are the tools of one WebDAV connection.
type files struct {
	kit   *tool.Kit
	shelf *Shelf
}

func operations(k *tool.Kit, _ *flow.Workspace, c *flow.Connection, client *http.Client) ([]*tool.Operation, error) {
	shelf, err := newShelf(c, client)
	if err != nil {
		return nil, err
	}
	f := &files{k, shelf}
	at := tool.Prop("string", "Its path, as in minutes/november.txt", "minLength", 1.0)
	overwrite := tool.Prop("boolean", "Whether a file that is there is replaced")
	place := tool.Result(map[string]any{"path": tool.Prop("string", ""), "link": tool.Prop("string", "Its address")})
	entry := tool.Result(map[string]any{"path": tool.Prop("string", ""), "name": tool.Prop("string", ""),
		"folder": tool.Prop("boolean", ""), "type": tool.Prop("string", ""), "size": tool.Prop("integer", ""),
		"changed": tool.Prop("string", "")})
	op := func(name, description string, in, out map[string]any, n tool.Nature,
		call func(context.Context, map[string]any, tool.Sending) (any, error)) *tool.Operation {
		return tool.NewOperation(c.ID, c.Title, name, description, in, out, n, call)
	}
	return []*tool.Operation{
		op("list", "Lists what stands in a folder.",
			tool.Object(nil, map[string]any{"folder": tool.Prop("string", "Its path; the top where it is missing")}),
			tool.Result(map[string]any{"entries": tool.ListOf(entry, "")}), tool.Reads, f.list),
		op("read", "Reads a file: its words, where it has some, and the file itself.",
			tool.Object([]any{"path"}, map[string]any{"path": at}),
			tool.Result(map[string]any{"text": tool.Prop("string", ""), "file": map[string]any(flow.FileShape())}),
			tool.Reads,
			f.read),
		op("write", "Writes a text or a file. Missing folders are made.",
			tool.Object([]any{"path"}, map[string]any{"path": at, "text": tool.Prop("string", "Its words"),
				"file": tool.FileSchema("Or a file"), "overwrite": overwrite}), place, tool.Sets,
			f.write).About(f.showWrite),
		op("copy", "Copies a file or a folder.",
			tool.Object([]any{"from", "to"}, map[string]any{"from": at, "to": at, "overwrite": overwrite}), place,
			tool.Sets,
			f.copy),
		op("move", "Moves or renames a file or a folder.",
			tool.Object([]any{"from", "to"}, map[string]any{"from": at, "to": at}), place, tool.Sets, f.move).
			About(f.showAt("from")),
		op("remove", "Removes a file or a folder for good.", tool.Object([]any{"path"}, map[string]any{"path": at}),
			tool.Result(map[string]any{"removed": tool.Prop("string", "")}), tool.Removes,
			f.remove).About(f.showAt("path")),
		op("fill_template", "Copies a template and fills in its places, written as [[name]].",
			tool.Object([]any{"template", "to", "values"}, map[string]any{"template": at, "to": at,
				"values":    map[string]any{"type": "object", "description": "What goes into each place"},
				"overwrite": overwrite}), place, tool.Sets, f.fill),
	}, nil
}

// pathOf reads an argument that names a file or folder below the connection's.
func pathOf(args map[string]any, name string) (string, error) {
	p, err := safepath.Relative(tool.Text(args, name))
	if err != nil {
		return "", &tool.RefusedError{Message: err.Error()}
	}
	return p, nil
}

func (f *files) list(ctx context.Context, args map[string]any, _ tool.Sending) (any, error) {
	folder, err := safepath.Folder(tool.Text(args, "folder"))
	if err != nil {
		return nil, &tool.RefusedError{Message: err.Error()}
	}
	all, err := f.shelf.List(ctx, folder)
	if err != nil {
		return nil, err
	}
	out := []any{}
	for _, e := range all {
		out = append(out, map[string]any{"path": e.Path, "name": e.Name, "folder": e.Folder, "type": e.Type,
			"size": e.Size, "changed": e.Changed.Format(time.RFC3339)})
	}
	return map[string]any{"entries": out}, nil
}

func (f *files) read(ctx context.Context, args map[string]any, _ tool.Sending) (any, error) {
	p, err := pathOf(args, "path")
	if err != nil {
		return nil, err
	}
	data, kind, err := f.shelf.Read(ctx, p)
	if err != nil {
		return nil, err
	}
	kept, err := f.kit.Save(ctx, tool.Content{Name: path.Base(p), Kind: kind, Data: data})
	if err != nil {
		return nil, err
	}
	words, err := document.Text(ctx, f.kit.Confined, kind, path.Base(p), data)
	if err != nil {
		words = "" // a picture has none, and that is no failure
	}
	return map[string]any{"text": words, "file": kept}, nil
}

func (f *files) place(p string) map[string]any {
	return map[string]any{"path": p, "link": f.shelf.address(p)}
}

// store writes bytes. A file that is there is kept where overwrite is false,
// unless an earlier try of this call wrote it.
func (f *files) store(ctx context.Context, args map[string]any, p string, c tool.Content, s tool.Sending) (any, error) {
	if err := f.folders(ctx, path.Dir(path.Clean("/"+p))); err != nil {
		return nil, err
	}
	headers := map[string]string{"Content-Type": c.Kind}
	taken := &tool.RefusedError{Message: p + " is there already; set overwrite to replace it, or choose another name"}
	if replace, _ := args["overwrite"].(bool); !replace {
		// Not every server knows the condition, so it is looked at first as well;
		// where that cannot be told, nothing is written.
		there, err := f.shelf.stands(ctx, p)
		switch {
		case err != nil:
			return nil, &tool.NotSentError{Err: err}
		case there && s.Again:
			return f.written(ctx, p, c.Data, taken)
		case there:
			return nil, taken
		}
		headers["If-None-Match"] = "*"
	}
	_, response, err := f.shelf.send(ctx, http.MethodPut, p, c.Data, headers)
	if response != nil && response.StatusCode == http.StatusPreconditionFailed {
		return nil, taken
	}
	if err != nil {
		return nil, err
	}
	return f.place(p), nil
}

// written tells whether an earlier try of a call wrote what stands there.
func (f *files) written(ctx context.Context, p string, wanted []byte, taken error) (any, error) {
	there, _, err := f.shelf.Read(ctx, p)
	if err != nil {
		return nil, err // it cannot be told
	}
	if !bytes.Equal(there, wanted) {
		return nil, taken
	}
	return f.place(p), nil
}

// folders makes the folders that are missing on the way to a file.
func (f *files) folders(ctx context.Context, folder string) error {
	if folder == "/" || folder == "." {
		return nil
	}
	if _, err := f.shelf.List(ctx, folder); err == nil {
		return nil
	}
	if err := f.folders(ctx, path.Dir(folder)); err != nil {
		return err
	}
	_, response, err := f.shelf.send(ctx, "MKCOL", folder+"/", nil, nil)
	if response != nil && response.StatusCode == http.StatusMethodNotAllowed {
		return nil // somebody made it meanwhile
	}
	return err
}

func (f *files) write(ctx context.Context, args map[string]any, s tool.Sending) (any, error) {
	words, isText := args["text"].(string)
	if _, isFile := args["file"]; isFile == isText {
		return nil, &tool.RefusedError{Message: "give either text or file"}
	}
	c := tool.Content{Kind: "text/plain; charset=utf-8", Data: []byte(words)}
	if !isText {
		var err error
		if c, err = f.kit.Load(ctx, args["file"]); err != nil {
			return nil, err
		}
	}
	p, err := pathOf(args, "path")
	if err != nil {
		return nil, err
	}
	return f.store(ctx, args, p, c, s)
}

func (f *files) copy(ctx context.Context, args map[string]any, s tool.Sending) (any, error) {
	return f.transfer(ctx, "COPY", args, s)
}

func (f *files) move(ctx context.Context, args map[string]any, s tool.Sending) (any, error) {
	return f.transfer(ctx, "MOVE", args, s)
}

func (f *files) transfer(ctx context.Context, method string, args map[string]any, s tool.Sending) (any, error) {
	from, err := pathOf(args, "from")
	if err != nil {
		return nil, err
	}
	to, err := pathOf(args, "to")
	if err != nil {
		return nil, err
	}
	if err := f.folders(ctx, path.Dir(path.Clean("/"+to))); err != nil {
		return nil, err
	}
	overwrite := "F"
	if replace, _ := args["overwrite"].(bool); replace {
		overwrite = "T"
	}
	_, response, err := f.shelf.send(ctx, method, from, nil,
		map[string]string{"Destination": f.shelf.address(to), "Overwrite": overwrite})
	if response != nil && s.Again && method == "MOVE" && err != nil && f.moved(ctx, from, to) {
		return f.place(to), nil
	}
	if response != nil && response.StatusCode == http.StatusPreconditionFailed {
		taken := &tool.RefusedError{Message: to + " is there already; choose another name"}
		if s.Again && method == "COPY" { // by an earlier try of this call?
			if original, _, err := f.shelf.Read(ctx, from); err == nil {
				return f.written(ctx, to, original, taken)
			}
		}
		return nil, taken
	}
	if err != nil {
		return nil, err
	}
	return f.place(to), nil
}

// moved tells whether an earlier try has moved a file.
func (f *files) moved(ctx context.Context, from, to string) bool {
	_, _, gone := f.shelf.Read(ctx, from)
	_, _, missing := f.shelf.Read(ctx, to)
	var refused *tool.RefusedError
	return errors.As(gone, &refused) && refused.NotFound && missing == nil
}

func (f *files) remove(ctx context.Context, args map[string]any, s tool.Sending) (any, error) {
	p, err := pathOf(args, "path")
	if err != nil {
		return nil, err
	}
	_, response, err := f.shelf.send(ctx, http.MethodDelete, p, nil, nil)
	if err != nil && (response == nil || response.StatusCode != http.StatusNotFound || !s.Again) {
		return nil, err
	}
	return map[string]any{"removed": p}, nil
}

func (f *files) fill(ctx context.Context, args map[string]any, s tool.Sending) (any, error) {
	from, err := pathOf(args, "template")
	if err != nil {
		return nil, err
	}
	to, err := pathOf(args, "to")
	if err != nil {
		return nil, err
	}
	data, kind, err := f.shelf.Read(ctx, from)
	if err != nil {
		return nil, err
	}
	values, _ := args["values"].(map[string]any)
	filled, err := document.Fill(ctx, f.kit.Confined, path.Base(from), data, values)
	if err != nil {
		return nil, &tool.RefusedError{Message: from + ": " + err.Error()}
	}
	return f.store(ctx, args, to, tool.Content{Kind: kind, Data: filled}, s)
}
