package main

import (
	"io/fs"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"
)

// TestWhatSecurityNamesIsThere finds every test that docs/security.md names as
// evidence.
func TestWhatSecurityNamesIsThere(t *testing.T) {
	text, err := os.ReadFile("../../docs/security.md")
	if err != nil {
		t.Fatal(err)
	}
	there := map[string]bool{}
	tests := regexp.MustCompile(`(?m)^func ((?:Test|Fuzz)\w+)\(`)
	err = filepath.WalkDir("../..", func(path string, d fs.DirEntry, err error) error {
		if err != nil {
			return err
		}
		if d.IsDir() && path != "../.." && (d.Name() == "node_modules" || strings.HasPrefix(d.Name(), ".")) {
			return filepath.SkipDir
		}
		if !strings.HasSuffix(path, "_test.go") {
			return nil
		}
		source, err := os.ReadFile(path)
		for _, found := range tests.FindAllSubmatch(source, -1) {
			there[string(found[1])] = true
		}
		return err
	})
	if err != nil {
		t.Fatal(err)
	}
	named := regexp.MustCompile("`((?:Test|Fuzz)\\w+)`").FindAllSubmatch(text, -1)
	if len(named) < 50 {
		t.Errorf("only %d tests are named", len(named))
	}
	for _, one := range named {
		if !there[string(one[1])] {
			t.Errorf("docs/security.md names %s, and there is no such test", one[1])
		}
	}
}
