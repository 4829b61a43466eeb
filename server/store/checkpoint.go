package store

import (
	"context"
	"database/sql"
	"os"
	"sync"
	"time"
)

// checkpointEvery is after how many batches, and checkpointBytes after how much of
// values in them, the log is moved into the database.
const (
	checkpointEvery = 1000
	checkpointBytes = 4 << 20
)

// longestLog is how long the log may become, in bytes. It begins anew only where nobody
// reads it: while readers overlap without a gap it would grow for ever.
const longestLog = 64 << 20

// The writer waits for readers of a log that is too long for a second at most, and not
// again before a rest where that did not help: one of them may take minutes. It asks
// several times, as SQLite goes on waiting for a place where a reader stood who has left,
// though somebody else stands there by now who is not in the way.
const (
	shortPatience = "PRAGMA busy_timeout = 200"
	patience      = "PRAGMA busy_timeout = 5000" // of all connections otherwise, as their addresses say
	attempts      = 5
	logRest       = 10 * time.Second
)

// checkpointer moves the log into the database on a connection of its own, now and then.
// The writer tells it what it wrote, and shortens the log itself where that is too long:
// from another connection it would hardly come between two writes.
type checkpointer struct {
	path    string
	wake    chan struct{}
	gone    chan struct{}
	one     sync.Mutex // held by whoever moves the log: SQLite refuses a second one
	rested  time.Time  // when the writer may wait for readers again
	batches int
	bytes   int
}

func newCheckpointer(path string) *checkpointer {
	c := &checkpointer{path: path, wake: make(chan struct{}, 1), gone: make(chan struct{})}
	go c.work()
	return c
}

func (c *checkpointer) work() {
	defer close(c.gone)
	db, err := sql.Open("sqlite", dsn(c.path, ""))
	if err != nil {
		return
	}
	defer db.Close()
	for range c.wake {
		c.move(db)
	}
}

func (c *checkpointer) move(db *sql.DB) {
	ctx, cancel := context.WithTimeout(context.Background(), 30*time.Second)
	defer cancel()
	c.one.Lock()
	defer c.one.Unlock()
	_, _ = db.ExecContext(ctx, "PRAGMA wal_checkpoint(PASSIVE)") // the next one does what this one could not
}

// wrote counts what was written, and has it moved after enough of it.
func (c *checkpointer) wrote(group []*pending, writer *sql.DB) {
	c.batches += len(group)
	for _, p := range group {
		c.bytes += p.batch.size()
	}
	if c.batches < checkpointEvery && c.bytes < checkpointBytes {
		return
	}
	c.batches, c.bytes = 0, 0
	if log, err := os.Stat(c.path + "-wal"); err == nil && log.Size() > longestLog && time.Now().After(c.rested) {
		if !c.shorten(writer) {
			c.rested = time.Now().Add(logRest)
		}
		return
	}
	select {
	case c.wake <- struct{}{}:
	default:
	}
}

// shorten empties the log, once nobody reads it any more: whoever begins to read
// meanwhile reads the database. See https://sqlite.org/pragma.html#pragma_wal_checkpoint.
func (c *checkpointer) shorten(writer *sql.DB) (done bool) {
	c.one.Lock()
	defer c.one.Unlock()
	if _, err := writer.Exec(shortPatience); err != nil {
		return false
	}
	for range attempts {
		var busy, log, moved int
		err := writer.QueryRow("PRAGMA wal_checkpoint(TRUNCATE)").Scan(&busy, &log, &moved)
		if done = err == nil && busy == 0; done {
			break
		}
	}
	_, err := writer.Exec(patience)
	return done && err == nil
}

func (c *checkpointer) stop() {
	close(c.wake)
	<-c.gone
}

// size is how many bytes of text the batch writes.
func (b *Batch) size() int {
	n := 0
	for _, s := range b.writes {
		for _, a := range s.args {
			switch a := a.(type) {
			case string:
				n += len(a)
			case []byte:
				n += len(a)
			}
		}
	}
	return n
}
