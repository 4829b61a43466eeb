package script

import (
	"context"
	"reflect"
	"strings"
	"testing"
	"time"

	"woolsignal/server/confined/confinedtest"
)

// TestMain makes this test's own binary the process that runs scripts.
func TestMain(m *testing.M) { confinedtest.Main(m) }

func TestScriptsComputeValues(t *testing.T) {
	p := &Runner{confinedtest.Pool(t)}
	for code, want := range map[string]any{
		"return kg.filter(k => k > 2).length":                       int64(1),
		"return {sum: kg.reduce((a, b) => a + b), g: g}":            map[string]any{"sum": 4.5, "g": "Nettlecote"},
		"kg.push(9); return kg.length":                              int64(3),
		"let [first] = kg; return `${first} kg`":                    "1 kg",
		"globalThis.kept = (globalThis.kept || 0) + 1; return kept": int64(1), // a fresh runtime each time
		"return null": nil,
	} {
		for range 2 {
			got, err := p.Run(context.Background(), code, map[string]any{"kg": []any{int64(1), 3.5}, "g": "Nettlecote"},
				time.Second)
			if err != nil || !reflect.DeepEqual(got, want) {
				t.Errorf("%s gives %#v, %v; want %#v", code, got, err, want)
			}
		}
	}
}

func TestScriptsAreHeldBack(t *testing.T) {
	p := &Runner{confinedtest.Pool(t)}
	for code, want := range map[string]string{
		"while (true) {}": "took too long",
		"let a = 'xxxxxxxxxx'; while (true) a += a": "memory",
		"let f = () => f(); return f()":             "too deeply",
		"return nosuch + 1":                         "line 1 of the script: ReferenceError",
		"let a = 1;\nreturn a.b.c":                  "line 2 of the script: TypeError",
		"return 1 +":                                "line 2 of the script",
		"require('fs')":                             "require is not defined",
		"return fetch('http://x')":                  "fetch is not defined",
		"let a = 1":                                 "gives nothing",
		"return (async () => 1)()":                  "promise",
		"let a = {}; a.a = a; return a":             "cannot be written as JSON",
	} {
		_, err := p.Run(context.Background(), code, nil, 4*time.Second)
		if err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%s: %v; want %q", code, err, want)
		}
	}
	// The pool goes on whatever happened before.
	if got, err := p.Run(context.Background(), "return 2", nil, time.Second); err != nil || got != int64(2) {
		t.Errorf("after all that: %v, %v", got, err)
	}
}
