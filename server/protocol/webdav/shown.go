package webdav

import (
	"context"
	"path"
	"time"

	"woolsignal/server/document"
	"woolsignal/server/tool"
)

// showAt tells which file or folder a call is about: the one its argument of a name is
// the path of.
func (f *files) showAt(name string) func(context.Context, map[string]any, tool.Sending) (tool.Shown, error) {
	return func(ctx context.Context, args map[string]any, _ tool.Sending) (tool.Shown, error) {
		p, err := pathOf(args, name)
		if err != nil {
			return tool.Shown{}, err
		}
		before, err := f.entry(ctx, p)
		if err != nil {
			return tool.Shown{}, err
		}
		shown := tool.Shown{Before: before}
		if to := tool.Text(args, "to"); to != "" {
			after, err := f.entry(ctx, p)
			if err != nil {
				return tool.Shown{}, err
			}
			after["path"] = to
			shown.After = after
		}
		return shown, nil
	}
}

// entry is a file or folder that is there.
func (f *files) entry(ctx context.Context, p string) (map[string]any, error) {
	all, err := f.shelf.List(ctx, path.Dir(path.Clean("/"+p)))
	if err != nil {
		return nil, err
	}
	for _, e := range all {
		if e.Path == p {
			return map[string]any{"path": e.Path, "folder": e.Folder, "type": e.Type, "size": e.Size,
				"modified": e.Changed.Format(time.RFC3339)}, nil
		}
	}
	return nil, &tool.RefusedError{Message: "there is no " + p, NotFound: true}
}

// showWrite tells what a file says that is written, and what it will say.
func (f *files) showWrite(ctx context.Context, args map[string]any, _ tool.Sending) (tool.Shown, error) {
	p, err := pathOf(args, "path")
	if err != nil {
		return tool.Shown{}, err
	}
	after := map[string]any{"path": p, "text": tool.Text(args, "text")}
	there, err := f.shelf.stands(ctx, p)
	if err != nil || !there {
		return tool.Shown{After: after}, err
	}
	data, kind, err := f.shelf.Read(ctx, p)
	if err != nil {
		return tool.Shown{}, err
	}
	words, err := document.Text(ctx, f.kit.Confined, kind, path.Base(p), data)
	if err != nil {
		words = "" // a picture has none, and is replaced all the same
	}
	return tool.Shown{Before: map[string]any{"path": p, "text": words}, After: after}, nil
}
