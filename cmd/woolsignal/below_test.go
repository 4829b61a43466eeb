package main

import (
	"os"
	"path/filepath"
	"testing"
)

// TestNothingIsWrittenOutsideTheFolder has a service, or a link, lead out of it.
func TestNothingIsWrittenOutsideTheFolder(t *testing.T) {
	outside, folder := t.TempDir(), filepath.Join(t.TempDir(), "workspace")
	if err := writeBelow(folder, "workflows/a.yaml", "a"); err != nil {
		t.Fatal(err)
	}
	if err := os.Symlink(outside, filepath.Join(folder, "link")); err != nil {
		t.Fatal(err)
	}
	for _, name := range []string{"../x", "workflows/../../x", "/etc/../x", "link/x", ".", "", "a/\x00"} {
		if err := writeBelow(folder, name, "x"); err == nil {
			t.Errorf("%q was written", name)
		}
	}
	if left, err := os.ReadDir(outside); err != nil || len(left) > 0 {
		t.Errorf("outside there is %v, %v", left, err)
	}
	if data, err := os.ReadFile(filepath.Join(folder, "workflows", "a.yaml")); err != nil || string(data) != "a" {
		t.Errorf("%q, %v", data, err)
	}
}
