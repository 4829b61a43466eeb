package flow

import (
	"regexp"
	"slices"
	"strings"
	"time"

	"go.yaml.in/yaml/v3"
)

// stepKinds are the keys that name what a step does.
var stepKinds = []string{"agent", "tool", "compute", "decide", "say", "respond", "review", "stop"}

// triggerKinds are the keys that name what starts a run.
var triggerKinds = []string{"chat", "webhook", "schedule"}

// reserved names cannot be step ids: they mean something in expressions.
var reserved = []string{"signal", "inputs", "args", "item", "index", "last", "value", "found", "heard", "failure", "run", "workspace",
	"true", "false", "null", "in", "as", "break", "const", "continue", "else", "for", "function", "if", "import", "let", "loop",
	"package", "namespace", "return", "var", "void", "while"}

var (
	kebab = regexp.MustCompile(`^[a-z][a-z0-9]*(-[a-z0-9]+)*$`)
	snake = regexp.MustCompile(`^[a-z][a-z0-9]*(_[a-z0-9]+)*$`)
)

// DecodeWorkflow reads one workflow file. What could be read is returned
// beside the problems.
func DecodeWorkflow(file, text string) (*Workflow, []Problem) {
	r := &reader{file: file}
	w := &Workflow{file: file}
	root := r.document(text)
	if root == nil {
		return w, r.problems
	}
	f, _ := r.mapping(root, "a workflow", "workflow", "title", "purpose", "context", "triggers", "steps")
	w.ID = r.fileID(f, "workflow", file)
	w.Title = r.required(f, "title", "a few words people know it by")
	w.Purpose = r.text(f, "purpose")
	w.Context = r.text(f, "context")
	if !f.has("triggers") {
		r.wrong(f.at, "add triggers: with a chat, webhook or schedule", "nothing starts this workflow")
	}
	for _, n := range r.list(f, "triggers") {
		if t, ok := r.trigger(n); ok {
			w.Triggers = append(w.Triggers, t)
		}
	}
	if !f.has("steps") {
		r.wrong(f.at, "add steps: with at least one step", "this workflow does nothing")
	}
	w.Steps = r.steps(r.list(f, "steps"))
	return w, r.problems
}

