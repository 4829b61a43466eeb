package flow

import (
	"slices"
	"strings"
	"time"

	"go.yaml.in/yaml/v3"
)

// stepKinds are the keys that name what a step does.
var stepKinds = []string{"agent", "tool", "compute", "decide", "each", "together", "repeat", "block", "wait", "model", "call", "javascript",
	"say", "question", "respond", "review", "label", "remember", "stop"}

// common are the keys any step may have.
var common = []string{"id", "title", "note", "when", "off", "timeout", "retry", "if_fails"}

// besides are the fields that stand beside a kind which takes a name as its value.
var besides = map[string][]string{"agent": {"task", "thread"}, "tool": {"args", "fill", "using"}, "model": {"prompt", "answer"}, "call": {"inputs", "await"}}

func (r *reader) steps(nodes []*yaml.Node) []*Step {
	var out []*Step
	for _, n := range nodes {
		if s := r.step(n); s != nil {
			out = append(out, s)
		}
	}
	return out
}

func (r *reader) step(n *yaml.Node) *Step {
	allowed := append(slices.Clone(common), stepKinds...)
	for kind, keys := range besides {
		if n.Kind == yaml.MappingNode && hasKey(n, kind) {
			allowed = append(allowed, keys...)
		}
	}
	f, ok := r.mapping(n, "a step", allowed...)
	if !ok {
		return nil
	}
	s := &Step{At: f.at, ID: r.text(f, "id"), Title: r.text(f, "title"), Note: r.text(f, "note"),
		When: r.expression(f, "when"), Off: r.flag(f, "off", false), Timeout: r.duration(f, "timeout", 0), Retry: r.retry(f), IfFails: r.ifFails(f)}
	if s.ID != "" && !snake.MatchString(s.ID) {
		r.wrong(f.pos("id"), "use small letters, digits and _, as in free_windows", "%q cannot be a step's id", s.ID)
	}
	if slices.Contains(reserved, s.ID) {
		r.wrong(f.pos("id"), "choose another word", "%s already means something in expressions", s.ID)
	}
	if s.Kind = r.kind(f, "this step", stepKinds); s.Kind == "" {
		return nil
	}
	if slices.Contains(blockKinds, s.Kind) {
		r.blockStep(s, f)
	} else {
		r.plainStep(s, f)
	}
	return s
}

// plainStep reads a step that holds no other steps.
func (r *reader) plainStep(s *Step, f fields) {
	body := f.nodes[s.Kind]
	switch s.Kind {
	case "agent":
		s.Agent = &AgentStep{Agent: r.text(f, "agent"), Task: r.needed(f, "task", "${signal.text}", "the agent is given nothing to do"), Thread: r.valueAt(f, "thread")}
	case "tool":
		s.Tool = &ToolStep{Tool: r.text(f, "tool"), Args: r.entriesAt(f, "args"), Fill: r.entriesAt(f, "fill"), Using: r.text(f, "using")}
	case "model":
		s.Model = &ModelStep{Model: r.text(f, "model"), Prompt: r.needed(f, "prompt", "what to answer", "the model is asked nothing"), Answer: r.schema(f, "answer")}
	case "call":
		s.Call = &CallStep{Workflow: r.text(f, "call"), Inputs: r.entriesAt(f, "inputs"), Await: r.flag(f, "await", true)}
	case "compute":
		s.Compute = r.compute(body)
	case "javascript":
		s.JavaScript = r.javaScript(body)
	case "wait":
		s.Wait = r.wait(body)
	case "say":
		g, _ := r.mapping(body, "say", "text", "picture", "buttons", "file", "layout")
		s.Say = r.say(g)
	case "question":
		s.Question = r.question(body)
	case "respond":
		g, _ := r.mapping(body, "respond", "status", "headers", "body")
		s.Respond = &RespondStep{Status: r.whole(g, "status", 200), Headers: r.entriesAt(g, "headers"), Body: r.valueAt(g, "body")}
		if s.Respond.Status < 200 || s.Respond.Status > 599 {
			r.wrong(g.pos("status"), "status: 201", "%d is not an HTTP status a caller can be answered with", s.Respond.Status)
		}
	case "review":
		g, _ := r.mapping(body, "review", "show", "edit", "choices", "of")
		s.Review = &ReviewStep{Show: r.needed(g, "show", "what the person needs to see", "the reviewer is shown nothing"),
			Edit: r.entriesAt(g, "edit"), Choices: r.texts(g, "choices"), Of: r.required(g, "of", "a person, role or team")}
		if len(s.Review.Choices) == 0 {
			s.Review.Choices = []string{"approve", "decline"}
		}
	case "label":
		g, _ := r.mapping(body, "label", "as")
		s.Label = &LabelStep{}
		for _, n := range r.list(g, "as") {
			s.Label.As = append(s.Label.As, r.value(n))
		}
		if len(s.Label.As) == 0 {
			r.wrong(g.at, "add as: [a label]", "the run is marked with nothing")
		}
	case "remember":
		g, _ := r.mapping(body, "remember", "about", "name", "fact")
		s.Remember = &RememberStep{About: r.needed(g, "about", "${signal.from.email}, or workspace", "nobody says whom the fact is about"),
			Name: r.text(g, "name"), Fact: r.needed(g, "fact", "…", "there is nothing to remember")}
	case "stop":
		g, _ := r.mapping(body, "stop", "outcome", "because")
		s.Stop = &StopStep{Failed: r.choice(g, "outcome", "done", "done", "failed") == "failed", Because: r.valueAt(g, "because")}
	}
}

