package expr_test

import (
	"encoding/json"
	"os"
	"strings"
	"testing"

	"woolsignal/core/expr"
	"woolsignal/core/fuzztest"
)

// corpus are the expressions whose words are tested.
func corpus(t testing.TB) []string {
	t.Helper()
	text, err := os.ReadFile("testdata/words.txt")
	if err != nil {
		t.Fatal(err)
	}
	var out []string
	for line := range strings.Lines(string(text)) {
		if line = strings.TrimRight(line, "\n"); line != "" && !strings.HasPrefix(line, "#") && line[0] != ' ' {
			out = append(out, line)
		}
	}
	return out
}

// TestFormsAreWrittenAsTheyWere takes expressions apart and puts them together
// again, by way of JSON as a browser would: they mean what they meant.
func TestFormsAreWrittenAsTheyWere(t *testing.T) {
	whole := 0
	for _, source := range corpus(t) {
		form := expr.ReadForm(source)
		data, err := json.Marshal(form)
		if err != nil {
			t.Fatal(err)
		}
		var back expr.Form
		if err := json.Unmarshal(data, &back); err != nil {
			t.Fatal(err)
		}
		code, err := back.Code()
		if err != nil {
			t.Errorf("%s: %v", source, err)
			continue
		}
		again, err := expr.ReadForm(code).Code()
		if err != nil || again != code {
			t.Errorf("%s is written %s, and that %s (%v)", source, code, again, err)
		}
		if said(t, code) != said(t, source) {
			t.Errorf("%s became %s: “%s” was “%s”", source, code, said(t, code), said(t, source))
		}
		if form.Is != expr.FormCode {
			whole++
		}
	}
	if whole < 200 {
		t.Errorf("only %d expressions have a form", whole)
	}
}

// said tells a condition in words, which differ where the meaning does.
func said(t *testing.T, source string) string {
	t.Helper()
	p, err := expr.Compile(source)
	if err != nil {
		return err.Error()
	}
	return expr.PlainWords(p.Words(expr.Naming{Name: func(path []string) string { return strings.Join(path, ".") }}))
}

// TestRowsAndChainsAreRecognised reads conditions as rows and sums as chains.
func TestRowsAndChainsAreRecognised(t *testing.T) {
	for source, want := range map[string]string{
		"net.kg <= 0": `{"is":"compare","name":"at_most","of":[{"is":"value","path":["net","kg"]},` +
			`{"is":"literal","value":0}]}`,
		`net.notes == ""`: `{"is":"compare","name":"empty","of":[{"is":"value","path":["net","notes"]}]}`,
		`!(a.b in ["x"])`: `{"is":"compare","name":"none_of","of":[{"is":"value","path":["a","b"]},` +
			`{"is":"list","of":[{"is":"literal","value":"x"}]}]}`,
		"a && (b || !c)": `{"is":"all","of":[{"is":"value","path":["a"]},{"is":"any","of":[{"is":"value",` +
			`"path":["b"]},{"is":"not","of":[{"is":"value","path":["c"]}]}]}]}`,
		"round(sum(rows.map(r, r.due)), 2)": `{"is":"link","name":"round","of":[{"is":"link","name":"add_up","of":[` +
			`{"is":"link","name":"take","as":"r","of":[{"is":"value","path":["rows"]},{"is":"value",` +
			`"path":["r","due"]}]}]},{"is":"literal","value":2}]}`,
		"-3": `{"is":"literal","value":-3}`,
	} {
		if got, _ := json.Marshal(expr.ReadForm(source)); string(got) != want {
			t.Errorf("%s is\n%s, want\n%s", source, got, want)
		}
	}
}

// TestFormsThatCannotBeWritten names what is wrong with them.
func TestFormsThatCannotBeWritten(t *testing.T) {
	for data, want := range map[string]string{
		`{"is":"guess"}`: "no form", `{"is":"value"}`: "has a name", `{"is":"value","path":["a b"]}`: "is none",
		`{"is":"reckon","name":"^","of":[]}`:                                       "no sign",
		`{"is":"compare","name":"is","of":[]}`:                                     "of 2 parts",
		`{"is":"compare","name":"near","of":[]}`:                                   "nothing compares",
		`{"is":"link","name":"take","of":[{"is":"code","text":"a"}]}`:              "takes 1 value",
		`{"is":"link","name":"fly","of":[]}`:                                       "no link",
		`{"is":"link","name":"where","as":"1","of":[{"is":"list"},{"is":"list"}]}`: "cannot name one item",
		`{"is":"map","keys":["a"]}`:                                                "has 0 values",
		`{"is":"literal","value":[1,2]}`:                                           "no plain value",
	} {
		var form expr.Form
		if err := json.Unmarshal([]byte(data), &form); err != nil {
			t.Fatal(err)
		}
		if code, err := form.Code(); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%s is written %q, %v", data, code, err)
		}
	}
}

// FuzzForm takes apart whatever is written: what comes of it is written again
// the same.
func FuzzForm(fuzzed *testing.F) {
	f := fuzztest.New(fuzzed)
	for _, source := range corpus(f) {
		f.Add(source)
	}
	f.Fuzz(func(t *testing.T, source string) {
		code, err := expr.ReadForm(source).Code()
		if err != nil {
			t.Skip()
		}
		if again, err := expr.ReadForm(code).Code(); err != nil || again != code {
			t.Errorf("%q is written %q, and that %q (%v)", source, code, again, err)
		}
	})
}
