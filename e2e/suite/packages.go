package main

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"go/ast"
	"go/parser"
	"go/token"
	"io"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
)

// simulation is the package that lives through afternoons by seeds.
const simulation = "woolsignal/server/simulation"

// outside are tests that drive the built program, and benchmarks.
var outside = []string{"woolsignal/e2e", "woolsignal/e2e/bench"}

// pkg is a package of ours, as go list tells of it.
type pkg struct {
	ImportPath                         string
	Dir                                string
	GoFiles, TestGoFiles, XTestGoFiles []string
	Imports, TestImports, XTestImports []string
}

func list(ctx context.Context) ([]*pkg, error) {
	out, err := exec.CommandContext(ctx, "go", "list", "-json", "./...").Output()
	if err != nil {
		return nil, fmt.Errorf("go list: %w", err)
	}
	var all []*pkg
	for decoder := json.NewDecoder(strings.NewReader(string(out))); ; {
		p := &pkg{}
		if err := decoder.Decode(p); errors.Is(err, io.EOF) {
			return all, nil
		} else if err != nil {
			return nil, fmt.Errorf("go list: %w", err)
		}
		all = append(all, p)
	}
}

// tested tells whether a package has tests that are run beside the whole service.
func (p *pkg) tested() bool {
	return len(p.TestGoFiles)+len(p.XTestGoFiles) > 0 && !slices.Contains(outside, p.ImportPath)
}

// apart has concurrency and is not tested under the race detector here: simulated
// afternoons are lived through under it by make soak, and the others hand bytes to a
// process that does one thing after another, as server/confined is tested to do.
var apart = []string{simulation, "woolsignal/server/document", "woolsignal/server/feed", "woolsignal/server/page",
	"woolsignal/server/script"}

// split parts what has concurrency, or imports what has, from what has none. Nothing
// in core starts goroutines.
func split(all []*pkg) (raced, plain []string) {
	concurrent := map[string]bool{}
	for _, p := range all {
		concurrent[p.ImportPath] = !strings.HasPrefix(p.ImportPath, "woolsignal/core/") && p.concurrent()
	}
	for _, p := range all {
		used := slices.ContainsFunc(p.Imports, func(i string) bool { return concurrent[i] })
		switch {
		case !p.tested():
		case !slices.Contains(apart, p.ImportPath) && (concurrent[p.ImportPath] || used):
			raced = append(raced, p.ImportPath)
		default:
			plain = append(plain, p.ImportPath)
		}
	}
	return raced, plain
}

// concurrent tells whether a package or its tests have to do with goroutines: by a go
// statement, or by what they take from sync.
func (p *pkg) concurrent() (found bool) {
	for _, name := range slices.Concat(p.GoFiles, p.TestGoFiles, p.XTestGoFiles) {
		file, err := parser.ParseFile(token.NewFileSet(), filepath.Join(p.Dir, name), nil, parser.SkipObjectResolution)
		if err != nil {
			return true // go test says what is wrong
		}
		found = found || slices.ContainsFunc(file.Imports, func(s *ast.ImportSpec) bool {
			return strings.HasPrefix(s.Path.Value, `"sync`)
		})
		ast.Inspect(file, func(n ast.Node) bool {
			_, is := n.(*ast.GoStmt)
			found = found || is
			return !found
		})
	}
	return found
}

// since gives the packages with tests that changed since main, committed or not,
// and those that import them.
func since(ctx context.Context, all []*pkg) ([]string, error) {
	files, err := changedFiles(ctx)
	if err != nil {
		return nil, err
	}
	root, err := filepath.Abs(".")
	if err != nil {
		return nil, err
	}
	changed := map[string]bool{}
	for _, p := range all {
		changed[p.ImportPath] = slices.ContainsFunc(files, func(f string) bool {
			return p.holds(filepath.Join(root, f), all)
		})
	}
	for again := true; again; {
		again = false
		for _, p := range all {
			uses := slices.ContainsFunc(slices.Concat(p.Imports, p.TestImports, p.XTestImports),
				func(i string) bool { return changed[i] })
			if uses && !changed[p.ImportPath] {
				changed[p.ImportPath], again = true, true
			}
		}
	}
	var out []string
	for _, p := range all {
		if changed[p.ImportPath] && p.tested() && p.ImportPath != simulation {
			out = append(out, p.ImportPath)
		}
	}
	return out, nil
}

// holds tells whether a file is a package's: in its folder, or in one below it that
// is no package of its own.
func (p *pkg) holds(file string, all []*pkg) bool {
	for dir := filepath.Dir(file); len(dir) >= len(p.Dir); dir = filepath.Dir(dir) {
		if at := slices.IndexFunc(all, func(o *pkg) bool { return o.Dir == dir }); at >= 0 {
			return all[at] == p
		}
	}
	return false
}

// changedFiles lists what differs from main, as it was where this work began.
func changedFiles(ctx context.Context) ([]string, error) {
	base := "HEAD"
	for _, main := range []string{"origin/main", "main"} {
		out, err := exec.CommandContext(ctx, "git", "merge-base", "HEAD", main).Output()
		if err == nil {
			base = strings.TrimSpace(string(out))
			break
		}
	}
	var files []string
	for _, args := range [][]string{{"diff", "--name-only", base}, {"ls-files", "--others", "--exclude-standard"}} {
		out, err := exec.CommandContext(ctx, "git", args...).Output()
		if err != nil {
			return nil, fmt.Errorf("git %s: %w", args[0], err)
		}
		files = append(files, strings.Fields(string(out))...)
	}
	return files, nil
}
