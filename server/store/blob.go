package store

import (
	"context"
	"crypto/sha256"
	"database/sql"
	"encoding/hex"
	"errors"
	"fmt"
	"time"
)

// ErrNoBlob says that no bytes are kept under a hash.
var ErrNoBlob = errors.New("this file is no longer kept")

// BlobHash is what bytes are kept under.
func BlobHash(data []byte) string {
	sum := sha256.Sum256(data)
	return hex.EncodeToString(sum[:])
}

// PutBlob keeps bytes and gives their hash. The same bytes are kept once.
func (s *Store) PutBlob(ctx context.Context, data []byte) (string, error) {
	hash := BlobHash(data)
	var b Batch
	b.Do("INSERT INTO blobs (hash, data, at) VALUES (?, ?, ?) ON CONFLICT DO NOTHING", hash, data, Time(time.Now()))
	if err := s.Write(ctx, b); err != nil {
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
