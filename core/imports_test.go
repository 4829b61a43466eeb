package core_test

import (
	"go/parser"
	"go/token"
	"io/fs"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"testing"
)

// forbidden is what the computation may not touch: the network, the disk, the
// clock of the machine, the command line and everything above it. How addresses are
// written (net/url) is computation.
var forbidden = []string{"net/http", "net", "database/sql", "os", "os/exec", "flag", "log", "log/slog", "syscall",
	"woolsignal/server", "woolsignal/client", "woolsignal/cmd", "woolsignal/console", "woolsignal/standin",
	"woolsignal/demo"}

func TestCoreImportsOnlyComputation(t *testing.T) {
	seen := 0
	err := filepath.WalkDir(".", func(path string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() || !strings.HasSuffix(path, ".go") || strings.HasSuffix(path, "_test.go") {
			return err
		}
		seen++
		file, err := parser.ParseFile(token.NewFileSet(), path, nil, parser.ImportsOnly)
		if err != nil {
			return err
		}
		for _, spec := range file.Imports {
			name, _ := strconv.Unquote(spec.Path.Value)
			if slices.ContainsFunc(forbidden,
				func(f string) bool { return name == f || strings.HasPrefix(name, f+"/") && name != "net/url" }) ||
				strings.Contains(name, "go-chi") {
				t.Errorf("%s imports %s", path, name)
			}
		}
		return nil
	})
	if err != nil {
		t.Fatal(err)
	}
	if seen < 10 {
		t.Fatalf("only %d files were looked at", seen)
	}
}
