package schema_test

import (
	"errors"
	"strings"
	"testing"

	"woolsignal/core/schema"
)

func TestMismatchesNameTheirPath(t *testing.T) {
	s, err := schema.Compile(map[string]any{
		"type": "object", "required": []any{"grower"}, "additionalProperties": false,
		"properties": map[string]any{"grower": map[string]any{"type": "string"}, "lot": map[string]any{"type": "object",
			"properties": map[string]any{"kg": map[string]any{"type": "number", "minimum": 0.0}}}},
	})
	if err != nil {
		t.Fatal(err)
	}
	if err := s.Validate(map[string]any{"grower": "Skell Top", "lot": map[string]any{"kg": int64(3)}}); err != nil {
		t.Errorf("a fitting value: %v", err)
	}
	err = s.Validate(map[string]any{"lot": map[string]any{"kg": -1.5}, "bales": int64(2)})
	var e *schema.Error
	if !errors.As(err, &e) || len(e.Mismatches) != 3 {
		t.Fatalf("want three mismatches, got %v", err)
	}
	for _, want := range []string{"grower", "lot.kg: ", "bales"} {
		if !strings.Contains(e.Error(), want) {
			t.Errorf("%q does not speak of %s", e, want)
		}
	}
}

func TestSchemasStayInsideThemselves(t *testing.T) {
	for _, ref := range []string{"file:///etc/passwd", "https://elsewhere.example/schema.json"} {
		if _, err := schema.Compile(map[string]any{"$ref": ref}); err == nil ||
			!strings.Contains(err.Error(), "outside itself") {
			t.Errorf("%s: %v", ref, err)
		}
	}
}

func TestASchemaMayReferToItself(t *testing.T) {
	s, err := schema.Compile(map[string]any{"$defs": map[string]any{"kg": map[string]any{"type": "number",
		"minimum": int64(1)}},
		"type": "array", "items": map[string]any{"$ref": "#/$defs/kg"}})
	if err != nil {
		t.Fatal(err)
	}
	if err := s.Validate([]any{int64(2), 2.5}); err != nil {
		t.Error(err)
	}
	if err := s.Validate([]any{int64(0)}); err == nil {
		t.Error("what does not fit is let through")
	}
}
