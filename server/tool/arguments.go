package tool

// Text reads an argument that the schema has already found to be a Text.
func Text(args map[string]any, name string) string { s, _ := args[name].(string); return s }

// Whole reads an argument that is a whole number.
func Whole(args map[string]any, name string, otherwise int) int {
	if n, ok := args[name].(int64); ok {
		return int(n)
	}
	return otherwise
}

// Texts reads an argument that is a list of Texts, or one text.
func Texts(args map[string]any, name string) []string {
	switch v := args[name].(type) {
	case string:
		if v != "" {
			return []string{v}
		}
	case []any:
		var out []string
		for _, item := range v {
			if s, ok := item.(string); ok && s != "" {
				out = append(out, s)
			}
		}
		return out
	}
	return nil
}
