package safepath

import (
	"testing"

	"woolsignal/core/fuzztest"
)

func TestPathsStayBelowWhereTheyBegin(t *testing.T) {
	for path, want := range map[string]string{
		"minutes/november.txt": "minutes/november.txt", "/minutes/": "minutes", "a": "a", "a b/ü.txt": "a b/ü.txt",
		"..a/b..": "..a/b..", "": "", "/": "", "//": "", ".": "", "..": "", "./a": "", "a/../b": "", "a/..": "",
		"../a": "", "a//b": "", "a/./b": "", `a\..\b`: "", "a\x00b": "", "a/\nb": "", "/../a": "",
	} {
		got, err := Relative(path)
		if got != want || (err == nil) != (want != "") {
			t.Errorf("%q is read as %q, %v; want %q", path, got, err, want)
		}
	}
	for path, fine := range map[string]bool{"": true, "/": true, "//": false, "a": true, "..": false} {
		if _, err := Folder(path); (err == nil) != fine {
			t.Errorf("the folder %q: %v", path, err)
		}
	}
	for value, fine := range map[string]bool{"a": true, "a/b": true, "...": true, "": false, ".": false, "..": false} {
		if err := Segment(value); (err == nil) != fine {
			t.Errorf("the segment %q: %v", value, err)
		}
	}
}

func FuzzRelative(fuzzed *testing.F) {
	f := fuzztest.New(fuzzed)
	f.Add("a/../b")
	f.Fuzz(func(t *testing.T, path string) {
		if got, err := Relative(path); err == nil {
			if again, err := Relative(got); err != nil || again != got {
				t.Errorf("%q is read as %q, and that as %q, %v", path, got, again, err)
			}
		}
	})
}
