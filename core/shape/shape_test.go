package shape_test

import (
	"testing"

	"woolsignal/core/shape"
)

// object reads like a schema somebody wrote.
func object(required []any, properties map[string]any, more ...any) shape.Shape {
	s := shape.Shape{"type": "object", "properties": properties, "required": required}
	for i := 0; i+1 < len(more); i += 2 {
		s[more[i].(string)] = more[i+1]
	}
	return s
}

func TestFieldsAreThereForCertainMaybeOrNever(t *testing.T) {
	kg := map[string]any{"type": "number"}
	s := object([]any{"kg"}, map[string]any{"kg": kg, "notes": map[string]any{"type": "string"}})
	open := object(nil, nil, "additionalProperties", map[string]any{"type": "number"})
	either := shape.Union(s, shape.Map(map[string]shape.Shape{"kg": shape.Text()}))
	for name, c := range map[string]struct {
		of       shape.Shape
		field    string
		presence shape.Presence
		kind     string
	}{
		"required":             {s, "kg", shape.Certain, "number"},
		"not required":         {s, "notes", shape.Maybe, "text"},
		"not listed":           {s, "colour", shape.Absent, ""},
		"of what is unknown":   {nil, "kg", shape.Certain, ""},
		"of a number":          {shape.Number(), "kg", shape.Absent, ""},
		"of a map of anything": {open, "kg", shape.Maybe, "number"},
		"of a map we know":     {shape.Map(map[string]shape.Shape{"kg": nil}), "kg", shape.Certain, ""},
		"optional of a map":    {shape.Map(map[string]shape.Shape{"kg": nil}, "kg"), "kg", shape.Maybe, ""},
		"in both of two":       {either, "kg", shape.Certain, ""},
		"in one of two":        {either, "notes", shape.Maybe, "text"},
		"in none of two":       {either, "colour", shape.Absent, ""},
		"of what may be null":  {shape.Union(s, shape.Null()), "kg", shape.Maybe, "number"},
		"of what is not null":  {shape.Union(s, shape.Null()).WithoutNull(), "kg", shape.Certain, "number"},
		"of a nullable object": {object([]any{"kg"}, map[string]any{"kg": kg}, "type", []any{"object", "null"}), "kg",
			shape.Maybe, "number"},
		"of properties untyped": {shape.Shape{"properties": map[string]any{"kg": kg}}, "kg", shape.Maybe, "number"},
		"listed and closed": {object(nil, map[string]any{"kg": kg}, "additionalProperties", false), "x",
			shape.Absent, ""},
	} {
		inner, presence := c.of.Field(c.field)
		if presence != c.presence || inner.Kind() != c.kind {
			t.Errorf("%s: %v of kind %q, want %v of kind %q", name, presence, inner.Kind(), c.presence, c.kind)
		}
	}
}

func TestUnions(t *testing.T) {
	for name, c := range map[string]struct {
		shapes []shape.Shape
		kind   string
		ours   bool
	}{
		"one kind twice":    {[]shape.Shape{shape.Text(), shape.Text()}, "text", false},
		"two kinds":         {[]shape.Shape{shape.Text(), shape.Number()}, "", true},
		"with the unknown":  {[]shape.Shape{shape.Text(), nil}, "", false},
		"with an empty one": {[]shape.Shape{shape.Never, shape.Number()}, "number", false},
		"of lists":          {[]shape.Shape{shape.List(shape.Text()), shape.List(shape.Never)}, "list", false},
		"of ours":           {[]shape.Shape{shape.Map(nil), shape.Map(map[string]shape.Shape{"a": nil})}, "", true},
		"of a foreign one":  {[]shape.Shape{shape.Map(nil), object(nil, map[string]any{"a": nil})}, "", false},
	} {
		u := shape.Union(c.shapes...)
		if u.Kind() != c.kind || u.Ours() != c.ours {
			t.Errorf("%s: kind %q, ours %t, %v", name, u.Kind(), u.Ours(), u)
		}
	}
	if got := shape.Union(shape.List(shape.Text()), shape.List(shape.Never)).Items().Kind(); got != "text" {
		t.Errorf("the items of both lists are %q", got)
	}
}

func TestWhatFits(t *testing.T) {
	nullable := shape.Shape{"type": []any{"string", "null"}}
	for name, c := range map[string]struct {
		has, wants shape.Shape
		fits       bool
	}{
		"the same":           {shape.Text(), shape.Text(), true},
		"another":            {shape.Number(), shape.Text(), false},
		"a whole number":     {shape.Number(), shape.Shape{"type": "integer"}, true},
		"the unknown":        {nil, shape.Text(), true},
		"into anything":      {shape.Text(), nil, true},
		"into several":       {shape.Null(), nullable, true},
		"one of several":     {shape.Union(shape.Text(), shape.Number()), shape.Number(), true},
		"none of several":    {shape.Union(shape.Text(), shape.Number()), shape.Bool(), false},
		"a time into a text": {shape.Time(), shape.Text(), true},
	} {
		if c.has.Fits(c.wants) != c.fits {
			t.Errorf("%s: %v", name, !c.fits)
		}
	}
	if got := shape.Map(map[string]shape.Shape{"b": nil, "a": nil}).Has("net"); got != "net has a, b" {
		t.Errorf("%q", got)
	}
	if got := shape.Map(nil).Has("net"); got != "net has no fields" {
		t.Errorf("%q", got)
	}
}
