package wire

import (
	"time"

	"woolsignal/core/flow"
)

// Version is a workflow as it was published once.
type Version struct {
	N          int       `json:"version"`
	Note       string    `json:"note"`
	By         string    `json:"by"`
	At         time.Time `json:"at"`
	Live       bool      `json:"live"`
	Definition string    `json:"definition"`
}

// Difference is what changed between two versions of a workflow.
type Difference struct {
	Workflow string            `json:"workflow"`
	From     string            `json:"from"` // a version's number, or draft
	To       string            `json:"to"`
	Lines    []flow.ScriptDiff `json:"lines"` // as sentences
	Files    []FileDiff        `json:"files"`
}

// BeforeLive is what making a draft live touches.
type BeforeLive struct {
	Untested  []string `json:"untested"`  // steps nobody tried since they were changed, as sentences
	Open      int      `json:"open"`      // runs that finish on the version they began with
	Addresses []string `json:"addresses"` // what starts it then
}

// FileDiff is what changed in one file, as a unified diff.
type FileDiff struct {
	Path string `json:"path"`
	Diff string `json:"diff"`
}

// Binned is a file that was deleted.
type Binned struct {
	N    int64     `json:"n"`
	Path string    `json:"path"`
	At   time.Time `json:"at"`
	By   string    `json:"by"`
}
