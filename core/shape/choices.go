package shape

import "slices"

// Choice is the shape of a text that is one of several.
func Choice(words ...string) Shape {
	all := make([]any, len(words))
	for i, w := range words {
		all[i] = w
	}
	return Shape{"type": "string", "enum": all}
}

// Choices lists the texts a value is among; nil where it may be others. A
// value that may also be null is among its texts.
func (s Shape) Choices() []string {
	options := s.options()
	if options == nil {
		options = []Shape{s}
	}
	var out []string
	for _, o := range options {
		if o.Kind() == "null" {
			continue
		}
		list, ok := o["enum"].([]any)
		if !ok {
			return nil
		}
		for _, choice := range list {
			switch choice := choice.(type) {
			case string:
				out = append(out, choice)
			case nil:
			default:
				return nil
			}
		}
	}
	return out
}

// Nullable tells whether a value may be null, as far as is known.
func (s Shape) Nullable() bool { return slices.Contains(s.kinds(), "null") && len(s.kinds()) > 1 }

// either is the shape of a text that is of one of two shapes.
func either(a, b Shape) Shape {
	first, second := a.Choices(), b.Choices()
	switch {
	case first != nil && second != nil:
		for _, word := range second {
			if !slices.Contains(first, word) {
				first = append(first, word)
			}
		}
		return Choice(first...)
	case first != nil || second != nil:
		return Text()
	}
	return a
}
