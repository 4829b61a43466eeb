package expr_test

import (
	"bufio"
	"os"
	"strings"
	"testing"

	"woolsignal/core/expr"
	"woolsignal/core/fuzztest"
)

// TestExpressionsInWords holds every expression of testdata/words.txt against
// its words, which stand on the line below it.
func TestExpressionsInWords(t *testing.T) {
	file, err := os.Open("testdata/words.txt")
	if err != nil {
		t.Fatal(err)
	}
	defer file.Close()
	lines, count := bufio.NewScanner(file), 0
	for lines.Scan() {
		source := lines.Text()
		if source == "" || strings.HasPrefix(source, "#") {
			continue
		}
		lines.Scan()
		want := strings.TrimSpace(lines.Text())
		count++
		p, err := expr.Compile(source)
		if err != nil {
			t.Errorf("%s: %v", source, err)
			continue
		}
		if got := expr.PlainWords(p.Words(naming)); got != want {
			t.Errorf("%s\n  reads %s\n  want  %s", source, got, want)
		}
	}
	if count < 200 {
		t.Errorf("%d expressions are held against their words, and two hundred are meant", count)
	}
}

var naming = expr.Naming{Name: named, Kind: func(path []string) string {
	return map[string]string{"name": "text"}[path[len(path)-1]]
}}

// named names what came in by its last name, and all else as usual.
func named(path []string) string {
	if path[0] == "signal" {
		return expr.PlainName(path[len(path)-1:])
	}
	return expr.PlainName(path)
}

// TestWordsKnowTheirValues looks at the pieces a page makes chips of.
func TestWordsKnowTheirValues(t *testing.T) {
	p, err := expr.Compile(`rows.filter(r, r.kg > net.kg).map(r, r.name.charAt(0)) == "x"`)
	if err != nil {
		t.Fatal(err)
	}
	var got []string
	for _, w := range p.Words(naming) {
		if w.How != "" {
			got = append(got, w.How+" "+w.Text+" "+strings.Join(w.Path, "."))
		}
	}
	want := []string{"code r.name.charAt(0) ", "value rows rows", "value kg ", "value kg of net net.kg",
		"literal “x” "}
	if strings.Join(got, "|") != strings.Join(want, "|") {
		t.Errorf("the pieces are %q, want %q", got, want)
	}
}

// TestConditionsAreClaims tells what holds or does not from what is a value.
func TestConditionsAreClaims(t *testing.T) {
	for source, want := range map[string]string{
		"account.open":                    "open of account is yes",
		"!account.open":                   "open of account is no",
		"account.open && !signal.late":    "open of account is yes and late is no",
		"signal.body.?late.orValue(true)": "late, or yes",
	} {
		p, err := expr.Compile(source)
		if err != nil {
			t.Fatal(err)
		}
		if got := expr.PlainWords(p.ConditionWords(naming)); got != want {
			t.Errorf("%s reads %q, want %q", source, got, want)
		}
	}
}

func FuzzWords(fuzzed *testing.F) {
	f := fuzztest.New(fuzzed)
	f.Add("rows.filter(r, r.kg > 3 && !(r.kind in ['a', 'b'])).map(r, {'kg': r.kg})[0].?kg.orValue(1)")
	f.Add("cel.bind(x, [1, 2], x.map(i, i + x[0]))")
	f.Fuzz(func(t *testing.T, source string) {
		p, err := expr.Compile(source)
		if err != nil {
			return
		}
		if expr.PlainWords(p.Words(naming)) == "" {
			t.Errorf("%q has no words", source)
		}
	})
}
