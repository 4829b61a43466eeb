package flow

import (
	"regexp"
	"slices"
	"strconv"
	"strings"
	"time"

	"go.yaml.in/yaml/v3"
)

// triggerKinds are the keys that name what starts a run.
var triggerKinds = []string{"chat", "webhook", "schedule", "failure"}

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
		r.wrong(f.at, "add triggers: with one of "+strings.Join(triggerKinds, ", ")+"; or inputs: for others to call it", "nothing starts this workflow")
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

func (r *reader) trigger(n *yaml.Node) (Trigger, bool) {
	f, ok := r.mapping(n, "a trigger", append([]string{"id"}, triggerKinds...)...)
	if !ok {
		return Trigger{At: posOf(n)}, false
	}
	t, ok := r.source(f, "this trigger", triggerKinds)
	t.ID = r.required(f, "id", "a name such as scale")
	return t, ok
}

// source reads the one key of a map that says where signals come from.
func (r *reader) source(f fields, what string, kinds []string) (Trigger, bool) {
	t := Trigger{At: f.at}
	kind := r.kind(f, what, kinds)
	if kind == "" {
		return t, false
	}
	body := f.nodes[kind]
	switch kind {
	case "chat":
		g, _ := r.mapping(body, "chat", "page")
		t.Chat = &Chat{Page: r.required(g, "page", "a name such as depot")}
	case "webhook":
		g, _ := r.mapping(body, "webhook", "path", "verify", "accepts", "answer", "answer_within", "subject")
		t.Webhook = &Webhook{
			Path: r.required(g, "path", "weighbridge"), Verify: r.required(g, "verify", "the id of a connection that holds the signing key"),
			Accepts: r.text(g, "accepts"), Computed: r.choice(g, "answer", "receipt", "receipt", "computed") == "computed",
			AnswerWithin: r.duration(g, "answer_within", 10*time.Second), Subject: r.valueAt(g, "subject"),
		}
		if p := t.Webhook.Path; p != "" && !kebab.MatchString(p) {
			r.wrong(g.pos("path"), "use small letters, digits and hyphens", "%q cannot be a webhook's path", p)
		}
	case "schedule":
		t.Schedule = r.schedule(body)
	case "failure":
		g, _ := r.mapping(body, "failure", "of")
		t.Failure = &Failure{Of: r.texts(g, "of")}
	}
	return t, true
}

// ValidID tells whether a text can be the id of a file.
func ValidID(id string) bool { return kebab.MatchString(id) && len(id) <= 60 }

// schedule reads when runs are started: every so often, by cron, or on a day
// of the month.
func (r *reader) schedule(n *yaml.Node) *Schedule {
	g, _ := r.mapping(n, "schedule", "every", "cron", "day_of_month", "at", "zone", "missed")
	s := &Schedule{Missed: r.choice(g, "missed", "skip", "skip", "once", "all")}
	switch r.kind(g, "this schedule", []string{"every", "cron", "day_of_month"}) {
	case "every":
		s.Every = r.duration(g, "every", time.Hour)
	case "cron":
		s.Cron = r.text(g, "cron")
	case "day_of_month":
		day, err := strconv.Atoi(r.text(g, "day_of_month"))
		if err != nil || day == 0 {
			r.wrong(g.pos("day_of_month"), "write 1 for the first day, -1 for the last, -3 for the third-last", "day_of_month cannot be %q", r.text(g, "day_of_month"))
		}
		s.Day = day
	}
	if g.has("at") {
		at, err := time.Parse("15:04", r.text(g, "at"))
		if err != nil {
			r.wrong(g.pos("at"), `at: "08:00"`, "%q is not a time of day", r.text(g, "at"))
		}
		s.At = time.Duration(at.Hour())*time.Hour + time.Duration(at.Minute())*time.Minute
		if !g.has("day_of_month") {
			r.wrong(g.pos("at"), "remove it, or write day_of_month", "at belongs to day_of_month")
		}
	}
	if g.has("zone") {
		zone, err := time.LoadLocation(r.text(g, "zone"))
		if err != nil || r.text(g, "zone") == "Local" {
			r.wrong(g.pos("zone"), "use a name of the IANA time zone database, such as Europe/London", "%q is not a time zone", r.text(g, "zone"))
		} else {
			s.Zone = zone
		}
	}
	if err := s.Ready(); err != nil {
		r.wrong(g.at, `cron: "0 8 * * 1-5" is every weekday at eight`, "%v", err)
	}
	if !g.has("zone") {
		s.Zone = nil // the workspace's, once it is known
	}
	return s
}
