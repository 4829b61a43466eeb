// Package crash finds out what work ended the process before this one.
//
// A fault that nothing can catch (a stack that overflows, a library's own
// goroutine that panics) ends the whole service, and the work that caused it
// would end it again at every start. So the runtime writes what it has to say
// of the end into a file, with the labels of the goroutine it happened in, and
// the next start reads whose work that was. A process that is killed from
// outside writes nothing, and nothing is held against what it worked on.
package crash

import (
	"bytes"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"regexp"
	"runtime/debug"
	"strconv"
	"strings"
)

// fileName is the name of the file inside the data folder; what the process
// before left is kept beside it.
const (
	fileName = "crash.txt"
	lastName = "crash-last.txt"
)

// Report is what a process that ended itself left behind.
type Report struct {
	Work string // as the goroutine was labelled; "" where it had no label
	Why  string // the first line
	Path string // of the whole of it
}

// Watch reads what the process before left behind, nil where it did not end
// itself, and has the runtime write there should this one do so.
func Watch(folder, label string) (*Report, error) {
	path, last := filepath.Join(folder, fileName), filepath.Join(folder, lastName)
	text, err := os.ReadFile(path)
	if err != nil && !errors.Is(err, fs.ErrNotExist) {
		return nil, fmt.Errorf("crash: %w", err)
	}
	var report *Report
	if len(bytes.TrimSpace(text)) > 0 {
		report = read(string(text), label)
		report.Path = last
		if err := os.Rename(path, last); err != nil {
			return nil, fmt.Errorf("crash: %w", err)
		}
	}
	file, err := os.OpenFile(path, os.O_WRONLY|os.O_CREATE|os.O_TRUNC, 0o600)
	if err != nil {
		return nil, fmt.Errorf("crash: %w", err)
	}
	err = debug.SetCrashOutput(file, debug.CrashOptions{})
	return report, errors.Join(err, labelled(), file.Close()) // the runtime has its own copy of the file
}

// labelled has the runtime name the labels of goroutines in what it writes.
func labelled() error {
	setting := "tracebacklabels=1"
	if others := os.Getenv("GODEBUG"); others != "" {
		setting = others + "," + setting
	}
	return os.Setenv("GODEBUG", setting)
}

// running matches the head of the goroutine that ended the process.
var running = regexp.MustCompile(`(?m)^goroutine \d+ .*\[running[^\]\n]*labels:\{(.*)\}\]:$`)

// pair matches one label, quoted as Go does.
var pair = regexp.MustCompile(`("(?:[^"\\]|\\.)*"): ("(?:[^"\\]|\\.)*")`)

// read finds whose work it was and why it ended.
func read(text, label string) *Report {
	r := &Report{Why: reason(text)}
	// The goroutine it happened in is the first the runtime writes down.
	first := strings.Index("\n"+text, "\ngoroutine ")
	if first < 0 {
		return r
	}
	head, frames, _ := strings.Cut(text[first:], "\n")
	frames, _, _ = strings.Cut(frames, "\n\n")
	for line := range strings.Lines(frames) { // the innermost that is not the runtime's own
		if arguments := strings.LastIndex(line, "("); arguments > 0 && line[0] != '\t' &&
			!strings.HasPrefix(line, "runtime.") {
			r.Why += ", in " + line[:arguments]
			break
		}
	}
	if found := running.FindStringSubmatch(head); found != nil {
		for _, p := range pair.FindAllStringSubmatch(found[1], -1) {
			if name, err := strconv.Unquote(p[1]); err == nil && name == label {
				r.Work, _ = strconv.Unquote(p[2])
			}
		}
	}
	return r
}

// reason says in a few words how it ended. What the runtime itself could not
// bear it says before it begins to write here; only its own stack tells.
func reason(text string) string {
	for line := range strings.Lines(text) {
		if line = strings.TrimSpace(line); strings.HasPrefix(line, "panic: ") {
			return line
		}
	}
	if own, _, _ := strings.Cut(text, "\ngoroutine "); strings.Contains(own, "runtime.newstack(") {
		return "the stack overflowed"
	}
	return "a fault the runtime could not bear"
}
