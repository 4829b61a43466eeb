package flow

import (
	"regexp"
	"slices"
	"strings"
)

// reserved names cannot be step ids: they mean something in expressions.
var reserved = []string{"signal", "inputs", "args", "item", "index", "last", "value", "found", "heard", "failure",
	"fill", "run", "workspace",
	"true", "false", "null", "in", "as", "break", "const", "continue", "else", "for", "function", "if", "import", "let",
	"loop",
	"package", "namespace", "return", "var", "void", "while", "math", "strings", "sets", "base64", "lists", "optional",
	"cel"}

var (
	kebab = regexp.MustCompile(`^[a-z][a-z0-9]*(-[a-z0-9]+)*$`)
	snake = regexp.MustCompile(`^[a-z][a-z0-9]*(_[a-z0-9]+)*$`)
)

// Fields are what a workflow file may say.
func (w *Workflow) Fields() []Field {
	return []Field{
		{Name: "workflow", Into: &w.ID, Required: true, Help: "Its id, the file's name.", Example: "weighbridge"},
		{Name: "title", Into: &w.Title, Required: true, Help: "A few words people know it by.",
			Example: "Weighbridge intake"},
		{Name: "purpose", Into: &w.Purpose, Help: "What it is for.", Example: "Books what the lorry brought."},
		{Name: "context", Into: &w.Context, Help: "What every model and agent in it is told.",
			Example: "Weights are in kilograms."},
		{Name: "model", Into: &w.Model, Holds: HoldsModel,
			Help: "The model for judged cases, fills and steps that name none.", Example: "medium"},
		{Name: "triggers", Into: &w.Triggers, Help: "What starts it.",
			Example: "[{id: scale, webhook: {path: weighbridge, verify: scale-key}}]"},
		{Name: "inputs", Into: &w.Inputs, Help: "What others give it that call it; without it nobody can.",
			Example: "{type: object, properties: {n: {type: number}}}"},
		{Name: "result", Into: &w.Result, Help: "What it gives whoever calls it must look like.",
			Example: "{type: object}"},
		{Name: "gives", Into: &w.Gives, Help: "What it gives whoever calls it, by name.",
			Example: "{n: \"${double.n}\"}"},
		{Name: "limits", Into: Inside(&w.Limits), Help: "How many of its runs go on at a time; others queue."},
		{Name: "budget", Into: Inside(&w.Budget), Help: "What its runs may spend; what would exceed it is not begun."},
		{Name: "steps", Into: &w.Steps, Missing: "this workflow does nothing",
			Help: "What it does, one step after the other.", Example: "[{say: {text: Noted.}}]"},
	}
}

// Agree insists that something starts it.
func (w *Workflow) Agree(m Reading) {
	w.At = m.At("")
	if !m.Has("triggers") && !m.Has("inputs") {
		m.Wrong("", "add triggers: with one of "+strings.Join(triggerNames(false), ", ")+
			"; or inputs: for others to call it", "nothing starts this workflow")
	}
	if !m.Has("inputs") && (m.Has("result") || m.Has("gives")) {
		m.Wrong("", "add inputs:, or remove the key",
			"result and gives are for workflows that can be called, and this one has no inputs")
	}
}

// Fields are what limits may say.
func (l *RunLimits) Fields() []Field {
	return []Field{
		{Name: "at_once", Into: &l.AtOnce, Help: "Runs at the same time.", Example: "10"},
		{Name: "per_minute", Into: &l.PerMinute, Help: "Runs that begin in a minute.", Example: "60"},
		{Name: "same", Into: Inside(&l.Same), Help: "What holds among runs that are about the same.",
			Example: "{by: \"${signal.body.grower}\", at_once: 1}"},
	}
}

// PlacedAt keeps where the limits stand.
func (l *RunLimits) PlacedAt(at Pos) { l.At = at }

// Fields are what same may say.
func (s *SameRuns) Fields() []Field {
	return []Field{
		{Name: "by", Into: &s.By, Required: true, Help: "Runs for which this is the same are about the same.",
			Example: "${signal.body.grower}"},
		{Name: "at_once", Into: &s.AtOnce, Help: "How many of them go on at the same time.", Example: "1"},
		{Name: "quiet_for", Into: &s.QuietFor, Example: "30s",
			Help: "None is carried out before no other came for so long, and then only the last."},
	}
}

// Agree insists on something that holds among them.
func (s *SameRuns) Agree(m Reading) {
	if !m.Has("at_once") && !m.Has("quiet_for") {
		m.Wrong("", "add at_once: 1, or quiet_for: 30s", "nothing is said of runs that are about the same")
	}
}

// DecodeWorkflow reads one workflow file. What could be read is returned
// beside the problems.
func DecodeWorkflow(file, text string) (*Workflow, []Problem) {
	r := &reader{file: file}
	w := &Workflow{file: file}
	if root := r.document(text); root != nil {
		if m, ok := r.part(root, "a workflow", w); ok {
			r.checkID(m, "workflow", w.ID)
		}
		w.places, w.written = placesOf(root), r.written
	}
	w.ID = baseName(file) // whatever it says, or cannot say: others find it by its file's name
	return w, r.problems
}

// checkID holds the id a file states for itself against the file's name.
func (r *reader) checkID(m Reading, key, id string) {
	if id != "" && !kebab.MatchString(id) {
		m.Wrong(key, "use small letters, digits and hyphens, as in depot-slots", "%q cannot be an id", id)
	} else if base := baseName(r.file); id != "" && id != base {
		m.Report(key, Problem{What: "the file is called " + base + " but says it is " + id,
			Why:    "others find it by its file's name",
			Remedy: key + ": " + base, Fix: replace(posOf(m.f.nodes[key]), id, base)})
	}
}

func baseName(file string) string {
	base := file[strings.LastIndexByte(file, '/')+1:]
	if i := strings.LastIndexByte(base, '.'); i > 0 {
		base = base[:i]
	}
	return base
}

// kind finds the one key of a map that names its kind.
func (r *reader) kind(f fields, what string, kinds []string) string {
	found := ""
	for _, key := range f.order {
		if !slices.Contains(kinds, key) {
			continue
		}
		if found != "" {
			r.wrong(f.pos(key), "make two of it", "%s has two kinds, %s and %s", what, found, key)
			return found
		}
		found = key
	}
	if found == "" {
		r.wrong(f.at, "give it one of: "+strings.Join(kinds, ", "), "%s does not say what it does", what)
	}
	return found
}

// ValidID tells whether a text can be the id of a file.
func ValidID(id string) bool { return kebab.MatchString(id) && len(id) <= 60 }