// say reads a message of any make.
func (r *reader) say(g fields) *SayStep {
	s := &SayStep{Text: r.valueAt(g, "text"), Picture: r.valueAt(g, "picture"), Buttons: r.valueAt(g, "buttons"), File: r.valueAt(g, "file"), Layout: r.valueAt(g, "layout")}
	if s.Text == nil && s.Picture == nil && s.File == nil && s.Layout == nil {
		r.wrong(g.at, "add text: …", "there is nothing to say")
	}
	return s
}

// usualTries is how often a question is asked where nothing else is written.
const usualTries = 5

func (r *reader) question(n *yaml.Node) *QuestionStep {
	g, _ := r.mapping(n, "question", "text", "picture", "buttons", "file", "layout", "choices", "valid", "check", "find", "hint", "tries", "at_most")
	q := &QuestionStep{SayStep: *r.say(g), Choices: r.texts(g, "choices"), Valid: r.schema(g, "valid"), Check: r.expression(g, "check"), Hint: r.valueAt(g, "hint"),
		Tries: r.whole(g, "tries", usualTries), AtMost: Span{Duration: 3 * 24 * time.Hour}}
	if g.has("at_most") {
		q.AtMost = r.span(g, "at_most")
	}
	if q.Tries < 1 || q.Tries > 100 {
		r.wrong(g.pos("tries"), "tries: 5", "a question is asked 1 to 100 times")
		q.Tries = usualTries
	}
	if len(q.Choices) > 0 && q.Valid != nil {
		r.wrong(g.pos("valid"), "remove one of the two", "choices say already what is valid")
	}
	if n, ok := g.nodes["find"]; ok {
		h, _ := r.mapping(n, "find", "tool", "args")
		q.Find = &Find{Tool: r.required(h, "tool", "clip-register/find_grower"), Args: r.entriesAt(h, "args"), At: h.at}
	}
	return q
}

// needed reads a text field that must be there.
func (r *reader) needed(f fields, key, example, missing string) Value {
	v := r.valueAt(f, key)
	if v == nil {
		r.wrong(f.at, "add "+key+": "+example, "%s", missing)
		return Value{At: f.at}
	}
	return *v
}

