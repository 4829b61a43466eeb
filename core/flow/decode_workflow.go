package flow

import (
	"regexp"
	"slices"
	"strings"
)

// reserved names cannot be step ids: they mean something in expressions.
var reserved = []string{"signal", "inputs", "args", "item", "index", "last", "value", "found", "heard", "failure", "fill", "run", "workspace",
	"true", "false", "null", "in", "as", "break", "const", "continue", "else", "for", "function", "if", "import", "let", "loop",
	"package", "namespace", "return", "var", "void", "while", "math", "strings", "sets", "base64", "lists", "optional", "cel"}

var (
	kebab = regexp.MustCompile(`^[a-z][a-z0-9]*(-[a-z0-9]+)*$`)
	snake = regexp.MustCompile(`^[a-z][a-z0-9]*(_[a-z0-9]+)*$`)
)

// workflowKeys are what a workflow file may say.
var workflowKeys = []string{"workflow", "title", "purpose", "context", "model", "triggers", "inputs", "result", "gives", "limits", "steps"}

// DecodeWorkflow reads one workflow file. What could be read is returned
// beside the problems.
func DecodeWorkflow(file, text string) (*Workflow, []Problem) {
	r := &reader{file: file}
	w := &Workflow{file: file}
	root := r.document(text)
	if root == nil {
		return w, r.problems
	}
	f, _ := r.mapping(root, "a workflow", workflowKeys...)
	w.At = f.at
	w.ID = r.fileID(f, "workflow", file)
	w.Title = r.required(f, "title", "a few words people know it by")
	w.Purpose = r.text(f, "purpose")
	w.Context = r.text(f, "context")
	w.Model = r.text(f, "model")
	if !f.has("triggers") && !f.has("inputs") {
		r.wrong(f.at, "add triggers: with one of "+strings.Join(triggerNames(false), ", ")+"; or inputs: for others to call it", "nothing starts this workflow")
	}
	for _, n := range r.list(f, "triggers") {
		if t, ok := r.trigger(n); ok {
			w.Triggers = append(w.Triggers, t)
		}
	}
	w.Inputs, w.Result, w.Gives = r.schema(f, "inputs"), r.schema(f, "result"), r.entriesAt(f, "gives")
	if !f.has("inputs") && (f.has("result") || f.has("gives")) {
		r.wrong(f.at, "add inputs:, or remove the key", "result and gives are for workflows that can be called, and this one has no inputs")
	}
	w.Limits = r.runLimits(f)
	if !f.has("steps") {
		r.wrong(f.at, "add steps: with at least one step", "this workflow does nothing")
	}
	w.Steps = r.steps(r.list(f, "steps"))
	return w, r.problems
}

func (r *reader) runLimits(f fields) RunLimits {
	n, ok := f.nodes["limits"]
	if !ok {
		return RunLimits{}
	}
	g, _ := r.mapping(n, "limits", "at_once", "per_minute", "key", "at_once_per_key", "debounce")
	l := RunLimits{At: g.at, AtOnce: r.whole(g, "at_once", 0), PerMinute: r.whole(g, "per_minute", 0), Key: r.valueAt(g, "key"),
		AtOncePerKey: r.whole(g, "at_once_per_key", 0), Debounce: r.duration(g, "debounce", 0)}
	if g.has("at_once_per_key") && !g.has("key") {
		r.wrong(g.pos("at_once_per_key"), "add key: ${signal.body.grower}", "nothing says what the runs are told apart by")
	}
	return l
}

// fileID reads the id a file states for itself and holds it against the file's name.
func (r *reader) fileID(f fields, key, file string) string {
	id := r.required(f, key, baseName(file))
	if id != "" && !kebab.MatchString(id) {
		r.wrong(f.pos(key), "use small letters, digits and hyphens, as in depot-slots", "%q cannot be an id", id)
	} else if id != "" && id != baseName(file) {
		r.report(f.pos(key), Problem{What: "the file is called " + baseName(file) + " but says it is " + id, Why: "others find it by its file's name",
			Remedy: key + ": " + baseName(file), Fix: replace(posOf(f.nodes[key]), id, baseName(file))})
	}
	return id
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
