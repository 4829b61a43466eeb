package flow

import (
	"encoding/json"
	"maps"
	"slices"
)

// FileKinds lists the kinds of file that have a schema.
func FileKinds() []string {
	return []string{"workspace", "workflow", "agent", "connection", "table", "sample"}
}

// FileSchema gives the JSON Schema (2020-12) of a kind of file, for editors:
// what keys there are and what they may hold. It knows nothing of what the
// keys mean together; [Workspace.Check] does.
func FileSchema(kind string) (string, bool) {
	if !slices.Contains(FileKinds(), kind) {
		return "", false
	}
	text, err := json.MarshalIndent(fileSchema(kind), "", "  ")
	return string(text), err == nil
}

func fileSchema(kind string) map[string]any {
	var out map[string]any
	switch language := TheLanguage(); kind {
	case "connection":
		kinds := map[string]any{}
		for _, k := range language.Protocols {
			kinds[k.Name] = described(objectSchema(k.Fields), k.Help)
		}
		out = oneKind(objectSchema(language.Connection), kinds)
	case "sample":
		out = map[string]any{"type": "object", "additionalProperties": false, "properties": map[string]any{
			"trigger": textSchema(), "thread": textSchema(), "subject": textSchema(), "text": textSchema(),
			"body": map[string]any{},
			"from": map[string]any{"type": "object", "additionalProperties": textSchema()}}}
	default:
		i := slices.IndexFunc(language.Files, func(f FileKind) bool { return f.Name == kind })
		out = objectSchema(language.Files[i].Fields)
		if kind == "workflow" {
			out["$defs"] = map[string]any{"step": stepSchema(language), "trigger": triggerSchema(language)}
		}
	}
	out["$schema"] = "https://json-schema.org/draft/2020-12/schema"
	out["title"] = "A " + kind + " of Wool Signal"
	return out
}

// stepSchema describes a step: fields of some kinds stand beside their names.
func stepSchema(language Language) map[string]any {
	out := objectSchema(language.Step)
	properties := out["properties"].(map[string]any)
	kinds := map[string]any{}
	for _, k := range language.Steps {
		if k.Beside {
			maps.Copy(properties, objectSchema(k.Fields)["properties"].(map[string]any))
			kinds[k.Name] = described(fieldSchema(k.Fields[0]), k.Help)
		} else {
			kinds[k.Name] = described(objectSchema(k.Fields), k.Help)
		}
	}
	return oneKind(out, kinds)
}

func triggerSchema(language Language) map[string]any {
	kinds := map[string]any{}
	for _, k := range language.Triggers {
		kinds[k.Name] = described(objectSchema(k.Fields), k.Help)
	}
	return oneKind(map[string]any{"type": "object", "additionalProperties": false, "required": []any{"id"},
		"properties": map[string]any{"id": textSchema()}}, kinds)
}

// oneKind adds keys to an object of which it must have exactly one.
func oneKind(object, kinds map[string]any) map[string]any {
	maps.Copy(object["properties"].(map[string]any), kinds)
	var one []any
	for _, name := range slices.Sorted(maps.Keys(kinds)) {
		one = append(one, map[string]any{"required": []any{name}})
	}
	object["oneOf"] = one
	return object
}

// objectSchema describes a map of fields.
func objectSchema(fields []Field) map[string]any {
	properties, required := map[string]any{}, []any{}
	for _, f := range fields {
		properties[f.Name] = described(fieldSchema(f), f.Help)
		if f.Required {
			required = append(required, f.Name)
		}
	}
	out := map[string]any{"type": "object", "additionalProperties": false, "properties": properties}
	if len(required) > 0 {
		out["required"] = required
	}
	return out
}

func described(schema map[string]any, help string) map[string]any {
	schema["description"] = help
	return schema
}

// fieldSchema describes what one field holds.
func fieldSchema(f Field) map[string]any {
	one := holdsSchema(f)
	if f.Default != "" && f.Many == "" {
		one["default"] = defaultOf(f)
	}
	switch f.Many {
	case List:
		return map[string]any{"type": "array", "items": one}
	case Map:
		return map[string]any{"type": "object", "additionalProperties": one}
	}
	return one
}

// defaultOf is a field's default as JSON has it.
func defaultOf(f Field) any {
	switch f.Holds {
	case HoldsFlag, HoldsWhole, HoldsNumber:
		return json.RawMessage(f.Default)
	}
	return f.Default
}

func textSchema() map[string]any { return map[string]any{"type": "string"} }

// anyValue is what a text field may hold: words, or values of any depth.
func anyValue() map[string]any {
	return map[string]any{"type": []any{"string", "number", "boolean", "array", "object"}}
}

// The forms of durations and names, as the reader has them.
const (
	spanForm     = `^\d+(ms|s|m|h|d|wd)$`
	durationOnly = `^\d+(ms|s|m|h|d)$`
)

func holdsSchema(f Field) map[string]any {
	switch f.Holds {
	case HoldsExpression:
		return map[string]any{"type": []any{"string", "number", "boolean"}}
	case HoldsText, HoldsProse:
		return anyValue()
	case HoldsName:
		return map[string]any{"type": "string", "pattern": snake.String()}
	case HoldsSlug:
		return map[string]any{"type": "string", "pattern": kebab.String()}
	case HoldsDuration:
		return map[string]any{"type": "string", "pattern": durationOnly}
	case HoldsSpan:
		return map[string]any{"type": "string", "pattern": spanForm}
	case HoldsDay:
		return map[string]any{"type": "string", "format": "date"}
	case HoldsChoice:
		return map[string]any{"enum": f.Choices}
	case HoldsWhole:
		return bounded(map[string]any{"type": "integer"}, f)
	case HoldsNumber:
		return bounded(map[string]any{"type": "number"}, f)
	case HoldsFlag:
		return map[string]any{"type": "boolean"}
	case HoldsSchema:
		return map[string]any{"type": []any{"object", "string"}}
	case HoldsSteps:
		return map[string]any{"type": "array", "items": map[string]any{"$ref": "#/$defs/step"}}
	case HoldsTriggers:
		return map[string]any{"type": "array", "items": map[string]any{"$ref": "#/$defs/trigger"}}
	case HoldsFields:
		return fieldsSchema(f)
	}
	return textSchema()
}

// bounded adds the bounds of a number; without any it is at least nothing.
func bounded(schema map[string]any, f Field) map[string]any {
	schema["minimum"] = f.Least
	if f.Most > 0 {
		schema["maximum"] = f.Most
	}
	return schema
}

// fieldsSchema describes a map of fields, which a word may stand for.
func fieldsSchema(f Field) map[string]any {
	object := objectSchema(f.Fields)
	if !f.Worded {
		return object
	}
	word := textSchema()
	if f.Words != nil {
		word = map[string]any{"enum": f.Words}
	}
	return map[string]any{"oneOf": []any{word, object}}
}
