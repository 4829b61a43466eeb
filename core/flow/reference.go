package flow

import (
	"fmt"
	"strings"
)

// Markdown writes the language as a reference: every kind with a table of its
// fields, those inside a field below it.
func (l Language) Markdown() string {
	var b strings.Builder
	section := func(title, help string, fields []Field) {
		fmt.Fprintf(&b, "\n**%s.** %s\n", title, help)
		if len(fields) == 0 {
			return
		}
		b.WriteString("\n| field | holds | |\n| --- | --- | --- |\n")
		EachField(fields, func(path string, f Field) {
			fmt.Fprintf(&b, "| `%s` | %s | %s |\n", path, f.Meaning(), f.Help)
		})
	}
	b.WriteString("### Files\n")
	for _, f := range l.Files {
		section(f.Name, f.Help, f.Fields)
	}
	section("connection", "How something outside is reached: connections/ID.yaml; beside its protocol it has these.",
		l.Connection)
	b.WriteString("\n### Triggers\n")
	for _, k := range l.Triggers {
		section(k.Name, k.Help, k.Fields)
	}
	b.WriteString("\n### Steps\n")
	section("any step", "Beside what it does it may have these.", l.Step)
	for _, k := range l.Steps {
		section(k.Name, k.Help, k.Fields)
	}
	b.WriteString("\n### Protocols of connections\n")
	for _, k := range l.Protocols {
		section(k.Name, k.Help, k.Fields)
	}
	return b.String()
}

// EachField visits fields and those inside them, each with its path, as in
// cases.when.
func EachField(fields []Field, visit func(path string, f Field)) {
	var each func(before string, fields []Field)
	each = func(before string, fields []Field) {
		for _, f := range fields {
			visit(before+f.Name, f)
			each(before+f.Name+".", f.Fields)
		}
	}
	each("", fields)
}

// Meaning says in words what a field holds.
func (f Field) Meaning() string {
	words := holdsWords[f.Holds]
	switch {
	case f.Holds == HoldsChoice:
		words = strings.Join(f.Choices, ", ")
	case f.Holds == HoldsConnection && f.Kind != "":
		words = "a " + f.Kind + " connection"
	case f.Holds == HoldsFields && f.Worded && f.Words != nil:
		words = strings.Join(f.Words, " or ") + ", or fields"
	case f.Holds == HoldsFields && f.Worded:
		words = "a name, or fields"
	}
	switch f.Many {
	case List:
		words = "a list: " + words
	case Map:
		words = "by name: " + words
	}
	switch {
	case f.Required:
		words += "; needed"
	case f.Default != "" && f.Default != "false":
		words += "; " + f.Default + " if missing"
	}
	if f.Most > 0 {
		words += fmt.Sprintf("; %d to %d", f.Least, f.Most)
	}
	return words
}

// holdsWords say what fields hold.
var holdsWords = map[Holds]string{
	HoldsExpression: "an expression", HoldsText: "text", HoldsProse: "prose", HoldsWords: "words", HoldsName: "a name",
	HoldsSlug: "a part of an address", HoldsCode: "code", HoldsDuration: "a duration",
	HoldsSpan:  "a duration or working days",
	HoldsWhole: "a whole number", HoldsNumber: "a number", HoldsFlag: "true or false",
	HoldsSchema: "a JSON Schema, or its path",
	HoldsSteps:  "steps", HoldsTriggers: "triggers", HoldsFields: "fields", HoldsTool: "a tool", HoldsAgent: "an agent",
	HoldsModel: "a model", HoldsWorkflow: "a workflow", HoldsTable: "a table", HoldsConnection: "a connection",
	HoldsPeople: "a person, role or team", HoldsFile: "the path of a file", HoldsDay: "a day", HoldsZone: "a time zone",
	HoldsAddress: "an address",
}
