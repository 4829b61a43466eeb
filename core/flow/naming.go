package flow

import (
	"slices"
	"strings"

	"woolsignal/core/expr"
)

// NamedResults is a kind of step some of whose results have names of their own
// in sentences.
type NamedResults interface {
	// ResultName names what a path below the step's id leads to, as in
	// "answer to wish"; "" leaves it to be named by its fields.
	ResultName(id string, path []string) string
}

// signalNames have the words for what every signal has.
var signalNames = map[string]string{
	"":           "what came in",
	"body":       "all that was sent",
	"text":       "message",
	"html":       "formatted message",
	"time":       "time it came",
	"trigger":    "what started it",
	"from":       "sender",
	"from.email": "sender's e-mail",
	"from.name":  "sender's name",
	"from.phone": "sender's number",
	"thread":     "conversation",
}

// naming gives the values a workflow reads their names in sentences: what came
// in and what was handed over by its last name, what a step gave as "kg of
// net". Where two would be called the same, both are named by all they stand
// in.
func (w *Workflow) naming() expr.Naming {
	n := &namer{steps: map[string]*Step{}, taken: map[string]string{}, whole: map[string]bool{}}
	Walk(w.Steps, func(s *Step) {
		if _, there := n.steps[s.ID]; !there && s.ID != "" {
			n.steps[s.ID] = s
		}
	})
	for _, path := range w.reads() {
		key, name := strings.Join(path, "."), n.short(path)
		if other, taken := n.taken[name]; taken && other != key {
			n.whole[key], n.whole[other] = true, true
		} else {
			n.taken[name] = key
		}
	}
	return expr.Naming{Name: n.name}
}

// Told tells an expression of the workflow in words, as its sentences do.
func (w *Workflow) Told(e *Expression) string { return expr.PlainWords(e.Words(w.naming())) }

// Told tells a condition that reads what a tool is called with, or nothing of
// a workflow.
func (e *Expression) Told() string {
	return expr.PlainWords(e.ConditionWords(expr.Naming{Name: (&namer{}).name}))
}

// namer names the values of one workflow.
type namer struct {
	steps map[string]*Step
	taken map[string]string // which value has a short name
	whole map[string]bool   // the values that need more than that
}

func (n *namer) name(path []string) string {
	if n.whole[strings.Join(path, ".")] {
		return chain(path)
	}
	return n.short(path)
}

// chain names a value by all it stands in: "grower of found of holding". What
// was sent is left out: "name of seller".
func chain(path []string) string {
	if path[0] == "signal" && len(path) > 3 && path[1] == "body" {
		path = path[2:]
	}
	words := make([]string, len(path))
	for i, name := range path {
		words[len(path)-1-i] = Plain(name)
	}
	return strings.Join(words, " of ")
}

// short names a value by as little as tells it from most others.
func (n *namer) short(path []string) string {
	last := Plain(path[len(path)-1])
	switch root := path[0]; {
	case root == "signal", root == "heard":
		if name, ok := signalNames[strings.Join(path[1:], ".")]; ok {
			return name
		}
		return last
	case root == "inputs" && len(path) == 1:
		return "what was handed over"
	case root == "value" && len(path) == 1:
		return "the answer"
	case root == "value":
		return last + " of what it gave"
	case root == "inputs", root == "args", len(path) == 1:
		return last
	case root == "fill":
		return "filled-in " + last
	case root == "last":
		return last + " of the last round"
	}
	if s := n.steps[path[0]]; s != nil {
		if named, ok := s.Does.(NamedResults); ok {
			if name := named.ResultName(Plain(path[0]), path[1:]); name != "" {
				return name
			}
		}
	}
	return last + " of " + Plain(path[0])
}

// reads lists the paths of the values its expressions read, each once.
func (w *Workflow) reads() [][]string {
	var out [][]string
	add := func(more [][]string) {
		for _, path := range more {
			if !slices.ContainsFunc(out, func(p []string) bool { return slices.Equal(p, path) }) {
				out = append(out, path)
			}
		}
	}
	Walk(w.Steps, func(s *Step) {
		add(s.reads())
		for _, b := range s.Blocks() {
			add(entriesRead(b.Gives))
		}
	})
	add(entriesRead(w.Gives))
	return out
}

// reads lists the paths of the values a step's own expressions read, those of
// steps in it left out.
func (s *Step) reads() [][]string {
	var out [][]string
	if s.When != nil {
		out = append(out, paths(s.When.References)...)
	}
	if s.Does != nil {
		out = append(out, readBy(s.Does)...)
	}
	return out
}

// readBy lists the paths a part of a file reads.
func readBy(part Fielded) [][]string {
	var out [][]string
	eachField(part, func(f Field) {
		switch into := f.Into.(type) {
		case **Expression:
			if *into != nil {
				out = append(out, paths((*into).References)...)
			}
		case *[]NamedExpression:
			for _, e := range *into {
				if e.Expression != nil {
					out = append(out, paths(e.References)...)
				}
			}
		case *Value:
			out = append(out, into.read()...)
		case **Value:
			if *into != nil {
				out = append(out, (*into).read()...)
			}
		case *[]Value:
			for _, v := range *into {
				out = append(out, v.read()...)
			}
		case *[]Entry:
			out = append(out, entriesRead(*into)...)
		}
	})
	return out
}

func entriesRead(entries []Entry) [][]string {
	var out [][]string
	for _, e := range entries {
		out = append(out, e.Value.read()...)
	}
	return out
}

// read lists the paths a value reads.
func (v Value) read() [][]string {
	var out [][]string
	if v.Text != nil {
		out = paths(v.Text.References())
	}
	for _, item := range v.List {
		out = append(out, item.read()...)
	}
	return append(out, entriesRead(v.Map)...)
}

func paths(references []expr.Reference) [][]string {
	out := make([][]string, len(references))
	for i, r := range references {
		out[i] = r.Path
	}
	return out
}

// dotted lists paths as a line has them, each once, in their order.
func dotted(all [][]string) []string {
	var out []string
	for _, path := range all {
		if name := strings.Join(path, "."); !slices.Contains(out, name) {
			out = append(out, name)
		}
	}
	return out
}
