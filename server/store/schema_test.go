package store

import (
	"context"
	"database/sql"
	"fmt"
	"path/filepath"
	"strings"
	"testing"
)

// Data that another version wrote is refused in plain words, and left as it is.
func TestDataOfAnotherVersionIsRefused(t *testing.T) {
	for form, words := range map[int]string{version - 1: fmt.Sprint("form ", version-1,
		", written by an earlier version"), 3: "form 3, written by an earlier version", version +
		1: fmt.Sprint("form ", version+1, ", written by a later version"), 0: "form 0, written by an earlier version"} {
		folder := t.TempDir()
		db, err := sql.Open("sqlite", dsn(filepath.Join(folder, FileName), ""))
		if err != nil {
			t.Fatal(err)
		}
		if _, err := db.Exec(fmt.Sprintf("CREATE TABLE runs (id TEXT); INSERT INTO runs VALUES ('r1'); PRAGMA "+
			"user_version = %d", form)); err != nil {
			t.Fatal(err)
		}
		if _, err := Open(context.Background(), folder); err == nil || !strings.Contains(err.Error(), words) {
			t.Errorf("form %d: %v", form, err)
		}
		var kept string
		if err := db.QueryRow("SELECT id FROM runs").Scan(&kept); err != nil || kept != "r1" {
			t.Errorf("form %d: what was there is %q, %v", form, kept, err)
		}
		db.Close()
	}
}
