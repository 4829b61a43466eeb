package table_test

import (
	"context"
	"testing"

	"woolsignal/core/flow"
	"woolsignal/server/store"
	"woolsignal/server/table"
)

func openTable(t *testing.T) *table.Table {
	t.Helper()
	s, err := store.Open(context.Background(), t.TempDir())
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { s.Close() })
	return &table.Table{Store: s, Of: &flow.Table{ID: "jobs", Title: "Jobs", Unique: "name",
		Columns: []flow.Column{{Name: "name", Type: "text", Most: 40}, {Name: "state", Type: "text", Most: 40}}}}
}

func adds(t *testing.T, jobs *table.Table, name, call string) table.Row {
	t.Helper()
	row, err := jobs.Add(context.Background(), map[string]any{"name": name, "state": "open"}, call, "r1")
	if err != nil {
		t.Fatal(err)
	}
	return row
}

// A call that is sent again after a crash finds what it did the first time, though its row was removed since.
func TestACallAddsItsRowOnce(t *testing.T) {
	jobs, ctx := openTable(t), context.Background()
	first := adds(t, jobs, "ram", "r1:0:1")
	if again := adds(t, jobs, "ram", "r1:0:1"); again.N != first.N {
		t.Errorf("the call sent again is told of row %d, and added %d", again.N, first.N)
	}
	if err := jobs.Remove(ctx, first.N); err != nil {
		t.Fatal(err)
	}
	if again := adds(t, jobs, "ram", "r1:0:1"); again.N != first.N || again.Values["name"] != "ram" {
		t.Errorf("after its row is removed the call is told of %+v, and added row %d", again, first.N)
	}
	if n, err := jobs.Count(ctx); n != 0 || err != nil {
		t.Errorf("%d rows are there after the only one was removed (%v)", n, err)
	}
	if other := adds(t, jobs, "ram", "r1:0:2"); other.N == first.N {
		t.Error("another call adds no row of its own")
	}
}

// A call that is sent again does not undo what somebody else wrote in the meantime.
func TestACallChangesItsRowOnce(t *testing.T) {
	jobs, ctx := openTable(t), context.Background()
	row := adds(t, jobs, "ram", "r1:0:1")
	for _, step := range []struct{ state, call, gives string }{
		{"taken", "r1:0:2", "taken"}, {"done", "", "done"}, {"taken", "r1:0:2", "taken"},
	} {
		got, err := jobs.Update(ctx, row.N, map[string]any{"state": step.state}, step.call, "r1")
		if err != nil || got.Values["state"] != step.gives {
			t.Fatalf("%+v gives %+v, %v", step, got, err)
		}
	}
	if now, err := jobs.Get(ctx, row.N); err != nil || now.Values["state"] != "done" {
		t.Errorf("the row is %+v (%v), and somebody wrote done", now, err)
	}
}
