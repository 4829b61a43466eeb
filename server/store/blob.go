package store

import (
	"context"
	"crypto/sha256"
	"database/sql"
	"encoding/hex"
	"errors"
	"fmt"
	"math"
	"time"
)

// ErrNoBlob says that no bytes are kept under a hash.
var ErrNoBlob = errors.New("this file is no longer kept")

// BlobHash is what bytes are kept under.
func BlobHash(data []byte) string {
	sum := sha256.Sum256(data)
	return hex.EncodeToString(sum[:])
}

// ErrNoRoom says that strangers have left as much within a day as they may.
var ErrNoRoom = errors.New("strangers have left as much here today as they may; raise -strangers-room, or wait")

// StrangersRoom is how much strangers may leave within a day where nobody says
// otherwise, in bytes.
const StrangersRoom = 1 << 30

// PutBlob keeps bytes and gives their hash. The same bytes are kept once.
func (s *Store) PutBlob(ctx context.Context, data []byte) (string, error) {
	return s.putBlob(ctx, data, false)
}

// LeaveBlob is PutBlob for what somebody leaves who showed no key: a form's file,
// an attachment. The error is [ErrNoRoom] where there is no room for it.
func (s *Store) LeaveBlob(ctx context.Context, data []byte) (string, error) {
	return s.putBlob(ctx, data, true)
}

func (s *Store) putBlob(ctx context.Context, data []byte, stranger bool) (string, error) {
	hash, now := BlobHash(data), time.Now()
	room := int64(math.MaxInt64)
	if stranger {
		room = s.Room.Load()
	}
	var b Batch
	b.Guard("there is room for it",
		"INSERT INTO blobs (hash, data, size, at, stranger, behind) SELECT ?1, ?2, ?3, ?4, ?5, "+
			"(SELECT coalesce(max(n), 0) FROM journal) WHERE ?6 >= ?3 + CASE WHEN ?5 THEN "+
			"(SELECT coalesce(sum(size), 0) FROM blobs WHERE stranger = 1 AND at > ?7 AND hash != ?1) ELSE 0 END "+
			"ON CONFLICT (hash) DO UPDATE SET at = excluded.at",
		hash, data, len(data), Time(now), stranger, room, Time(now.Add(-24*time.Hour)))
	err := s.Write(ctx, b)
	if errors.Is(err, ErrGuard) {
		return "", ErrNoRoom
	} else if err != nil {
		return "", fmt.Errorf("store: a file could not be kept: %w", err)
	}
	return hash, nil
}

// Blob gives the bytes kept under a hash. The error is [ErrNoBlob] where
// there are none.
func (s *Store) Blob(ctx context.Context, hash string) ([]byte, error) {
	var data []byte
	err := s.read.QueryRowContext(ctx, "SELECT data FROM blobs WHERE hash = ?", hash).Scan(&data)
	if errors.Is(err, sql.ErrNoRows) {
		return nil, ErrNoBlob
	}
	return data, err
}
