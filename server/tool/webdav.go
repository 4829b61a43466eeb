package tool

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
)

// Shelf is a folder tree of a WebDAV server (RFC 4918). The trigger that
// watches a folder and the tools use it.
type Shelf struct {
	client *webdav.Client
	http   *http.Client
	base   *url.URL
	title  string
}

// Shelf gives the files of a connection.
func (k *Kit) Shelf(c *flow.Connection) (*Shelf, error) {
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
	for code, refused := range map[string]RefusedError{"404": {Message: s.title + " has no " + p, NotFound: true},
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

// send makes one request and reads its answer.
func (s *Shelf) send(ctx context.Context, method, p string, body []byte, headers map[string]string) ([]byte,
	*http.Response, error) {
	ctx, cancel := context.WithTimeout(ctx, time.Minute)
	defer cancel()
	request, err := http.NewRequestWithContext(ctx, method, s.address(p), bytes.NewReader(body))
	if err != nil {
		return nil, nil, &RefusedError{Message: err.Error()}
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
	return data, response, answerError(s.title+", "+p, response, data)
}

// files are the tools of one WebDAV connection.
type files struct {
	kit   *Kit
	shelf *Shelf
}

func (k *Kit) fileOperations(_ *flow.Workspace, c *flow.Connection, client *http.Client) ([]*Operation, error) {
	shelf, err := newShelf(c, client)
	if err != nil {
		return nil, err
	}
	f := &files{k, shelf}
	at := prop("string", "Its path, as in minutes/november.txt", "minLength", 1.0)
	overwrite := prop("boolean", "Whether a file that is there is replaced")
	place := result(map[string]any{"path": prop("string", ""), "link": prop("string", "Its address")})
	entry := result(map[string]any{"path": prop("string", ""), "name": prop("string", ""),
		"folder": prop("boolean", ""), "type": prop("string", ""), "size": prop("integer", ""),
		"changed": prop("string", "")})
	op := func(name, description string, in, out map[string]any, n nature,
		call func(context.Context, map[string]any, Sending) (any, error)) *Operation {
		return operation(c.ID, c.Title, name, description, in, out, n, call)
	}
	return []*Operation{
		op("list", "Lists what stands in a folder.",
			object(nil, map[string]any{"folder": prop("string", "Its path; the top where it is missing")}),
			result(map[string]any{"entries": listOf(entry, "")}), reads, f.list),
		op("read", "Reads a file: its words, where it has some, and the file itself.",
			object([]any{"path"}, map[string]any{"path": at}),
			result(map[string]any{"text": prop("string", ""), "file": map[string]any(flow.FileShape())}), reads,
			f.read),
		op("write", "Writes a text or a file. Missing folders are made.",
			object([]any{"path"}, map[string]any{"path": at, "text": prop("string", "Its words"),
				"file": fileSchema("Or a file"), "overwrite": overwrite}), place, sets, f.write),
		op("copy", "Copies a file or a folder.",
			object([]any{"from", "to"}, map[string]any{"from": at, "to": at, "overwrite": overwrite}), place, sets,
			f.copy),
		op("move", "Moves or renames a file or a folder.",
			object([]any{"from", "to"}, map[string]any{"from": at, "to": at}), place, sets, f.move),
		op("remove", "Removes a file or a folder for good.", object([]any{"path"}, map[string]any{"path": at}),
			result(map[string]any{"removed": prop("string", "")}), removes, f.remove),
		op("fill_template", "Copies a template and fills in its places, written as [[name]].",
			object([]any{"template", "to", "values"}, map[string]any{"template": at, "to": at,
				"values":    map[string]any{"type": "object", "description": "What goes into each place"},
				"overwrite": overwrite}), place, sets, f.fill),
	}, nil
}

func (f *files) list(ctx context.Context, args map[string]any, _ Sending) (any, error) {
	all, err := f.shelf.List(ctx, text(args, "folder"))
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

func (f *files) read(ctx context.Context, args map[string]any, _ Sending) (any, error) {
	data, kind, err := f.shelf.Read(ctx, text(args, "path"))
	if err != nil {
		return nil, err
	}
	kept, err := f.kit.save(ctx, content{path.Base(text(args, "path")), kind, data})
	if err != nil {
		return nil, err
	}
	words, err := document.Text(kind, path.Base(text(args, "path")), data)
	if err != nil {
		words = "" // a picture has none, and that is no failure
	}
	return map[string]any{"text": words, "file": kept}, nil
}

func (f *files) place(p string) map[string]any {
	p = strings.TrimPrefix(path.Clean("/"+p), "/")
	return map[string]any{"path": p, "link": f.shelf.address(p)}
}

// store writes bytes. A file that is there is kept where overwrite is false,
// unless an earlier try of this call wrote it.
func (f *files) store(ctx context.Context, args map[string]any, p string, c content, s Sending) (any, error) {
	if err := f.folders(ctx, path.Dir(path.Clean("/"+p))); err != nil {
		return nil, err
	}
	headers := map[string]string{"Content-Type": c.kind}
	taken := &RefusedError{Message: p + " is there already; set overwrite to replace it, or choose another name"}
	if replace, _ := args["overwrite"].(bool); !replace {
		// Not every server knows the condition, so it is looked at first as well.
		if there, _, err := f.shelf.Read(ctx, p); err == nil {
			if s.Again && bytes.Equal(there, c.data) {
				return f.place(p), nil // an earlier try of this call wrote it
			}
			return nil, taken
		}
		headers["If-None-Match"] = "*"
	}
	_, response, err := f.shelf.send(ctx, http.MethodPut, p, c.data, headers)
	if response != nil && response.StatusCode == http.StatusPreconditionFailed {
		return nil, taken
	}
	if err != nil {
		return nil, err
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

func (f *files) write(ctx context.Context, args map[string]any, s Sending) (any, error) {
	words, isText := args["text"].(string)
	if _, isFile := args["file"]; isFile == isText {
		return nil, &RefusedError{Message: "give either text or file"}
	}
	c := content{kind: "text/plain; charset=utf-8", data: []byte(words)}
	if !isText {
		var err error
		if c, err = f.kit.load(ctx, args["file"]); err != nil {
			return nil, err
		}
	}
	return f.store(ctx, args, text(args, "path"), c, s)
}

func (f *files) copy(ctx context.Context, args map[string]any, s Sending) (any, error) {
	return f.transfer(ctx, "COPY", args, s)
}

func (f *files) move(ctx context.Context, args map[string]any, s Sending) (any, error) {
	return f.transfer(ctx, "MOVE", args, s)
}

func (f *files) transfer(ctx context.Context, method string, args map[string]any, s Sending) (any, error) {
	from, to := text(args, "from"), text(args, "to")
	if err := f.folders(ctx, path.Dir(path.Clean("/"+to))); err != nil {
		return nil, err
	}
	overwrite := "F"
	if replace, _ := args["overwrite"].(bool); replace || s.Again && method == "COPY" {
		overwrite = "T"
	}
	_, response, err := f.shelf.send(ctx, method, from, nil,
		map[string]string{"Destination": f.shelf.address(to), "Overwrite": overwrite})
	if response != nil && s.Again && method == "MOVE" && err != nil && f.moved(ctx, from, to) {
		return f.place(to), nil
	}
	if response != nil && response.StatusCode == http.StatusPreconditionFailed {
		return nil, &RefusedError{Message: to + " is there already; choose another name"}
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
	var refused *RefusedError
	return errors.As(gone, &refused) && refused.NotFound && missing == nil
}

func (f *files) remove(ctx context.Context, args map[string]any, s Sending) (any, error) {
	_, response, err := f.shelf.send(ctx, http.MethodDelete, text(args, "path"), nil, nil)
	if err != nil && (response == nil || response.StatusCode != http.StatusNotFound || !s.Again) {
		return nil, err
	}
	return map[string]any{"removed": text(args, "path")}, nil
}

func (f *files) fill(ctx context.Context, args map[string]any, s Sending) (any, error) {
	data, kind, err := f.shelf.Read(ctx, text(args, "template"))
	if err != nil {
		return nil, err
	}
	values, _ := args["values"].(map[string]any)
	filled, err := document.Fill(path.Base(text(args, "template")), data, values)
	if err != nil {
		return nil, &RefusedError{Message: text(args, "template") + ": " + err.Error()}
	}
	return f.store(ctx, args, text(args, "to"), content{kind: kind, data: filled}, s)
}
