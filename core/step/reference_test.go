package step_test

import (
	"flag"
	"os"
	"strings"
	"testing"

	"woolsignal/core/flow"
	_ "woolsignal/core/protocol"
	_ "woolsignal/core/step"
)

var update = flag.Bool("update", false, "write the reference of docs/language.md anew")

// The reference stands between these lines of docs/language.md.
const (
	page   = "../../docs/language.md"
	begins = "<!-- what follows is made from the tables of fields: go test ./core/step -update -->\n"
	ends   = "<!-- end of the reference -->\n"
)

// The reference of the language is what the tables of fields say.
func TestTheReferenceIsCurrent(t *testing.T) {
	data, err := os.ReadFile(page)
	if err != nil {
		t.Fatal(err)
	}
	before, rest, found := strings.Cut(string(data), begins)
	kept, after, closed := strings.Cut(rest, ends)
	if !found || !closed {
		t.Fatal("the page has no place for the reference")
	}
	want := flow.TheLanguage().Markdown()
	if *update {
		if err := os.WriteFile(page, []byte(before+begins+want+ends+after), 0o644); err != nil {
			t.Fatal(err)
		}
		return
	}
	if kept != want {
		t.Error("docs/language.md tells of other fields than the kinds have; write it anew with: go test " +
			"./core/step -update")
	}
}

// Every field of every kind says what it is for, in one sentence.
func TestEveryFieldSaysWhatItIsFor(t *testing.T) {
	l := flow.TheLanguage()
	check := func(where string, fields []flow.Field) {
		flow.EachField(fields, func(path string, f flow.Field) {
			if !strings.HasSuffix(f.Help, ".") {
				t.Errorf("%s: %s says %q", where, path, f.Help)
			}
			if f.Holds == "" || f.Meaning() == "" {
				t.Errorf("%s: nothing says what %s holds", where, path)
			}
			if f.Example == "" && f.Holds != flow.HoldsFields && f.Holds != flow.HoldsSteps {
				t.Errorf("%s: %s has no example", where, path)
			}
		})
	}
	check("any step", l.Step)
	check("any connection", l.Connection)
	for _, k := range l.Files {
		check(k.Name, k.Fields)
	}
	for _, k := range l.Steps {
		check(k.Name, k.Fields)
	}
	for _, k := range l.Triggers {
		check(k.Name, k.Fields)
	}
	for _, k := range l.Protocols {
		check(k.Name, k.Fields)
	}
}
