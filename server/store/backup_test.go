package store

import (
	"context"
	"errors"
	"os"
	"path/filepath"
	"strings"
	"testing"
)

func count(t *testing.T, s *Store) (n int) {
	t.Helper()
	if err := s.Read().QueryRow("SELECT count(*) FROM settings").Scan(&n); err != nil {
		t.Fatal(err)
	}
	return n
}

func set(t *testing.T, s *Store, name string) {
	t.Helper()
	var b Batch
	b.Do("INSERT INTO settings (name, value) VALUES (?, 'x')", name)
	if err := s.Write(context.Background(), b); err != nil {
		t.Fatal(err)
	}
}

func TestABackupIsOfOneMomentAndComesBack(t *testing.T) {
	ctx, folder := context.Background(), t.TempDir()
	s, err := Open(ctx, folder)
	if err != nil {
		t.Fatal(err)
	}
	set(t, s, "before")
	file := filepath.Join(t.TempDir(), "copy.db")
	if err := s.Backup(ctx, file); err != nil {
		t.Fatal(err)
	}
	set(t, s, "after")
	if _, err := Restore(ctx, file, folder); err == nil || !strings.Contains(err.Error(), "already using") {
		t.Errorf("into an open store: %v", err)
	}
	if err := s.Close(); err != nil {
		t.Fatal(err)
	}
	before, err := Restore(ctx, file, folder)
	if err != nil || before == "" {
		t.Fatalf("%q %v", before, err)
	}
	if s, err = Open(ctx, folder); err != nil {
		t.Fatal(err)
	}
	if n := count(t, s); n != 1 {
		t.Errorf("%d settings after restoring, want the one of before", n)
	}
	if err := s.Close(); err != nil {
		t.Fatal(err)
	}
	// What was there before can be restored in turn.
	if _, err := Restore(ctx, before, folder); err != nil {
		t.Fatal(err)
	}
	if s, err = Open(ctx, folder); err != nil {
		t.Fatal(err)
	}
	defer s.Close()
	if n := count(t, s); n != 2 {
		t.Errorf("%d settings after taking it back, want 2", n)
	}
}

func TestABackupOfALaterVersionIsRefused(t *testing.T) {
	ctx, folder := context.Background(), t.TempDir()
	s, err := Open(ctx, folder)
	if err != nil {
		t.Fatal(err)
	}
	if _, err := s.db.Exec("PRAGMA user_version = 99"); err != nil {
		t.Fatal(err)
	}
	file := filepath.Join(t.TempDir(), "copy.db")
	if err := s.Backup(ctx, file); err != nil {
		t.Fatal(err)
	}
	s.Close()
	fresh := t.TempDir()
	if _, err := Restore(ctx, file, fresh); err == nil || !strings.Contains(err.Error(), "another version") {
		t.Errorf("%v", err)
	}
	if left, err := os.ReadDir(fresh); err != nil || len(left) != 0 {
		t.Errorf("a refusal left %v (%v)", left, err)
	}
}

// TestSeveralGuardsAreOne has the second guard of a batch fail after the first
// touched a row.
func TestSeveralGuardsAreOne(t *testing.T) {
	ctx := context.Background()
	s, err := Open(ctx, t.TempDir())
	if err != nil {
		t.Fatal(err)
	}
	defer s.Close()
	set(t, s, "a")
	var b Batch
	b.Guard("a is there", "UPDATE settings SET value = 'changed' WHERE name = 'a'")
	b.Guard("nosuch is there", "UPDATE settings SET value = 'changed' WHERE name = 'nosuch'")
	b.Do("INSERT INTO settings (name, value) VALUES ('b', 'x')")
	if err := s.Write(ctx, b); err == nil || errors.Is(err, ErrGuard) || !strings.Contains(err.Error(), "savepoint") {
		t.Fatalf("two guards without a savepoint: %v", err)
	}
	b.Savepoint()
	if err := s.Write(ctx, b); !errors.Is(err, ErrGuard) || !strings.Contains(err.Error(), "nosuch is there") {
		t.Fatal(err)
	}
	var value string
	if err := s.Read().QueryRow("SELECT value FROM settings WHERE name = 'a'").Scan(&value); err != nil ||
		value != "x" || count(t, s) != 1 {
		t.Errorf("a skipped batch left a = %q (%v)", value, err)
	}
}
