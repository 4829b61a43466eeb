package main

import (
	"bufio"
	"cmp"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"
	"sync"
	"time"
)

// tally is what became of the tests.
type tally struct {
	mu                      sync.Mutex // guards the rest
	passed, failed, skipped int
	tests, packages         []timed
}

// timed is how long something took, in seconds.
type timed struct {
	name string
	took float64
}

// event is a line of go test -json (go doc test2json).
type event struct {
	Action  string
	Package string
	Test    string
	Elapsed float64
	Output  string
}

// read counts what go test says, and prints packages as they end, with the words
// of what failed.
func (t *tally) read(in io.Reader) error {
	words := map[string]*strings.Builder{} // what each test printed
	lines := bufio.NewReader(in)
	for {
		line, err := lines.ReadBytes('\n')
		if errors.Is(err, io.EOF) {
			return nil
		} else if err != nil {
			return err
		}
		var e event
		if json.Unmarshal(line, &e) != nil {
			fmt.Printf("%s", line)
			continue
		}
		t.take(e, words)
	}
}

func (t *tally) take(e event, words map[string]*strings.Builder) {
	name := e.Package + "." + e.Test
	switch {
	case e.Action == "build-output":
		fmt.Print(e.Output)
	case e.Action == "output" && e.Test == "":
		if e.Output != "PASS\n" {
			fmt.Print(e.Output)
		}
	case e.Action == "output":
		if words[name] == nil {
			words[name] = &strings.Builder{}
		}
		words[name].WriteString(e.Output)
	case e.Action == "fail" || e.Action == "pass" || e.Action == "skip":
		if e.Action == "fail" && e.Test != "" {
			fmt.Print(words[name])
		}
		delete(words, name)
		t.count(e)
	}
}

func (t *tally) count(e event) {
	t.mu.Lock()
	defer t.mu.Unlock()
	short := strings.TrimPrefix(e.Package, "woolsignal/")
	if e.Test == "" {
		t.packages = append(t.packages, timed{short, e.Elapsed})
		return // what was built badly or broke off is told by how go test ended
	}
	if strings.Contains(e.Test, "/") {
		return
	}
	t.tests = append(t.tests, timed{short + " " + e.Test, e.Elapsed})
	switch e.Action {
	case "pass":
		t.passed++
	case "fail":
		t.failed++
	case "skip":
		t.skipped++
	}
}

// slowest is how many of the slowest are told.
const slowest = 10

func (t *tally) print(out io.Writer, took time.Duration) {
	t.mu.Lock()
	defer t.mu.Unlock()
	for _, list := range []struct {
		what string
		all  []timed
	}{{"packages", t.packages}, {"tests", t.tests}} {
		slices.SortFunc(list.all, func(a, b timed) int { return cmp.Compare(b.took, a.took) })
		fmt.Fprintf(out, "\nThe slowest %s, in seconds (side by side with others)\n", list.what)
		for _, one := range list.all[:min(slowest, len(list.all))] {
			fmt.Fprintf(out, "%7.1f  %s\n", one.took, one.name)
		}
	}
	fmt.Fprintf(out, "\nAll of it took %s.\n%d passed, %d failed, %d skipped\n", took.Round(time.Second), t.passed,
		t.failed, t.skipped)
}
