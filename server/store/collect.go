package store

import (
	"bytes"
	"context"
	"fmt"
	"regexp"
	"time"
)

// hashes finds what may be the hash of a blob in a record, however it is written.
var hashes = regexp.MustCompile(`[0-9a-f]{64}`)

// referring are the records beside the journal that may refer to blobs: rows,
// samples and what was deleted, signals that nobody took yet, and memories.
var referring = []string{
	"SELECT data FROM table_rows", "SELECT data FROM row_changes", "SELECT text FROM files", "SELECT text FROM bin",
	"SELECT signal FROM inbox", "SELECT messages FROM memory", "SELECT fact FROM facts",
}

// pageOfJournal is how many entries are read in one go, so that no read holds
// the log up for long.
const pageOfJournal = 1000

// Collect deletes the blobs kept before a time that no run, row or sample refers
// to, and gives how many and how many bytes that were. What runs refer to stays
// as long as they do, and is not looked for again.
func (s *Store) Collect(ctx context.Context, before time.Time) (n int, freed int64, err error) {
	loose, behind, err := s.loose(ctx, before)
	if err != nil || len(loose) == 0 {
		return 0, 0, err
	}
	runs, end, err := s.inJournal(ctx, loose, behind)
	if err != nil {
		return 0, 0, err
	}
	kept := map[string]bool{}
	for _, query := range referring {
		if err := s.refersTo(ctx, loose, kept, query); err != nil {
			return 0, 0, err
		}
	}
	var b Batch
	for hash, one := range loose {
		switch {
		case runs[hash]:
			b.Do("UPDATE blobs SET run = 1 WHERE hash = ?", hash)
		case kept[hash]:
			b.Do("UPDATE blobs SET behind = ? WHERE hash = ?", end, hash)
		default: // unless somebody brought the same bytes meanwhile
			b.Do("DELETE FROM blobs WHERE hash = ? AND at = ?", hash, one.at)
			n, freed = n+1, freed+one.size
		}
	}
	return n, freed, s.Write(ctx, b)
}

// looseBlob is one no run is known to refer to.
type looseBlob struct{ at, size int64 }

// loose gives those that were kept before a time, and the place in the journal up to which
// nothing refers to any.
func (s *Store) loose(ctx context.Context, before time.Time) (found map[string]looseBlob, behind int64, err error) {
	rows, err := s.read.QueryContext(ctx, "SELECT hash, at, size, behind FROM blobs WHERE run = 0 AND at < ?",
		Time(before))
	if err != nil {
		return nil, 0, fmt.Errorf("store: %w", err)
	}
	defer rows.Close()
	found = map[string]looseBlob{}
	for rows.Next() {
		var hash string
		var one looseBlob
		var since int64
		if err := rows.Scan(&hash, &one.at, &one.size, &since); err != nil {
			return nil, 0, fmt.Errorf("store: %w", err)
		}
		if len(found) == 0 || since < behind {
			behind = since
		}
		found[hash] = one
	}
	return found, behind, rows.Err()
}

// inJournal tells which blobs entries behind a place refer to, and where the
// journal ended.
func (s *Store) inJournal(ctx context.Context, loose map[string]looseBlob, behind int64) (found map[string]bool,
	end int64, err error) {
	found = map[string]bool{}
	if err := s.read.QueryRowContext(ctx, "SELECT coalesce(max(n), 0) FROM journal").Scan(&end); err != nil {
		return nil, 0, fmt.Errorf("store: %w", err)
	}
	for at := behind; at < end && len(found) < len(loose); at += pageOfJournal {
		if err := s.refersTo(ctx, loose, found, "SELECT entry FROM journal WHERE n > ? AND n <= ?", at,
			at+pageOfJournal); err != nil {
			return nil, 0, err
		}
	}
	return found, end, nil
}

// refersTo adds the blobs that the records of a query name.
func (s *Store) refersTo(ctx context.Context, loose map[string]looseBlob, found map[string]bool, query string,
	args ...any) error {
	rows, err := s.read.QueryContext(ctx, query, args...)
	if err != nil {
		return fmt.Errorf("store: %w", err)
	}
	defer rows.Close()
	var record []byte
	for rows.Next() {
		if err := rows.Scan(&record); err != nil {
			return fmt.Errorf("store: %w", err)
		}
		if !bytes.Contains(record, []byte("blob")) {
			continue
		}
		for _, hash := range hashes.FindAll(record, -1) {
			if _, one := loose[string(hash)]; one {
				found[string(hash)] = true
			}
		}
	}
	return rows.Err()
}
