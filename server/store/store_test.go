package store_test

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"path/filepath"
	"runtime"
	"strings"
	"sync"
	"testing"

	"woolsignal/server/store"
)

func open(t testing.TB, folder string) *store.Store {
	t.Helper()
	s, err := store.Open(context.Background(), folder)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { s.Close() })
	return s
}

func insert(path string) store.Batch {
	var b store.Batch
	b.Do("INSERT INTO files (path, text, changed, by) VALUES (?, 'x', 0, '')", path)
	return b
}

func count(t testing.TB, s *store.Store) (n int) {
	t.Helper()
	if err := s.Read().QueryRow("SELECT count(*) FROM files").Scan(&n); err != nil {
		t.Fatal(err)
	}
	return n
}

func TestManyWritersAreAllDurable(t *testing.T) {
	folder := t.TempDir()
	s := open(t, folder)
	var wg sync.WaitGroup
	for i := range 500 {
		wg.Go(func() {
			if err := s.Write(context.Background(), insert(fmt.Sprint(i))); err != nil {
				t.Error(err)
			}
		})
	}
	wg.Wait()
	if err := s.Close(); err != nil {
		t.Fatal(err)
	}
	if n := count(t, open(t, folder)); n != 500 {
		t.Errorf("%d rows after reopening, want 500", n)
	}
}

func TestABadBatchSpoilsOnlyItself(t *testing.T) {
	s := open(t, t.TempDir())
	var results []<-chan error
	for i := range 50 {
		results = append(results, s.Queue(insert(fmt.Sprint(i%49)))) // one path comes twice
	}
	failed := 0
	for _, r := range results {
		if err := <-r; err != nil {
			failed++
		}
	}
	if failed != 1 || count(t, s) != 49 {
		t.Errorf("%d batches failed and %d rows are there; want 1 and 49", failed, count(t, s))
	}
}

func TestAGuardSkipsItsWholeBatch(t *testing.T) {
	s := open(t, t.TempDir())
	var b store.Batch
	b.Guard("the file is there", "UPDATE files SET text = 'y' WHERE path = 'missing'")
	b.Add(insert("a"))
	if err := s.Write(context.Background(), b); !errors.Is(err, store.ErrGuard) {
		t.Errorf("a guard that touches no row: %v", err)
	}
	if n := count(t, s); n != 0 {
		t.Errorf("the batch behind the guard was written: %d rows", n)
	}
}

func TestReadersCannotWrite(t *testing.T) {
	s := open(t, t.TempDir())
	if _, err := s.Read().Exec("DELETE FROM files"); err == nil {
		t.Error("a reader's connection deleted rows")
	}
}

func TestLaterSchemaIsRefused(t *testing.T) {
	folder := t.TempDir()
	if err := open(t, folder).Close(); err != nil {
		t.Fatal(err)
	}
	db, err := sql.Open("sqlite", filepath.Join(folder, store.FileName))
	if err != nil {
		t.Fatal(err)
	}
	if _, err := db.Exec("PRAGMA user_version = 99"); err != nil {
		t.Fatal(err)
	}
	db.Close()
	if _, err := store.Open(context.Background(), folder); err == nil ||
		!strings.Contains(err.Error(), "later version") {
		t.Errorf("opening data of a later version: %v", err)
	}
}

func TestASecondServiceIsKeptOut(t *testing.T) {
	folder := t.TempDir()
	open(t, folder)
	if _, err := store.Open(context.Background(), folder); err == nil ||
		!strings.Contains(err.Error(), "already using") {
		t.Errorf("opening the same folder twice: %v", err)
	}
}

func TestWritesAfterCloseAreRefused(t *testing.T) {
	s := open(t, t.TempDir())
	s.Close()
	if err := s.Write(context.Background(), insert("a")); !errors.Is(err, store.ErrClosed) {
		t.Errorf("a write after closing: %v", err)
	}
}

// A batch that was handed over is the writer's: a caller who leaves must not
// be told that it failed, for what it then undoes is there.
func TestWhatIsQueuedIsNotReportedAsFailed(t *testing.T) {
	s := open(t, t.TempDir())
	other, err := sql.Open("sqlite", "file:"+s.Path())
	if err != nil {
		t.Fatal(err)
	}
	defer other.Close()
	holder, err := other.Conn(context.Background())
	if err != nil {
		t.Fatal(err)
	}
	if _, err := holder.ExecContext(context.Background(), "BEGIN IMMEDIATE"); err != nil { // the writer waits
		t.Fatal(err)
	}
	ctx, leave := context.WithCancel(context.Background())
	first := s.Queue(insert("before"))
	done := make(chan error, 1)
	go func() { done <- s.Write(ctx, insert("queued")) }()
	for s.Open() < 2 {
		runtime.Gosched()
	}
	leave()
	if err := s.Write(ctx, insert("never handed over")); !errors.Is(err, context.Canceled) {
		t.Errorf("a write of a caller who had left: %v, want context.Canceled", err)
	}
	if _, err := holder.ExecContext(context.Background(), "ROLLBACK"); err != nil {
		t.Fatal(err)
	}
	if err := errors.Join(<-first, <-done); err != nil {
		t.Errorf("the caller left after it was queued: %v, want nil, for it is written", err)
	}
	if n := count(t, s); n != 2 {
		t.Errorf("%d rows, want the two that were handed over", n)
	}
}
