package shape

import "maps"

// Most is how many parts a shape that is put together has at most, and Deepest how many
// levels. Of what lies beyond is known only what kind it is: what a text of a kilobyte says
// may otherwise take more to tell than there is memory.
const (
	Most    = 2000
	Deepest = 24
)

// bounded cuts a shape that is too large off at the deepest level at which it is not.
func (s Shape) bounded() Shape {
	if _, fits := size(s, 2*Deepest, Most); fits {
		return s
	}
	for deep := Deepest; deep > 1; deep /= 2 {
		if cut := s.Cut(deep); cut.Size() < Most {
			return cut
		}
	}
	return s.Cut(1)
}

// Size is how many parts a shape has; no more than one above [Most] are counted.
func (s Shape) Size() int {
	n, _ := size(s, 1<<30, Most)
	return n
}

// size counts the parts of a shape, and tells whether it has no more than most, in no more
// levels than deep.
func size(v any, deep, most int) (n int, fits bool) {
	count := func(v any, deep int) bool {
		more, fits := size(v, deep, most-n)
		n += more
		return fits
	}
	switch v := v.(type) {
	case Shape:
		return size(map[string]any(v), deep, most)
	case map[string]any:
		if n++; deep < 0 || n > most {
			return n, false
		}
		for _, inner := range v {
			if !count(inner, deep-1) {
				return n, false
			}
		}
	case []any:
		for _, inner := range v {
			if !count(inner, deep) {
				return n, false
			}
		}
	default:
		return 1, most > 0
	}
	return n, true
}

// Cut is a shape down to a level, and at most [Most] parts of it; of what lies beyond only the
// kind is told.
func (s Shape) Cut(deep int) Shape {
	room := Most
	return cut(s, deep, &room)
}

// named are the keywords of a schema (JSON Schema 2020-12) whose maps are no schemas, but hold
// them by name.
var named = map[string]bool{"properties": true, "$defs": true, "patternProperties": true}

func cut(s map[string]any, deep int, room *int) map[string]any {
	if *room--; deep <= 0 || *room < 0 {
		return kindOnly(s)
	}
	inside := func(v any) any {
		if m := mapOf(v); m != nil {
			return cut(m, deep-1, room)
		}
		return v
	}
	out := maps.Clone(s)
	for key, v := range s {
		switch v := v.(type) {
		case map[string]any:
			if !named[key] {
				out[key] = inside(v)
				continue
			}
			all := make(map[string]any, len(v))
			for name, one := range v {
				all[name] = inside(one)
			}
			out[key] = all
		case []any:
			all := make([]any, len(v))
			for i, one := range v {
				all[i] = inside(one)
			}
			out[key] = all
		}
	}
	return out
}

// kindOnly is what is told of a part beyond the bounds.
func kindOnly(s map[string]any) map[string]any {
	if kind, is := s["type"]; is {
		return map[string]any{"type": kind}
	}
	return map[string]any{}
}
