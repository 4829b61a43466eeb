package client

import (
	"io/fs"
	"os"
	"path/filepath"
	"strings"
)

// ReadFolder reads the files of a workspace folder, text by path. Hidden
// files and folders are left out.
func ReadFolder(folder string) (map[string]string, error) {
	out := map[string]string{}
	folder, err := filepath.EvalSymlinks(folder) // a walk does not follow the link it begins at
	if err != nil {
		return nil, err
	}
	err = filepath.WalkDir(folder, func(path string, d fs.DirEntry, err error) error {
		if err != nil {
			return err
		}
		if path != folder && strings.HasPrefix(d.Name(), ".") {
			if d.IsDir() {
				return filepath.SkipDir
			}
			return nil
		}
		if d.IsDir() {
			return nil
		}
		text, err := os.ReadFile(path)
		if err != nil {
			return err
		}
		name, err := filepath.Rel(folder, path)
		out[filepath.ToSlash(name)] = string(text)
		return err
	})
	return out, err
}
