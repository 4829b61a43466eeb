package shape

// deepestExample is how many maps and lists an example has inside one another.
const deepestExample = 6

// Example makes a value that fits a shape, to stand for one that is not there:
// what the schema gives as an example or a choice where it says one, else a plain
// value of its kind. A shape that says nothing gives nil.
func (s Shape) Example() any { return s.example("", 0) }

func (s Shape) example(name string, depth int) any {
	if depth > deepestExample {
		return nil
	}
	for _, key := range []string{"const", "example", "default"} {
		if v, said := s[key]; said {
			return v
		}
	}
	for _, key := range []string{"examples", "enum"} {
		if all, is := s[key].([]any); is && len(all) > 0 {
			return all[0]
		}
	}
	for _, key := range []string{"anyOf", "oneOf", "allOf"} {
		if all, is := s[key].([]any); is && len(all) > 0 {
			if first := mapOf(all[0]); first != nil {
				return first.example(name, depth+1)
			}
		}
	}
	return s.plainExample(name, depth)
}

// plainExample is an example by a shape's type.
func (s Shape) plainExample(name string, depth int) any {
	switch s.typeName() {
	case "object":
		out := map[string]any{}
		properties, _ := s["properties"].(map[string]any)
		for key, of := range properties {
			out[key] = mapOf(of).example(key, depth+1)
		}
		return out
	case "array":
		if of := mapOf(s["items"]); of != nil {
			return []any{of.example(name, depth+1)}
		}
		return []any{}
	case "string":
		return textExample(name, s["format"])
	case "number", "integer":
		return int64(1)
	case "boolean":
		return true
	}
	return nil
}

// typeName is a shape's type; of several the first that is not null.
func (s Shape) typeName() string {
	switch t := s["type"].(type) {
	case string:
		return t
	case []any:
		for _, one := range t {
			if name, _ := one.(string); name != "null" {
				return name
			}
		}
	}
	if s["properties"] != nil {
		return "object"
	}
	return ""
}

// textExample is a text of a format (JSON Schema validation, section 7.3).
func textExample(name string, format any) string {
	switch format {
	case "date":
		return "2026-01-02"
	case "date-time":
		return "2026-01-02T09:00:00Z"
	case "email":
		return "somebody@example.org"
	case "uri":
		return "https://example.org/"
	case "uuid":
		return "00000000-0000-4000-8000-000000000001"
	}
	if name == "" {
		return "text"
	}
	return name + "-1"
}

func mapOf(v any) Shape {
	switch m := v.(type) {
	case map[string]any:
		return m
	case Shape:
		return m
	}
	return nil
}
