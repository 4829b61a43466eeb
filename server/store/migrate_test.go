package store

import (
	"context"
	"database/sql"
	"path/filepath"
	"testing"
)

// TestDataOfTheFirstVersionGoesOn opens a database of the first schema that
// holds a run, as whoever upgrades has one.
func TestDataOfTheFirstVersionGoesOn(t *testing.T) {
	ctx, folder := context.Background(), t.TempDir()
	first, err := migrations.ReadFile("migrations/0001_first_light.sql")
	if err != nil {
		t.Fatal(err)
	}
	db, err := sql.Open("sqlite", dsn(filepath.Join(folder, FileName), ""))
	if err != nil {
		t.Fatal(err)
	}
	for _, statement := range []string{string(first), "PRAGMA user_version = 1",
		"INSERT INTO definitions (hash, files) VALUES ('old', '{}'), ('new', '{}')",
		"INSERT INTO runs (id, workflow, definition, status, kind, about, seq, accepted) VALUES ('r1', 'depot-slots', 'old', 'done', 'chat', 'hello', 1, 10), ('r2', 'depot-slots', 'new', 'waiting', 'chat', 'again', 1, 20)",
		"INSERT INTO journal (run, seq, entry) VALUES ('r1', 1, '{}'), ('r2', 1, '{}')"} {
		if _, err := db.Exec(statement); err != nil {
			t.Fatal(err)
		}
	}
	if err := db.Close(); err != nil {
		t.Fatal(err)
	}
	s, err := Open(ctx, folder)
	if err != nil {
		t.Fatal(err)
	}
	defer s.Close()
	var version, definition string
	if err := s.Read().QueryRow("SELECT l.version, v.definition FROM live l JOIN versions v ON v.workflow = l.workflow AND v.n = l.version WHERE l.workflow = 'depot-slots' AND l.is_on").Scan(&version, &definition); err != nil {
		t.Fatal(err)
	}
	var runs, indexed int
	if err := s.Read().QueryRow("SELECT (SELECT count(*) FROM runs WHERE wake IS NULL), (SELECT count(*) FROM run_words)").Scan(&runs, &indexed); err != nil {
		t.Fatal(err)
	}
	if version != "1" || definition != "new" || runs != 2 {
		t.Errorf("version %s is %s, %d runs; want the newest definition live and both runs kept", version, definition, runs)
	}
}
