package intake

import (
	"context"
	"strings"
	"testing"

	"woolsignal/server/testbed"
)

// A source that trips a reader of ours up fails with a plain reason, as often
// as it is looked at, and the other sources are looked at all the same. One
// that ended the whole process twice is left alone until a file is changed.
func TestASourceThatTripsAReaderUpFails(t *testing.T) {
	l := lookouts(t, "row: {table: tests, happens: added}")
	files := l.bed.Workspace.Now().Files
	files["workflows/dates.yaml"] = "workflow: dates\ntitle: Dates\ntriggers:\n  - id: it\n" +
		"    lambing: {ewe: odd_stone}\nsteps:\n  - compute: {x: signal.subject}\n"
	l.bed.Add(t, files)
	problem := func() (text string) {
		t.Helper()
		if err := l.bed.Store.Read().QueryRow("SELECT problem FROM looks WHERE source = 'lambing odd_stone'").
			Scan(&text); err != nil {
			t.Fatal(err)
		}
		return text
	}
	for range 3 {
		l.look()
		if got := problem(); !strings.Contains(got, "the service itself went wrong over this") {
			t.Errorf("what is said of it: %s", got)
		}
	}
	addRow(t, l.bed, "FT-1")
	l.sees("Tests, row 1")
	before := stumbled.Load()
	for range 2 {
		if err := l.w.Engine.Ended(context.Background(), "look lambing odd_stone",
			"the stack overflowed"); err != nil {
			t.Fatal(err)
		}
	}
	if err := l.w.Engine.Start(context.Background()); err != nil {
		t.Fatal(err)
	}
	l.look()
	if got := problem(); stumbled.Load() != before ||
		!strings.Contains(got, "ended the whole service 2 times (the stack overflowed)") {
		t.Errorf("looked at %d times more, and it says: %s", stumbled.Load()-before, got)
	}
	if err := l.w.Engine.Retry(context.Background(), lookWork); err != nil {
		t.Fatal(err)
	}
	if l.look(); stumbled.Load() == before {
		t.Error("it is not looked at again after a file was changed")
	}
}

func addRow(t *testing.T, bed *testbed.Bed, sample string) {
	t.Helper()
	if _, err := rowsOf(bed).Add(context.Background(), map[string]any{"sample": sample}, "", ""); err != nil {
		t.Fatal(err)
	}
}