func (r *reader) compute(n *yaml.Node) *ComputeStep {
	g, _ := r.mapping(n, "compute")
	c := &ComputeStep{}
	for _, name := range g.order {
		if !snake.MatchString(name) {
			r.wrong(g.pos(name), "use small letters, digits and _", "%q cannot be a value's name", name)
		}
		if slices.Contains(reserved, name) {
			r.wrong(g.pos(name), "choose another word", "%s already means something in expressions", name)
		}
		// A value that cannot be read keeps its name: what reads it is not wrong too.
		c.Values = append(c.Values, NamedExpression{name, r.expression(g, name)})
	}
	return c
}

func (r *reader) javaScript(n *yaml.Node) *JavaScriptStep {
	g, _ := r.mapping(n, "javascript", "inputs", "code", "result")
	j := &JavaScriptStep{Inputs: r.entriesAt(g, "inputs"), Code: r.required(g, "code", "|\n  return …"), Result: r.schema(g, "result")}
	if code, ok := g.nodes["code"]; ok {
		j.CodeAt = scalarStart(code)
	}
	for _, e := range j.Inputs {
		if !snake.MatchString(e.Key) {
			r.wrong(e.Value.At, "use small letters, digits and _", "%q cannot be a name in the script", e.Key)
		}
	}
	return j
}

func (r *reader) wait(n *yaml.Node) *WaitStep {
	g, _ := r.mapping(n, "wait", "for", "till", "hear", "at_most")
	w := &WaitStep{For: r.span(g, "for"), Till: r.expression(g, "till"), AtMost: r.span(g, "at_most")}
	if kind := r.kind(g, "this wait", []string{"for", "till", "hear"}); kind != "hear" {
		if g.has("at_most") {
			r.wrong(g.pos("at_most"), "remove it", "at_most belongs to hear; this wait ends by itself")
		}
		return w
	}
	if !g.has("at_most") {
		r.report(g.pos("hear"), Problem{What: "nothing says how long to listen", Why: "a signal that never comes would keep the run waiting for ever", Remedy: "add at_most: 2wd beside hear"})
	}
	h, ok := r.mapping(g.nodes["hear"], "hear", append([]string{"on", "match", "also_starts"}, hearKinds...)...)
	if !ok {
		return w
	}
	w.Hear = &Hear{On: r.needed(h, "on", "${sent.message_id}", "nothing says which signal is meant"), Match: r.expression(h, "match"), AlsoStarts: r.flag(h, "also_starts", false)}
	w.Hear.Trigger, _ = r.source(h, "hear", hearKinds)
	return w
}

func (r *reader) retry(f fields) *Retry {
	n, ok := f.nodes["retry"]
	if !ok {
		return nil
	}
	g, _ := r.mapping(n, "retry", "times", "first", "factor", "longest")
	t := &Retry{Times: r.whole(g, "times", 2), First: r.duration(g, "first", time.Second), Factor: 2, Longest: r.duration(g, "longest", time.Hour)}
	if g.has("factor") {
		t.Factor = r.decimal(g, "factor")
	}
	if t.Times < 1 || t.Times > 100 {
		r.wrong(g.pos("times"), "times: 3", "a step is tried again once to a hundred times")
	}
	if t.Factor < 1 || t.Factor > 100 {
		r.wrong(g.pos("factor"), "factor: 2", "each pause is 1 to 100 times as long as the one before")
		t.Factor = 1
	}
	return t
}

func (r *reader) ifFails(f fields) *IfFails {
	n, ok := f.nodes["if_fails"]
	if !ok {
		return nil
	}
	if n.Kind == yaml.ScalarNode {
		if n.Value != "carry_on" {
			r.report(posOf(n), Problem{What: "if_fails cannot be " + strings.TrimSpace(n.Value), Remedy: "write carry_on, or a map with do: and gives:", Fix: nearestFix(posOf(n), n.Value, []string{"carry_on"})})
		}
		return &IfFails{CarryOn: true}
	}
	return &IfFails{Block: r.block(n, "if_fails")}
}

func hasKey(n *yaml.Node, key string) bool {
	for i := 0; i+1 < len(n.Content); i += 2 {
		if n.Content[i].Value == key {
			return true
		}
	}
	return false
}
