package flow

import (
	"maps"
	"slices"
	"strings"
)

// Shape is a JSON Schema that says what a value looks like; nil where nothing
// is known, and then every field is allowed.
type Shape map[string]any

func textShape() Shape { return Shape{"type": "string"} }

// mapShape describes a map with just these fields.
func mapShape(properties map[string]Shape) Shape {
	inner := map[string]any{}
	for name, s := range properties {
		inner[name] = map[string]any(s)
	}
	return Shape{"type": "object", "properties": inner, "additionalProperties": false}
}

// field finds the shape of one field. ok is false when the shape says there
// is no such field.
func (s Shape) field(name string) (inner Shape, ok bool) {
	if s == nil {
		return nil, true
	}
	properties, _ := s["properties"].(map[string]any)
	if properties == nil {
		kind, _ := s["type"].(string)
		return nil, kind == "" || kind == "object"
	}
	if p, ok := properties[name]; ok {
		m, _ := p.(map[string]any)
		return Shape(m), true
	}
	switch extra := s["additionalProperties"].(type) {
	case bool:
		return nil, extra
	case map[string]any:
		return Shape(extra), true
	}
	return nil, false
}

// names lists the fields a shape is known to have.
func (s Shape) names() []string {
	properties, _ := s["properties"].(map[string]any)
	return slices.Sorted(maps.Keys(properties))
}

// signalShape describes what every trigger of a workflow delivers.
func (w *Workspace) signalShape(flow *Workflow) Shape {
	fields := map[string]Shape{
		"id": textShape(), "source": textShape(), "type": textShape(), "time": textShape(), "subject": textShape(),
		"kind": textShape(), "trigger": textShape(), "thread": textShape(), "text": textShape(),
		"from": mapShape(nil), "body": mapShape(nil), "files": nil,
	}
	// Only what every trigger delivers is there for certain.
	chats, webhooks := 0, 0
	for _, t := range flow.Triggers {
		if t.Chat != nil {
			chats++
		}
		if t.Webhook != nil {
			webhooks++
		}
	}
	if chats == len(flow.Triggers) {
		fields["from"] = mapShape(map[string]Shape{"name": textShape(), "email": textShape(), "role": textShape()})
	}
	if webhooks == len(flow.Triggers) {
		fields["body"] = nil
	}
	if webhooks == 1 && len(flow.Triggers) == 1 {
		if schema, ok := w.Schemas[flow.Triggers[0].Webhook.Accepts]; ok {
			fields["body"] = schema
		}
	}
	return mapShape(fields)
}

// givesShape describes the values a case or block hands out.
func givesShape(entries []Entry) map[string]Shape {
	out := map[string]Shape{}
	for _, e := range entries {
		out[e.Key] = nil
		if e.Value.Text != nil && (len(e.Value.Text.Parts()) > 1 || !e.Value.Text.Parts()[0].Expression) {
			out[e.Key] = textShape()
		}
	}
	return out
}

// outputShape describes what a step gives to the steps after it.
func (c *checker) outputShape(s *Step) Shape {
	switch s.Kind {
	case "compute":
		fields := map[string]Shape{}
		for _, v := range s.Compute.Values {
			fields[v.Name] = nil
		}
		return mapShape(fields)
	case "decide":
		fields := map[string]Shape{"case": nil}
		for _, branch := range s.Decide.branches() {
			maps.Copy(fields, givesShape(branch.Gives))
		}
		return mapShape(fields)
	case "tool":
		if t, ok := c.tool(s.Tool.Tool); ok {
			return t.Output
		}
		return nil
	case "agent":
		return mapShape(map[string]Shape{"text": textShape()})
	case "say":
		return mapShape(map[string]Shape{"message_id": textShape()})
	case "review":
		edited := map[string]Shape{}
		for _, e := range s.Review.Edit {
			edited[e.Key] = nil
		}
		return mapShape(map[string]Shape{"choice": textShape(), "edited": mapShape(edited), "by": textShape(), "at": textShape(), "note": textShape()})
	}
	return mapShape(nil)
}

// branches lists the cases and, where there is one, the else.
func (d *DecideStep) branches() []Case {
	all := slices.Clone(d.Cases)
	if d.Else != nil {
		all = append(all, *d.Else)
	}
	return all
}

// has says what a value has, for messages.
func has(name string, s Shape) string {
	if names := s.names(); len(names) > 0 {
		return name + " has " + strings.Join(names, ", ")
	}
	return name + " has no fields"
}
