package main

import (
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"

	"woolsignal/server/workspace"
)

// baseFile notes, beside a folder's files, which edition of each the service
// had when the two last agreed. It is how somebody else's changes are found
// before they are overwritten.
const baseFile = ".woolsignal-base.json"

// hiddenCopy is where the service's edition of a file is put that somebody
// changed meanwhile. Hidden files are no part of a workspace.
func hiddenCopy(path string) string {
	return filepath.ToSlash(filepath.Join(filepath.Dir(path), ".theirs-"+filepath.Base(path)))
}

// baseOf reads a folder's note; a folder without one starts from what the
// service has now, so that nothing is lost between asking and applying.
func baseOf(folder string, now map[string]string) (map[string]string, error) {
	data, err := os.ReadFile(filepath.Join(folder, baseFile))
	if errors.Is(err, fs.ErrNotExist) {
		return editions(now), nil
	} else if err != nil {
		return nil, err
	}
	base := map[string]string{}
	if err := json.Unmarshal(data, &base); err != nil {
		return nil, fmt.Errorf("%s cannot be read: %w; remove it to start from what the service has now",
			filepath.Join(folder, baseFile), err)
	}
	return base, nil
}

func editions(files map[string]string) map[string]string {
	out := make(map[string]string, len(files))
	for path, text := range files {
		out[path] = workspace.Edition(text)
	}
	return out
}

// noteBase notes that a folder and the service agree.
func noteBase(folder string, files map[string]string) error {
	return writeBase(folder, editions(files))
}

// noteTheirs notes that somebody has seen what others changed, so that the
// next time it is brought together.
func noteTheirs(folder string, paths []string, now map[string]string) error {
	base, err := baseOf(folder, now)
	if err != nil {
		return err
	}
	for _, path := range paths {
		if text, there := now[path]; there {
			base[path] = workspace.Edition(text)
		} else {
			delete(base, path)
		}
	}
	return writeBase(folder, base)
}

func writeBase(folder string, base map[string]string) error {
	data, err := json.MarshalIndent(base, "", "  ")
	if err != nil {
		return err
	}
	return os.WriteFile(filepath.Join(folder, baseFile), append(data, '\n'), 0o644)
}
