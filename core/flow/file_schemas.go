package flow

import (
	"embed"
	"slices"
)

//go:embed schemas/*.json
var fileSchemas embed.FS

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
	text, err := fileSchemas.ReadFile("schemas/" + kind + ".json")
	return string(text), err == nil
}
