// Package schema holds values against JSON Schemas (draft 2020-12) and says
// in plain words what does not fit.
package schema

import (
	"errors"
	"fmt"
	"strings"

	"github.com/santhosh-tekuri/jsonschema/v6"
	"golang.org/x/text/language"
	"golang.org/x/text/message"
)

// Schema is a compiled JSON Schema, safe for concurrent use.
type Schema struct{ compiled *jsonschema.Schema }

// noLoading refuses every reference out of the schema itself.
type noLoading struct{}

func (noLoading) Load(url string) (any, error) {
	return nil, fmt.Errorf("a schema may not refer to %s, outside itself", url)
}

// Compile prepares a schema given as decoded JSON. Formats are asserted.
func Compile(doc map[string]any) (*Schema, error) {
	c := jsonschema.NewCompiler()
	c.AssertFormat()
	c.UseLoader(noLoading{})
	if err := c.AddResource("workspace:///schema", doc); err != nil {
		return nil, fmt.Errorf("schema: %w", err)
	}
	compiled, err := c.Compile("workspace:///schema")
	if err != nil {
		return nil, fmt.Errorf("schema: %w", err)
	}
	return &Schema{compiled}, nil
}

// Mismatch is one place where a value does not fit.
type Mismatch struct {
	Path string `json:"path"` // dotted, "" for the whole value
	What string `json:"what"`
}

// Error lists every place where a value does not fit its schema.
type Error struct{ Mismatches []Mismatch }

func (e *Error) Error() string {
	lines := make([]string, len(e.Mismatches))
	for i, m := range e.Mismatches {
		lines[i] = m.What
		if m.Path != "" {
			lines[i] = m.Path + ": " + m.What
		}
	}
	return strings.Join(lines, "; ")
}

// Validate returns nil or an *[Error].
func (s *Schema) Validate(value any) error {
	err := s.compiled.Validate(value)
	var invalid *jsonschema.ValidationError
	if !errors.As(err, &invalid) {
		return err
	}
	printer := message.NewPrinter(language.English)
	var out Error
	var leaves func(*jsonschema.ValidationError)
	leaves = func(v *jsonschema.ValidationError) {
		if len(v.Causes) == 0 {
			out.Mismatches = append(out.Mismatches,
				Mismatch{strings.Join(v.InstanceLocation, "."), v.ErrorKind.LocalizedString(printer)})
		}
		for _, cause := range v.Causes {
			leaves(cause)
		}
	}
	leaves(invalid)
	return &out
}
