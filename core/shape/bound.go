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

// Cut is a shape down to a level; of what lies beyond only the kind is told. No more than
// [Most] parts are looked at on a level.
func (s Shape) Cut(deep int) Shape {
	room := Most
	return cut(s, deep, &room)
}

// within are the keywords of a schema (JSON Schema 2020-12) that hold others: by name, in a
// list, or one.
var within = map[string]bool{"properties": true, "$defs": true, "patternProperties": true}

func cut(s map[string]any, deep int, room *int) map[string]any {
	if s == nil {
		return nil
	}
	if *room--; deep <= 0 || *room < 0 {
		return kindOnly(s)
	}
	out := maps.Clone(s)
	for key, v := range s {
		switch v := v.(type) {
		case map[string]any:
			if !within[key] {
				out[key] = cut(v, deep-1, room)
				continue
			}
			inner := make(map[string]any, len(v))
			for name, one := range v {
				inner[name] = one
				if m := mapOf(one); m != nil {
					inner[name] = map[string]any(cut(m, deep-1, room))
				}
			}
			out[key] = inner
		case []any:
			inner := make([]any, len(v))
			for i, one := range v {
				inner[i] = one
				if m := mapOf(one); m != nil {
					inner[i] = map[string]any(cut(m, deep-1, room))
				}
			}
			out[key] = inner
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
