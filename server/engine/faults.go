package engine

import (
	"context"
	"fmt"
	"maps"
	"strings"

	"woolsignal/core/run"
	"woolsignal/server/fault"
	"woolsignal/server/store"
)

// Ending is work that ended the whole process, as the last one found in what
// the process left behind.
type Ending struct {
	Times int
	Why   string
}

// mostEndings is how often work may end the process before it is put aside.
const mostEndings = 2

// onRun moves a run, in its name. One that ended the process too often fails
// instead.
func (e *Engine) onRun(id string, do func()) {
	work := "run " + id
	if why := e.PutAside(work); why != "" {
		e.deliver(id, &run.Break{Why: why})
		return
	}
	fault.Labelled(work, do)
}

// PutAside tells why some work is not to be done again; "" where it may be.
func (e *Engine) PutAside(work string) string {
	e.mu.Lock()
	defer e.mu.Unlock()
	if ending := e.endings[work]; ending.Times >= mostEndings {
		return fmt.Sprintf("this work ended the whole service %d times (%s), so it was put aside", ending.Times,
			ending.Why)
	}
	return ""
}

// Ended notes that some work ended the process before this one, and why.
func (e *Engine) Ended(ctx context.Context, work, why string) error {
	var b store.Batch
	b.Do("INSERT INTO endings (work, times, last, why) VALUES (?, 1, ?, ?) ON CONFLICT (work) DO UPDATE SET times = "+
		"times + 1, last = excluded.last, why = excluded.why",
		work, store.Time(e.now()), why)
	if err := e.store.Write(ctx, b); err != nil {
		return fmt.Errorf("engine: %w", err)
	}
	return nil
}

// Retry takes up what was put aside, of the work whose name begins so: what
// it failed over may have been put right.
func (e *Engine) Retry(ctx context.Context, prefix string) error {
	e.mu.Lock()
	known := len(e.endings)
	maps.DeleteFunc(e.endings, func(work string, _ Ending) bool { return strings.HasPrefix(work, prefix) })
	changed := len(e.endings) < known
	e.mu.Unlock()
	if !changed {
		return nil
	}
	var b store.Batch
	b.Do("DELETE FROM endings WHERE substr(work, 1, ?) = ?", len(prefix), prefix)
	return e.store.Write(ctx, b)
}

// loadEndings reads which work ended the process before.
func (e *Engine) loadEndings(ctx context.Context) error {
	rows, err := e.store.Read().QueryContext(ctx, "SELECT work, times, why FROM endings")
	if err != nil {
		return fmt.Errorf("engine: %w", err)
	}
	defer rows.Close()
	e.mu.Lock()
	defer e.mu.Unlock()
	for rows.Next() {
		var work string
		var ending Ending
		if err := rows.Scan(&work, &ending.Times, &ending.Why); err != nil {
			return fmt.Errorf("engine: %w", err)
		}
		e.endings[work] = ending
	}
	return rows.Err()
}
