package workspace_test

import (
	"context"
	"errors"
	"fmt"
	"testing"

	"woolsignal/server/workspace"
)

// Whoever writes may leave at any moment. Then either nothing was written, or
// what is in memory says what is in the database.
func TestMemoryFollowsTheDatabaseThoughTheCallerLeaves(t *testing.T) {
	b := bed(t)
	for n := range 40 {
		ctx, leave := context.WithCancel(context.Background())
		go leave()
		_, err := b.Workspace.Apply(ctx,
			workspace.Change{Files: changed(b, "workflows/echo.yaml", echo+fmt.Sprintf("  - label: {as: [n%d]}\n", n)),
				By: "Ines"})
		if err == nil {
			_, _, err = b.Workspace.Publish(ctx, "echo", "", "Ines")
		}
		if err == nil {
			err = b.Workspace.Switch(ctx, "echo", n%2 == 0)
		}
		if err != nil && !errors.Is(err, context.Canceled) {
			t.Fatal(err)
		}
		kept, err := workspace.Open(context.Background(), b.Store, b.Kit, b.Secrets, nil)
		if err != nil {
			t.Fatal(err)
		}
		memory, disk := b.Workspace.Now(), kept.Now()
		if memory.Files["workflows/echo.yaml"] != disk.Files["workflows/echo.yaml"] {
			t.Fatalf("round %d: another file in memory than in the database", n)
		}
		is, was := memory.Live["echo"], disk.Live["echo"]
		if is == nil || is.Version != was.Version || is.On != was.On || is.Hash != was.Hash {
			t.Fatalf("round %d: in memory %+v is live, in the database %+v", n, is, was)
		}
	}
}

// A workspace is never seen half read: what is live stays live for whoever
// looks while files are written.
func TestWhatIsLiveStaysLiveWhileFilesAreWritten(t *testing.T) {
	b, ctx := bed(t), context.Background()
	stop, gone := make(chan struct{}), make(chan struct{})
	go func() {
		defer close(gone)
		for {
			select {
			case <-stop:
				return
			default:
			}
			if _, _, err := b.Workspace.Definition(ctx, "echo"); err != nil {
				t.Errorf("in the middle of a write: %v", err)
				return
			}
		}
	}()
	for n := range 20 {
		if _, err := b.Workspace.Apply(ctx,
			workspace.Change{Files: changed(b, "workflows/echo.yaml", echo+fmt.Sprintf("  - label: {as: [n%d]}\n", n)),
				By: "Ines"}); err != nil {
			t.Fatal(err)
		}
	}
	close(stop)
	<-gone
}
