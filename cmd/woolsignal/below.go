package main

import (
	"fmt"
	"os"
	"path"
	"path/filepath"

	"woolsignal/server/safepath"
)

// writeBelow writes a file below a folder of this machine, whose name came from
// the service. Neither the name nor a link in the folder leads out of it.
func writeBelow(folder, name, text string) error {
	name, err := safepath.Relative(name)
	if err != nil {
		return fmt.Errorf("the service names a file that would not stay in the folder: %w", err)
	}
	if err := os.MkdirAll(folder, 0o755); err != nil {
		return err
	}
	root, err := os.OpenRoot(folder)
	if err != nil {
		return err
	}
	defer root.Close()
	if err := root.MkdirAll(filepath.FromSlash(path.Dir(name)), 0o755); err != nil {
		return err
	}
	return root.WriteFile(filepath.FromSlash(name), []byte(text), 0o644)
}