// fileID reads the id a file states for itself and holds it against the file's name.
func (r *reader) fileID(f fields, key, file string) string {
	id := r.required(f, key, baseName(file))
	if id != "" && !kebab.MatchString(id) {
		r.wrong(f.pos(key), "use small letters, digits and hyphens, as in depot-slots", "%q cannot be an id", id)
	} else if id != "" && id != baseName(file) {
		r.wrong(f.pos(key), key+": "+baseName(file), "the file is called %s but says it is %s", baseName(file), id)
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
	t := Trigger{At: posOf(n)}
	f, ok := r.mapping(n, "a trigger", append([]string{"id"}, triggerKinds...)...)
	if !ok {
		return t, false
	}
	t.ID = r.required(f, "id", "a name such as scale")
	kind := r.kind(f, "this trigger", triggerKinds)
	if kind == "" {
		return t, false
	}
	body := f.nodes[kind]
	switch kind {
	case "chat":
		g, _ := r.mapping(body, "chat", "page")
		t.Chat = &Chat{Page: r.required(g, "page", "a name such as depot")}
	case "webhook":
		g, _ := r.mapping(body, "webhook", "path", "verify", "accepts", "answer", "answer_within")
		t.Webhook = &Webhook{
			Path: r.required(g, "path", "weighbridge"), Verify: r.required(g, "verify", "the id of a connection that holds the signing key"),
			Accepts: r.text(g, "accepts"), Computed: r.choice(g, "answer", "receipt", "receipt", "computed") == "computed",
			AnswerWithin: r.duration(g, "answer_within", 10*time.Second),
		}
		if p := t.Webhook.Path; p != "" && !kebab.MatchString(p) {
			r.wrong(g.pos("path"), "use small letters, digits and hyphens", "%q cannot be a webhook's path", p)
		}
	case "schedule":
		g, _ := r.mapping(body, "schedule", "every")
		r.required(g, "every", "15m")
		t.Schedule = &Schedule{Every: r.duration(g, "every", time.Hour)}
	}
	return t, true
}

func (r *reader) steps(nodes []*yaml.Node) []*Step {
	var out []*Step
	for _, n := range nodes {
		if s := r.step(n); s != nil {
			out = append(out, s)
		}
	}
	return out
}

// besides are the fields that stand beside a kind which takes a name as its value.
var besides = map[string][]string{"agent": {"task", "thread"}, "tool": {"args"}}

func (r *reader) step(n *yaml.Node) *Step {
	allowed := append([]string{"id", "title", "note"}, stepKinds...)
	for _, key := range []string{"agent", "tool"} {
		if n.Kind == yaml.MappingNode && hasKey(n, key) {
			allowed = append(allowed, besides[key]...)
		}
	}
	f, ok := r.mapping(n, "a step", allowed...)
	if !ok {
		return nil
	}
	s := &Step{At: f.at, ID: r.text(f, "id"), Title: r.text(f, "title"), Note: r.text(f, "note")}
	if s.ID != "" && !snake.MatchString(s.ID) {
		r.wrong(f.pos("id"), "use small letters, digits and _, as in free_windows", "%q cannot be a step's id", s.ID)
	}
	if slices.Contains(reserved, s.ID) {
		r.wrong(f.pos("id"), "choose another word", "%s already means something in expressions", s.ID)
	}
	if s.Kind = r.kind(f, "this step", stepKinds); s.Kind == "" {
		return nil
	}
	body := f.nodes[s.Kind]
	switch s.Kind {
	case "agent":
		s.Agent = &AgentStep{Agent: r.text(f, "agent"), Thread: r.valueAt(f, "thread")}
		if task := r.valueAt(f, "task"); task != nil {
			s.Agent.Task = *task
		} else {
			r.wrong(f.at, "add task: ${signal.text}", "the agent is given nothing to do")
		}
	case "tool":
		s.Tool = &ToolStep{Tool: r.text(f, "tool"), Args: r.entriesAt(f, "args")}
	case "compute":
		g, _ := r.mapping(body, "compute")
		s.Compute = &ComputeStep{}
		for _, name := range g.order {
			if !snake.MatchString(name) {
				r.wrong(g.pos(name), "use small letters, digits and _", "%q cannot be a value's name", name)
			}
			// A value that cannot be read keeps its name: what reads it is not wrong too.
			s.Compute.Values = append(s.Compute.Values, NamedExpression{name, r.expression(g, name)})
		}
	case "decide":
		s.Decide = r.decide(body)
	case "say":
		g, _ := r.mapping(body, "say", "text")
		s.Say = &SayStep{}
		if text := r.valueAt(g, "text"); text != nil {
			s.Say.Text = *text
		} else {
			r.wrong(g.at, "add text: …", "there is nothing to say")
		}
	case "respond":
		g, _ := r.mapping(body, "respond", "status", "headers", "body")
		s.Respond = &RespondStep{Status: r.whole(g, "status", 200), Headers: r.entriesAt(g, "headers"), Body: r.valueAt(g, "body")}
		if s.Respond.Status < 200 || s.Respond.Status > 599 {
			r.wrong(g.pos("status"), "status: 201", "%d is not an HTTP status a caller can be answered with", s.Respond.Status)
		}
	case "review":
		g, _ := r.mapping(body, "review", "show", "edit", "choices", "of")
		s.Review = &ReviewStep{Edit: r.entriesAt(g, "edit"), Choices: r.texts(g, "choices"), Of: r.required(g, "of", "a person, role or team")}
		if show := r.valueAt(g, "show"); show != nil {
			s.Review.Show = *show
		} else {
			r.wrong(g.at, "add show: what the person needs to see", "the reviewer is shown nothing")
		}
		if len(s.Review.Choices) == 0 {
			s.Review.Choices = []string{"approve", "decline"}
		}
	case "stop":
		g, _ := r.mapping(body, "stop", "outcome", "because")
		s.Stop = &StopStep{Failed: r.choice(g, "outcome", "done", "done", "failed") == "failed", Because: r.valueAt(g, "because")}
	}
	return s
}

func (r *reader) decide(n *yaml.Node) *DecideStep {
	d := &DecideStep{}
	g, _ := r.mapping(n, "decide", "cases", "else")
	for _, c := range r.list(g, "cases") {
		h, ok := r.mapping(c, "a case", "when", "do", "gives")
		if !ok {
			continue
		}
		if !h.has("when") {
			r.wrong(h.at, "add when: an expression", "this case does not say when it holds")
		}
		d.Cases = append(d.Cases, Case{At: h.at, When: r.expression(h, "when"), Do: r.steps(r.list(h, "do")), Gives: r.entriesAt(h, "gives")})
	}
	if len(d.Cases) == 0 {
		r.wrong(g.at, "add cases: with at least one when:", "there is nothing to decide between")
	}
	if n, ok := g.nodes["else"]; ok {
		h, _ := r.mapping(n, "else", "do", "gives")
		d.Else = &Case{At: h.at, Do: r.steps(r.list(h, "do")), Gives: r.entriesAt(h, "gives")}
	}
	return d
}

func hasKey(n *yaml.Node, key string) bool {
	for i := 0; i+1 < len(n.Content); i += 2 {
		if n.Content[i].Value == key {
			return true
		}
	}
	return false
}
