// Package shape says what values look like before there are any: which
// fields a map has, what a list holds, what may be missing. The checker types
// expressions with it.
package shape

import (
	"maps"
	"slices"
	"strings"
)

// Shape is a JSON Schema (2020-12) that says what a value looks like; nil
// where nothing is known, and then every field is allowed.
type Shape map[string]any

// Never is the shape of what an empty list holds: it agrees with every other.
var Never = Shape{"not": map[string]any{}}

// Text, Number, Bool and Time are the shapes of plain values. A time is a
// text once it leaves its expression.
func Text() Shape   { return Shape{"type": "string"} }
func Number() Shape { return Shape{"type": "number"} }
func Bool() Shape   { return Shape{"type": "boolean"} }
func Null() Shape   { return Shape{"type": "null"} }
func Time() Shape   { return Shape{"type": "string", "format": "date-time"} }

// List is a list of values of one shape.
func List(items Shape) Shape {
	if items == nil {
		return Shape{"type": "array"}
	}
	return Shape{"type": "array", "items": map[string]any(items)}.bounded()
}

// ours marks shapes the workspace itself makes. What they say may be missing
// really may; the schemas of outside services are often just careless.
const ours = "x-ours"

// Map is a map with just these fields; those named as optional may be missing.
func Map(fields map[string]Shape, optional ...string) Shape {
	properties, required := map[string]any{}, []any{}
	for _, name := range slices.Sorted(maps.Keys(fields)) {
		if fields[name] == nil {
			properties[name] = map[string]any{}
		} else {
			properties[name] = map[string]any(fields[name])
		}
		if !slices.Contains(optional, name) {
			required = append(required, name)
		}
	}
	return Shape{"type": "object", "properties": properties, "required": required, "additionalProperties": false,
		ours: true}.bounded()
}

// Ours tells whether the workspace made this shape.
func (s Shape) Ours() bool { return s[ours] == true }

// Presence tells how sure it is that a field is there.
type Presence int

// A field is there for certain, there or not, or never.
const (
	Absent Presence = iota
	Maybe
	Certain
)

// Field finds the shape of one field.
func (s Shape) Field(name string) (Shape, Presence) {
	if s == nil {
		return nil, Certain // nothing is known, so nothing is wrong
	}
	if options := s.options(); options != nil {
		return fieldOfAny(options, name)
	}
	if list, ok := s["type"].([]any); ok && slices.Contains(list, any("object")) {
		inner := maps.Clone(s)
		inner["type"] = "object"
		found, p := inner.Field(name)
		return found, min(p, Maybe)
	}
	kind := s.Kind()
	if kind != "" && kind != "map" {
		return nil, Absent
	}
	properties, known := s["properties"].(map[string]any)
	if p, ok := properties[name]; ok {
		m, _ := p.(map[string]any)
		required, listed := s["required"].([]any)
		if listed && slices.Contains(required, any(name)) {
			return clean(m), Certain
		}
		return clean(m), Maybe
	}
	switch extra := s["additionalProperties"].(type) {
	case bool:
		if !extra {
			return nil, Absent
		}
	case map[string]any:
		return clean(extra), Maybe
	}
	if known {
		return nil, Absent // a schema that lists fields means them; the rest is a slip of the pen
	}
	return nil, Certain
}

func fieldOfAny(options []Shape, name string) (Shape, Presence) {
	var all []Shape
	least, some := Certain, false
	for _, o := range options {
		if o.Kind() == "null" {
			least = min(least, Maybe)
			continue
		}
		inner, p := o.Field(name)
		if p == Absent {
			least = Maybe
			continue
		}
		some, least = true, min(least, p)
		all = append(all, inner)
	}
	if !some {
		return nil, Absent
	}
	return Union(all...), least
}

// clean gives nil for a schema that says nothing.
func clean(m map[string]any) Shape {
	if len(m) == 0 {
		return nil
	}
	return Shape(m)
}

// options lists the alternatives of anyOf or oneOf; nil where there are none.
func (s Shape) options() []Shape {
	for _, key := range []string{"anyOf", "oneOf"} {
		if list, ok := s[key].([]any); ok && len(list) > 0 {
			out := make([]Shape, 0, len(list))
			for _, item := range list {
				m, _ := item.(map[string]any)
				out = append(out, clean(m))
			}
			return out
		}
	}
	return nil
}

// Items gives the shape of a list's items; nil where it is unknown.
func (s Shape) Items() Shape {
	m, _ := s["items"].(map[string]any)
	return clean(m)
}

