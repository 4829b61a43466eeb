package flow

import (
	"cmp"
	"fmt"
	"slices"
	"strings"
)

// Severity tells a problem that keeps a file from going live from a remark.
type Severity string

const (
	// Wrong keeps the file from being used.
	Wrong Severity = "wrong"
	// Remark is worth knowing and hinders nothing.
	Remark Severity = "remark"
)

// Problem is one thing the checker found.
type Problem struct {
	File     string   `json:"file"`
	Line     int      `json:"line"`   // from 1
	Column   int      `json:"column"` // from 1
	Severity Severity `json:"severity"`
	What     string   `json:"what"`
	Why      string   `json:"why,omitempty"` // why it matters
	Remedy   string   `json:"remedy,omitempty"`
	Fix      *Fix     `json:"fix,omitempty"`
}

// Fix is a change of the file that would put a problem right: the text from
// one place up to another, on one line, becomes another text.
type Fix struct {
	Line   int    `json:"line"`   // from 1
	Column int    `json:"column"` // from 1, in bytes
	End    int    `json:"end"`    // the column after the last that changes
	Text   string `json:"text"`
}

// replace is a fix for a word at a place.
func replace(at Pos, old, new string) *Fix {
	return &Fix{Line: at.Line, Column: at.Column, End: at.Column + len(old), Text: new}
}

// String gives the problem as one line a compiler would print.
func (p Problem) String() string {
	s := fmt.Sprintf("%s:%d:%d: %s", p.File, p.Line, p.Column, p.What)
	if p.Remedy != "" {
		s += " — " + p.Remedy
	}
	return s
}

// Wrongs counts the problems that keep files from being used.
func Wrongs(problems []Problem) int {
	n := 0
	for _, p := range problems {
		if p.Severity == Wrong {
			n++
		}
	}
	return n
}

// needed lists the folders of files in the order in which others need them.
var needed = []string{"schemas/", "connections/", "tables/", "agents/", "workflows/", "samples/"}

// SortProblems orders problems by file, line and column. Files that others need
// come first, so that the cause stands before what follows from it.
func SortProblems(problems []Problem) {
	rank := func(file string) int {
		return slices.IndexFunc(needed, func(folder string) bool { return strings.HasPrefix(file, folder) })
	}
	slices.SortStableFunc(problems, func(a, b Problem) int {
		return cmp.Or(cmp.Compare(rank(a.File), rank(b.File)), cmp.Compare(a.File, b.File),
			cmp.Compare(a.Line, b.Line), cmp.Compare(a.Column, b.Column))
	})
}
