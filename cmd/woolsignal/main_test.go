package main

import (
	"errors"
	"reflect"
	"slices"
	"testing"
	"time"
)

func TestFlagsMayStandAnywhere(t *testing.T) {
	for _, args := range [][]string{{"-n", "3", "a", "b"}, {"a", "-n", "3", "b"}, {"a", "b", "-n=3"}} {
		f := (&app{errs: t.Output()}).flags("test")
		n := f.Int("n", 0, "")
		rest, err := parse(f, args, 2, 2)
		if err != nil || *n != 3 || !slices.Equal(rest, []string{"a", "b"}) {
			t.Errorf("%v: %v, n = %d, %v", args, rest, *n, err)
		}
	}
	f := (&app{errs: t.Output()}).flags("test")
	if _, err := parse(f, []string{"a"}, 2, 2); !errors.Is(err, errMisuse) {
		t.Errorf("too few arguments: %v", err)
	}
}

func TestEditsKeepTheirKind(t *testing.T) {
	e := edits{}
	for _, s := range []string{"price=2.5", "reason=Trailer is off the road", "note=a=b", `lots=[14,15]`} {
		if err := e.Set(s); err != nil {
			t.Fatal(err)
		}
	}
	want := edits{"price": 2.5, "reason": "Trailer is off the road", "note": "a=b", "lots": []any{14.0, 15.0}}
	if !reflect.DeepEqual(e, want) {
		t.Errorf("%v, want %v", e, want)
	}
	if err := e.Set("nothing"); err == nil {
		t.Error("an edit without = was taken")
	}
}

func TestDurationsForPeople(t *testing.T) {
	at := time.Date(2026, 11, 23, 10, 0, 0, 0, time.UTC)
	for d, want := range map[time.Duration]string{300 * time.Microsecond: "<1 ms", 58 * time.Millisecond: "58 ms",
		1500 * time.Millisecond:        "1.5 s",
		4*time.Minute + 12*time.Second: "4 min 12 s", 26*time.Hour + 5*time.Minute: "26 h 5 min"} {
		to := at.Add(d)
		if got := took(at, &to); got != want {
			t.Errorf("%s is said as %q, want %q", d, got, want)
		}
	}
	if got := took(at, nil); got != "" {
		t.Errorf("what has not ended took %q", got)
	}
}

func TestDifferencesBeforeApplying(t *testing.T) {
	got := differences(map[string]string{"a": "1", "b": "1", "c": "1"}, map[string]string{"a": "1", "b": "2", "d": "1"})
	if want := []string{"changed  b", "removed  c", "new      d"}; !slices.Equal(got, want) {
		t.Errorf("%q, want %q", got, want)
	}
}

func TestClipKeepsWholeCharacters(t *testing.T) {
	if got := oneLine("für  zwölf\nFliesen", 8); got != "für zwö…" {
		t.Errorf("%q", got)
	}
}
