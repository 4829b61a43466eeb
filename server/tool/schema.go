package tool

import (
	"fmt"
	"maps"
	"slices"
)

// Object builds the schema of a map of arguments.
func Object(required []any, properties map[string]any) map[string]any {
	return map[string]any{"type": "object", "properties": properties, "required": required,
		"additionalProperties": false}
}

// Result builds the schema of what is given back, all of it always there.
func Result(properties map[string]any) map[string]any {
	required := []any{}
	for _, name := range slices.Sorted(maps.Keys(properties)) {
		required = append(required, name)
	}
	return Object(required, properties)
}

// Prop is the schema of one value; more are further keywords, each with its
// value.
func Prop(kind, description string, more ...any) map[string]any {
	p := map[string]any{"type": kind, "description": description}
	for i := 0; i+1 < len(more); i += 2 {
		p[fmt.Sprint(more[i])] = more[i+1]
	}
	return p
}

// ListOf is the schema of a list.
func ListOf(item map[string]any, description string) map[string]any {
	return map[string]any{"type": "array", "items": item, "description": description}
}
