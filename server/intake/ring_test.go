package intake

import (
	"context"
	"strings"
	"testing"
	"time"

	"woolsignal/server/table"
	"woolsignal/server/testbed"
)

func rowsOf(bed *testbed.Bed) *table.Table {
	return &table.Table{Of: bed.Workspace.Now().Tables["tests"], Store: bed.Store}
}

// A workflow on a table that adds to that table stops, with a failure that
// names the runs that started one another.
func TestRowsThatStartThemselvesStop(t *testing.T) {
	l := lookouts(t, "row: {table: tests, happens: added}")
	files := l.bed.Workspace.Now().Files
	files["woolsignal.yaml"] = "name: Larkrigg\nzone: Europe/London\nlimits: {links: 5}\n"
	files["workflows/watch.yaml"] = "workflow: watch\ntitle: Watch\ntriggers:\n  - id: it\n" +
		"    row: {table: tests, happens: added}\nsteps:\n  - tool: tests/add\n" +
		"    args: {sample: '${signal.body.sample + \"x\"}'}\n"
	l.bed.Add(t, files)
	ctx, stop := context.WithCancel(context.Background())
	defer stop()
	if err := l.w.Engine.Start(ctx); err != nil {
		t.Fatal(err)
	}
	l.look()
	addRow(t, l.bed, "a")
	failed := func() (because string) {
		_ = l.bed.Store.Read().QueryRow("SELECT because FROM runs WHERE status = 'failed'").Scan(&because)
		return because
	}
	for end := time.Now().Add(20 * time.Second); failed() == ""; l.look() {
		if time.Now().After(end) {
			t.Fatal("it never stops")
		}
	}
	if because := failed(); !strings.Contains(because, "5 runs in a row started one another: watch (") ||
		!strings.Contains(because, "→ watch. It stops here") {
		t.Errorf("it says: %s", because)
	}
	l.look()
	n, err := rowsOf(l.bed).Count(ctx)
	if err != nil || n != 6 {
		t.Errorf("%d rows, %v; want the first and one of each of five runs", n, err)
	}
}
