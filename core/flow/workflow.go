package flow

import (
	"slices"
	"sync"
	"time"

	"woolsignal/core/schema"
)

// Workflow is an ordered script: what starts it and the steps it takes.
type Workflow struct {
	ID, Title, Purpose string
	Context            string // every model and agent call in the workflow sees it
	Model              string // for its judged cases, fills and so on; "" is the workspace's
	Triggers           []Trigger
	Inputs             *Schema // set where other workflows, programs and people may call it
	Result             *Schema // what it gives them
	Gives              []Entry
	Limits             RunLimits
	Budget             Budget
	Steps              []*Step
	At                 Pos
	file               string
	places             map[Pos]string  // what stands where in the file, as JSON Pointers
	written            map[*string]Pos // where words of its parts stand
}

// Callable tells whether the workflow may be started with inputs.
func (w *Workflow) Callable() bool { return w.Inputs != nil }

// Schema is a JSON Schema of a field: written in place, or a file of the
// workspace.
type Schema struct {
	At   Pos
	Path string         // schemas/….json, "" where it is written in place
	Doc  map[string]any // nil where the file is missing

	once     sync.Once
	compiled *schema.Schema
	broken   error
}

// Validate holds a value against the schema, which is compiled once. Where
// there is none, anything fits.
func (s *Schema) Validate(v any) error {
	if s == nil || s.Doc == nil {
		return nil
	}
	s.once.Do(func() { s.compiled, s.broken = schema.Compile(s.Doc) })
	if s.broken != nil {
		return s.broken
	}
	return s.compiled.Validate(v)
}

// Document gives the schema, or nil where there is none.
func (s *Schema) Document() map[string]any {
	if s == nil {
		return nil
	}
	return s.Doc
}

// RunLimits bound how many runs of a workflow go on at a time. Runs beyond
// them queue.
type RunLimits struct {
	At        Pos
	AtOnce    int // 0 is no limit
	PerMinute int // how many begin in a minute; 0 is no limit
	Same      SameRuns
}

// SameRuns bound runs of a workflow that are about the same.
type SameRuns struct {
	By       *Value        // what tells runs apart, such as the grower; nil where they are not
	AtOnce   int           // 0 is no limit
	QuietFor time.Duration // of the same runs that came within it, only the last is carried out
}

// AgentsUsed lists the ids of the agents a workflow runs, each once.
func (w *Workflow) AgentsUsed() []string { return w.Uses(HoldsAgent) }

// Calls lists the ids of the workflows it calls, each once.
func (w *Workflow) Calls() []string { return w.Uses(HoldsWorkflow) }

// Uses gives what the steps name of a kind of thing, each once, in file order;
// see [Step.Uses].
func (w *Workflow) Uses(what Holds) []string {
	var out []string
	Walk(w.Steps, func(s *Step) {
		for _, name := range s.Uses(what) {
			if !slices.Contains(out, name) {
				out = append(out, name)
			}
		}
	})
	return out
}
