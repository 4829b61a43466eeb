package flow

import (
	"errors"
	"fmt"
	"strconv"

	"go.yaml.in/yaml/v3"

	"woolsignal/core/expr"
)

// Expression is a compiled CEL field and where it stands.
type Expression struct {
	*expr.Program
	At Pos
}

// Value is what a text field holds: a text with ${…}, a literal, or a list or
// map of values.
type Value struct {
	At      Pos
	Text    *expr.Template
	Literal any
	List    []Value
	Map     []Entry
	isList  bool
	isMap   bool
}

// Entry is one key of a map of values, in file order.
type Entry struct {
	Key   string
	Value Value
	At    Pos // of the key
}

// value decodes a text field of any depth.
func (r *reader) value(n *yaml.Node) Value {
	v := Value{At: posOf(n)}
	switch n.Kind {
	case yaml.MappingNode:
		v.isMap = true
		f, _ := r.mapping(n, "this map")
		for _, key := range f.order {
			v.Map = append(v.Map, Entry{key, r.value(f.nodes[key]), f.pos(key)})
		}
	case yaml.SequenceNode:
		v.isList = true
		for _, c := range n.Content {
			v.List = append(v.List, r.value(c))
		}
	case yaml.ScalarNode:
		v.At = scalarStart(n)
		r.traps(n)
		switch n.Tag {
		case "!!int", "!!float", "!!bool":
			var literal any
			if err := n.Decode(&literal); err == nil {
				v.Literal = expr.Canonical(literal)
				return v
			}
		case "!!null":
			r.wrong(posOf(n), "give it a value, or remove it; write ${null} for nothing", "a value is missing here")
			return v
		}
		text, err := expr.CompileText(n.Value)
		if err != nil {
			r.expressionError(n, err)
			return v
		}
		v.Text = text
	}
	return v
}

// valueAt decodes the text field of a key; nil where it is missing.
func (r *reader) valueAt(f fields, key string) *Value {
	n, ok := f.nodes[key]
	if !ok {
		return nil
	}
	v := r.value(n)
	return &v
}

// entriesAt decodes a map of values such as gives or args.
func (r *reader) entriesAt(f fields, key string) []Entry {
	n, ok := f.nodes[key]
	if !ok {
		return nil
	}
	if n.Kind != yaml.MappingNode {
		r.wrong(posOf(n), "give each value a name: name: value", "%s must be a map of values", key)
		return nil
	}
	return r.value(n).Map
}

// Eval fills the value in. An error names the path inside the value.
func (v Value) Eval(scope expr.Scope) (any, error) {
	switch {
	case v.Text != nil:
		return v.Text.Eval(scope)
	case v.isMap:
		return EvalEntries(v.Map, scope)
	case v.isList:
		out := make([]any, len(v.List))
		for i, item := range v.List {
			got, err := item.Eval(scope)
			if err != nil {
				return nil, within(strconv.Itoa(i+1), err)
			}
			out[i] = got
		}
		return out, nil
	}
	return v.Literal, nil
}

// EvalEntries fills a map of values in.
func EvalEntries(entries []Entry, scope expr.Scope) (map[string]any, error) {
	out := make(map[string]any, len(entries))
	for _, e := range entries {
		got, err := e.Value.Eval(scope)
		if err != nil {
			return nil, within(e.Key, err)
		}
		out[e.Key] = got
	}
	return out, nil
}

// within adds one level of path in front of an error.
func within(key string, err error) error {
	var inner *pathError
	if errors.As(err, &inner) {
		return &pathError{path: key + "." + inner.path, err: inner.err}
	}
	return &pathError{path: key, err: err}
}

type pathError struct {
	path string
	err  error
}

func (e *pathError) Error() string { return fmt.Sprintf("%s: %v", e.path, e.err) }
func (e *pathError) Unwrap() error { return e.err }
