package openapi

import (
	"encoding/json"
	"maps"
	"slices"
	"strings"
	"sync"

	"github.com/getkin/kin-openapi/openapi3"
)

// mostParts bounds the schemas one schema may become when what its references
// name is put in their place; descriptions exist whose few lines would grow
// without end.
const mostParts = 20_000

// schemas are the named schemas of a description, as they stand alone: in the
// 2020-12 draft, with what references name in their place. Each is made once
// and shared by all that refer to it, so that none of it may be changed.
type schemas struct {
	mu     sync.Mutex // guards the rest; held while one is made
	named  map[string]any
	made   map[string]part
	making map[string]bool
}

// part is a schema, and of how many schemas it consists.
type part struct {
	schema any
	size   int
}

// open is a schema that takes anything: in place of one that contains itself,
// or is too large.
var open = part{map[string]any{}, 1}

func newSchemas(named map[string]any) *schemas {
	return &schemas{named: named, made: map[string]part{}, making: map[string]bool{}}
}

// plain turns a schema of a description into one that stands alone.
func (s *schemas) plain(ref *openapi3.SchemaRef) (map[string]any, error) {
	if ref == nil {
		return map[string]any{}, nil
	}
	data, err := json.Marshal(ref)
	if err != nil {
		return nil, err
	}
	var v any
	if err := json.Unmarshal(data, &v); err != nil {
		return nil, err
	}
	s.mu.Lock()
	defer s.mu.Unlock()
	m, _ := s.inline(v).schema.(map[string]any)
	return maps.Clone(m), nil // its maker adds to it
}

// inline puts what references name in their place, in one that is nobody else's.
func (s *schemas) inline(v any) part {
	switch v := v.(type) {
	case []any:
		size := 0
		for i := range v {
			one := s.inline(v[i])
			if one.size > 0 && size+one.size > mostParts {
				one = open
			}
			v[i], size = one.schema, size+one.size
		}
		return part{v, size}
	case map[string]any:
		if ref, is := v["$ref"].(string); is {
			return s.of(ref)
		}
		return s.inlineFields(v)
	}
	return part{v, 0}
}

// inlineFields is inline for a schema's own keywords.
func (s *schemas) inlineFields(v map[string]any) part {
	size := 1
	put := func(in map[string]any, key string) {
		one := s.inline(in[key])
		if one.size > 0 && size+one.size > mostParts {
			one = open
		}
		in[key], size = one.schema, size+one.size
	}
	for _, key := range slices.Sorted(maps.Keys(v)) { // in one order, so that each reading cuts the same
		named, is := v[key].(map[string]any)
		switch {
		case data[key]:
		case is && byName[key]:
			for _, name := range slices.Sorted(maps.Keys(named)) {
				put(named, name)
			}
		default:
			put(v, key)
		}
	}
	modern(v)
	return part{v, size}
}

// byName are the keywords whose value has schemas by names of any kind, and data
// those whose value is no schema.
var (
	byName = map[string]bool{"properties": true, "patternProperties": true, "$defs": true, "dependentSchemas": true}
	data   = map[string]bool{"enum": true, "const": true, "default": true, "example": true, "examples": true,
		"required": true, "discriminator": true, "xml": true}
)

// of gives the schema a reference names.
func (s *schemas) of(ref string) part {
	name := strings.TrimPrefix(ref, "#/components/schemas/")
	if known, is := s.made[name]; is {
		return known
	}
	target, known := s.named[name]
	if !known || s.making[name] {
		return open
	}
	s.making[name] = true
	one := s.inline(target) // it is made once, so it need not be copied
	delete(s.making, name)
	s.made[name] = one
	return one
}

// modern rewrites what OpenAPI 3.0 says differently from JSON Schema 2020-12.
func modern(s map[string]any) {
	if kind, ok := s["type"].(string); ok && s["nullable"] == true {
		s["type"] = []any{kind, "null"}
	}
	if list, ok := s["enum"].([]any); ok && s["nullable"] == true {
		s["enum"] = append(list, nil)
	}
	for bound, exclusive := range map[string]string{"minimum": "exclusiveMinimum", "maximum": "exclusiveMaximum"} {
		if flag, ok := s[exclusive].(bool); ok {
			delete(s, exclusive)
			if flag {
				s[exclusive] = s[bound]
				delete(s, bound)
			}
		}
	}
	for _, key := range []string{"nullable", "example", "examples", "xml", "discriminator", "externalDocs"} {
		delete(s, key)
	}
}
