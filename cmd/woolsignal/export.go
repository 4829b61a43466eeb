package main

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"maps"
	"slices"

	"woolsignal/client"
	"woolsignal/server/safepath"
)

// export writes the workspace's files into a folder, byte for byte as the
// service has them. Files that are only in the folder are left alone.
func export(ctx context.Context, a *app, args []string) error {
	f := a.flags("export")
	yes := f.Bool("yes", false, "do not ask before changing files")
	rest, err := parse(f, args, 1, 1)
	if err != nil {
		return err
	}
	files, err := a.client().Files(ctx)
	if err != nil {
		return err
	}
	there, err := client.ReadFolder(rest[0])
	if err != nil && !errors.Is(err, fs.ErrNotExist) {
		return err
	}
	var write, changed []string
	for _, path := range slices.Sorted(maps.Keys(files)) {
		if _, err := safepath.Relative(path); err != nil {
			return fmt.Errorf("the service has a file that would not stay in the folder: %w; nothing was written", err)
		}
		before, known := there[path]
		if known && before == files[path] {
			continue
		}
		write = append(write, path)
		if known {
			changed = append(changed, path)
			fmt.Fprintln(a.out, "changed  "+path)
		}
	}
	if len(changed) > 0 && !*yes {
		if err := a.confirm("What is in the folder now is lost. Go on?"); err != nil {
			return err
		}
	}
	for _, path := range write {
		if err := writeBelow(rest[0], path, files[path]); err != nil {
			return err
		}
	}
	if err := noteBase(rest[0], files); err != nil {
		return err
	}
	fmt.Fprintf(a.out, "%d files written to %s, %d were already so.\n", len(write), rest[0], len(files)-len(write))
	return nil
}
