package intake

import (
	"context"
	"encoding/json"
	"path"

	"woolsignal/server/protocol/webdav"

	"woolsignal/core/flow"
	"woolsignal/core/run"
	"woolsignal/core/trigger"
	"woolsignal/server/tool"
)

// fileSource is a folder of a WebDAV server. Its cursor is what stood there,
// by path with its tag.
type fileSource struct {
	kit    *tool.Kit
	c      *flow.Connection
	folder string
}

// fileFound is a file that appeared, with its bytes kept.
type fileFound struct {
	webdav.Entry
	file run.File
}

// files looks at a folder of a WebDAV server.
func (w *Watches) files(t flow.Trigger) *looking {
	of := t.Is.(*trigger.File)
	c := w.connection(t)
	if c == nil {
		return nil
	}
	return &looking{"file " + c.ID + " " + of.Folder, "files in " + of.Folder, of.Every,
		&fileSource{w.Kit, c, of.Folder}}
}

func (s *fileSource) look(ctx context.Context, cursor json.RawMessage) ([]any, any, bool, error) {
	var before map[string]string
	if cursor != nil {
		if err := json.Unmarshal(cursor, &before); err != nil {
			return nil, nil, false, err
		}
	}
	shelf, err := webdav.OpenShelf(s.kit, s.c)
	if err != nil {
		return nil, nil, false, err
	}
	there, err := shelf.List(ctx, s.folder)
	if err != nil {
		return nil, nil, false, err
	}
	now, found := map[string]string{}, []any{}
	for _, e := range there {
		if e.Folder {
			continue
		}
		now[e.Path] = e.ETag
		if tag, known := before[e.Path]; cursor == nil || known && tag == e.ETag {
			continue
		}
		data, kind, err := shelf.Read(ctx, e.Path)
		if err != nil {
			return nil, nil, false, err
		}
		f := fileFound{Entry: e}
		if f.file, err = s.kit.Keep(ctx, e.Name, kind, data); err != nil {
			return nil, nil, false, err
		}
		found = append(found, f)
	}
	return found, now, false, nil
}

func (s *fileSource) comesBack() {} // files are put there again

func (s *fileSource) signal(t flow.Trigger, found any) (*run.Signal, error) {
	f := found.(fileFound)
	if of := t.Is.(*trigger.File); of.Name != "" {
		if fits, err := path.Match(of.Name, f.Name); err != nil || !fits {
			return nil, err
		}
	}
	return &run.Signal{ID: f.Path + "@" + f.ETag, Type: "file.appeared", Subject: f.Path, Files: []run.File{f.file},
		Body: map[string]any{"path": f.Path, "name": f.Name, "type": f.file.Type, "etag": f.ETag}}, nil
}
