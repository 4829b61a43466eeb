package flow

import (
	"woolsignal/core/expr"
	"woolsignal/core/shape"
)

// failureShape describes what if_fails sees.
func failureShape() shape.Shape {
	return shape.Map(map[string]shape.Shape{"message": shape.Text(), "step": shape.Text(), "kind": shape.Text(),
		"tries": shape.Number(), "reached": shape.Text()})
}

// entriesShape describes a map of values.
func (c *Checker) Entries(entries []Entry, names expr.Names) map[string]shape.Shape {
	out := map[string]shape.Shape{}
	for _, e := range entries {
		out[e.Key] = c.Value(e.Value, names)
	}
	return out
}
