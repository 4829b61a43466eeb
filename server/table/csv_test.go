package table

import (
	"strings"
	"testing"

	"woolsignal/core/flow"
	"woolsignal/core/fuzztest"
)

// FuzzImport reads CSV that anybody may have written; what is taken has no
// column the table lacks.
func FuzzImport(fuzzed *testing.F) {
	f := fuzztest.New(fuzzed)
	f.Add("sample,microns\nFT-1,29.5\n")
	f.Add("\ufeffsample\n\"=1+1\"\n'=1\n")
	f.Add("sample,sample\n1,2\n\n\"")
	t := &Table{Of: &flow.Table{ID: "fibre-tests", Title: "Fibre tests", Unique: "sample", Columns: []flow.Column{
		{Name: "sample", Type: "text"}, {Name: "microns", Type: "number"}, {Name: "fine", Type: "yes_no"}}}}
	f.Fuzz(func(test *testing.T, text string) {
		rows, err := t.parse(text)
		if err != nil {
			return
		}
		if len(rows) > strings.Count(text, "\n")+strings.Count(text, "\r")+1 {
			test.Errorf("%d rows of %d lines", len(rows), strings.Count(text, "\n"))
		}
		for _, row := range rows {
			for name := range row {
				if t.Of.Column(name) == nil {
					test.Errorf("a row has %q", name)
				}
			}
		}
	})
}