// Names lists the fields a shape is known to have.
func (s Shape) Names() []string {
	if options := s.options(); options != nil {
		seen := map[string]bool{}
		for _, o := range options {
			for _, n := range o.Names() {
				seen[n] = true
			}
		}
		return slices.Sorted(maps.Keys(seen))
	}
	properties, _ := s["properties"].(map[string]any)
	return slices.Sorted(maps.Keys(properties))
}

// Kind names the one kind of value a shape allows: text, number, bool, list,
// map, null or time; "" where it is unknown or several.
func (s Shape) Kind() string {
	kind, _ := s["type"].(string)
	switch kind {
	case "string":
		return "text"
	case "number", "integer":
		return "number"
	case "boolean":
		return "bool"
	case "array":
		return "list"
	case "object":
		return "map"
	case "null":
		return "null"
	}
	if kind == "" && s["properties"] != nil {
		return "map"
	}
	return ""
}

// Words names a kind as messages to people do.
func Words(kind string) string {
	switch kind {
	case "bool":
		return "a yes or no"
	case "null":
		return "nothing (null)"
	case "":
		return "a value"
	}
	return "a " + kind
}

// Has says what a value has, for messages.
func (s Shape) Has(name string) string {
	if names := s.Names(); len(names) > 0 {
		return name + " has " + strings.Join(names, ", ")
	}
	return name + " has no fields"
}

// Union is the shape of a value that is one of several. What is unknown in
// one of them is unknown in all.
func Union(shapes ...Shape) Shape {
	var kinds []Shape
	for _, s := range shapes {
		if s == nil {
			return nil
		}
		if s["not"] != nil {
			continue
		}
		if i := slices.IndexFunc(kinds, func(k Shape) bool { return same(k, s) }); i < 0 {
			kinds = append(kinds, s)
		} else if s.Kind() == "text" {
			kinds[i] = either(kinds[i], s)
		}
	}
	switch len(kinds) {
	case 0:
		if len(shapes) > 0 {
			return Never
		}
		return nil
	case 1:
		return kinds[0]
	}
	if all(kinds, "list") {
		items := make([]Shape, len(kinds))
		for i, k := range kinds {
			items[i] = k.Items()
		}
		return List(Union(items...))
	}
	options, made := make([]any, len(kinds)), true
	for i, k := range kinds {
		options[i] = map[string]any(k)
		made = made && (k.Ours() || k.Kind() != "map")
	}
	out := Shape{"anyOf": options}
	if made {
		out[ours] = true
	}
	return out.bounded()
}

// WithoutNull is the shape of a value that was found not to be null.
func (s Shape) WithoutNull() Shape {
	options := s.options()
	if options == nil {
		return s
	}
	return Union(slices.DeleteFunc(options, func(o Shape) bool { return o.Kind() == "null" })...)
}

// Fits tells whether a value of one shape may stand where another is wanted,
// as far as kinds go. What is unknown fits.
func (s Shape) Fits(wanted Shape) bool {
	kinds := wanted.kinds()
	if len(kinds) == 0 {
		return true
	}
	has := s.kinds()
	if len(has) == 0 {
		return true
	}
	return slices.ContainsFunc(has, func(k string) bool { return slices.Contains(kinds, k) })
}

// kinds lists every kind of value a shape allows; none where that is unknown.
func (s Shape) kinds() []string {
	if options := s.options(); options != nil {
		var out []string
		for _, o := range options {
			inner := o.kinds()
			if len(inner) == 0 {
				return nil
			}
			out = append(out, inner...)
		}
		return out
	}
	if list, ok := s["type"].([]any); ok {
		var out []string
		for _, k := range list {
			out = append(out, Shape{"type": k}.Kind())
		}
		return out
	}
	if k := s.Kind(); k != "" {
		return []string{k}
	}
	return nil
}

func all(shapes []Shape, kind string) bool {
	return !slices.ContainsFunc(shapes, func(s Shape) bool { return s.Kind() != kind })
}

// same tells plain shapes that are equal; maps and lists only where they are
// the very same.
func same(a, b Shape) bool {
	k := a.Kind()
	if k != b.Kind() {
		return false
	}
	switch k {
	case "text", "number", "bool", "null":
		return true
	}
	return equal(a, b)
}

// equal compares two schemas deeply.
func equal(a, b any) bool {
	switch a := a.(type) {
	case Shape:
		return equal(map[string]any(a), b)
	case map[string]any:
		if s, ok := b.(Shape); ok {
			b = map[string]any(s)
		}
		m, ok := b.(map[string]any)
		if !ok || len(a) != len(m) {
			return false
		}
		for k, v := range a {
			w, ok := m[k]
			if !ok || !equal(v, w) {
				return false
			}
		}
		return true
	case []any:
		l, ok := b.([]any)
		return ok && slices.EqualFunc(a, l, equal)
	}
	return a == b
}
