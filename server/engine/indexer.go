package engine

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"strconv"
	"time"

	"woolsignal/server/store"
)

// indexAfter is how long after journals grew the words of new runs are
// indexed, a few at a time, and only while the writer has nothing else to do:
// searching costs the path of a run nothing. What is not indexed yet is looked
// through word by word, so that no more than mostUnindexed may wait.
const (
	indexAfter    = 500 * time.Millisecond
	indexAtOnce   = 100
	mergeAtOnce   = 16 // pages of the index: what a hundred runs make of it, on all its levels
	mostUnindexed = 50_000
)

// index puts the words of new runs into the full-text index until the engine
// stops. The index can be built again from the runs.
func (e *Engine) index() {
	for {
		all, err := e.indexNew(e.ctx)
		if err != nil && e.ctx.Err() == nil {
			e.log.Error("new runs could not be indexed", "error", err)
		}
		if all { // nothing more until a journal grows
			select {
			case <-e.entered:
			case <-e.ctx.Done():
				return
			}
		}
		select {
		case <-time.After(indexAfter):
		case <-e.ctx.Done():
			return
		}
	}
}

// indexNew indexes what came since the last time, as far as the writer is
// idle or too much waits, and tells whether that was all.
func (e *Engine) indexNew(ctx context.Context) (all bool, err error) {
	var text string
	err = e.store.Read().QueryRowContext(ctx, "SELECT value FROM settings WHERE name = 'indexed'").Scan(&text)
	if err != nil && !errors.Is(err, sql.ErrNoRows) {
		return false, fmt.Errorf("engine: %w", err)
	}
	done, _ := strconv.ParseInt(text, 10, 64)
	for ctx.Err() == nil {
		var newest sql.NullInt64
		if err := e.store.Read().QueryRowContext(ctx, "SELECT max(n) FROM journal").Scan(&newest); err != nil {
			return false, fmt.Errorf("engine: %w", err)
		}
		if newest.Int64 <= done {
			return true, nil
		}
		if !e.store.Idle() && newest.Int64-done < mostUnindexed {
			return false, nil
		}
		b, last, err := e.words(ctx, done)
		if err != nil || last == done {
			return err == nil, err
		}
		b.Do("INSERT INTO run_words (run_words, rank) VALUES ('merge', ?)", mergeAtOnce)
		b.Do("INSERT INTO settings (name, value) VALUES ('indexed', ?) ON CONFLICT (name) DO UPDATE SET value = "+
			"excluded.value", strconv.FormatInt(last, 10))
		if err := e.store.Write(ctx, b); err != nil {
			return false, fmt.Errorf("engine: %w", err)
		}
		done = last
	}
	return false, nil
}

// words gives the next few runs' words as statements, and the number of the
// last journal entry that was looked at. A run is indexed under the number of
// its first entry: with what it is about, and once it failed, with why.
func (e *Engine) words(ctx context.Context, after int64) (store.Batch, int64, error) {
	rows, err := e.store.Read().QueryContext(ctx, `SELECT j.n, first.n, r.about,
			CASE WHEN r.status IN ('failed', 'stopped') AND j.seq = r.seq THEN r.because ELSE '' END, j.seq
		FROM journal j JOIN runs r ON r.id = j.run JOIN journal first ON first.run = j.run AND first.seq = 1
		WHERE j.n > ? ORDER BY j.n LIMIT ?`, after, indexAtOnce)
	if err != nil {
		return store.Batch{}, after, fmt.Errorf("engine: %w", err)
	}
	defer rows.Close()
	var b store.Batch
	last := after
	for rows.Next() {
		var first, seq int64
		var about, because string
		if err := rows.Scan(&last, &first, &about, &because, &seq); err != nil {
			return store.Batch{}, after, fmt.Errorf("engine: %w", err)
		}
		if seq == 1 && about+because != "" || because != "" {
			b.Do("INSERT OR REPLACE INTO run_words (rowid, words) VALUES (?, ?)", first, about+" "+because)
		}
	}
	return b, last, rows.Err()
}
