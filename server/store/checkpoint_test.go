package store_test

import (
	"context"
	"os"
	"path/filepath"
	"strings"
	"sync/atomic"
	"testing"
	"time"

	"woolsignal/server/store"
)

// mostLog is more than the log may become, by what is written while it is shortened.
const mostLog = 128 << 20

// TestTheLogIsBoundedWhileSomebodyAlwaysReads writes for as long as three readers take
// turns without a gap, so that the log never stands unread by itself.
func TestTheLogIsBoundedWhileSomebodyAlwaysReads(t *testing.T) {
	folder := t.TempDir()
	s := open(t, folder)
	var end atomic.Bool
	defer end.Store(true)
	for i := range 3 {
		go func() {
			time.Sleep(time.Duration(i) * 40 * time.Millisecond)
			for !end.Load() {
				reads(s, 120*time.Millisecond)
			}
		}()
	}
	longest, written := int64(0), 0
	megabytes := []string{strings.Repeat("x", 1<<20), strings.Repeat("y", 1<<20)} // what stays is not written
	for written < 400<<20 {
		var b store.Batch
		b.Do("INSERT INTO files (path, text, changed, by) VALUES ('one', ?, 0, '') "+
			"ON CONFLICT (path) DO UPDATE SET text = excluded.text", megabytes[written>>20&1])
		if err := s.Write(context.Background(), b); err != nil {
			t.Fatal(err)
		}
		written += 1 << 20
		if log, err := os.Stat(filepath.Join(folder, store.FileName+"-wal")); err == nil {
			longest = max(longest, log.Size())
		}
	}
	t.Logf("%d MiB were written; the log had %d MiB at the most", written>>20, longest>>20)
	if longest > mostLog {
		t.Errorf("the log grew to %d MiB", longest>>20)
	}
}

// reads holds a snapshot for a while, as somebody does who reads a long list.
func reads(s *store.Store, lasts time.Duration) {
	tx, err := s.Read().Begin()
	if err != nil {
		return // the store is closed
	}
	defer tx.Rollback()
	var n int
	if tx.QueryRow("SELECT count(*) FROM files").Scan(&n) == nil {
		time.Sleep(lasts)
	}
}
