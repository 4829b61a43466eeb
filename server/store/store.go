package store

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"net/url"
	"os"
	"path/filepath"
	"sync"
	"sync/atomic"
	"time"

	_ "modernc.org/sqlite" // the driver, in pure Go
)

// FileName is the database's name inside the data folder.
const FileName = "woolsignal.db"

// Store is the open database.
type Store struct {
	read *sql.DB
	db   *sql.DB // the writer's; one connection
	path string
	lock *os.File

	Room atomic.Int64 // how much strangers may leave within a day, in bytes

	rows    chan string // tables whose rows changed
	batches chan *pending
	queued  atomic.Int64 // when a batch was queued last, in nanoseconds since 1970
	watch   atomic.Pointer[func()]
	open    atomic.Int64 // batches that were handed over and are not decided yet
	done    chan struct{}
	closing sync.RWMutex // guards closed; whoever hands a batch over holds it, so that none comes after the end
	closed  bool
}

// Open opens the database in a folder, making it where there is none. Only one
// process may have it open: a second one is refused.
func Open(ctx context.Context, folder string) (*Store, error) {
	locked, err := lock(folder)
	if err != nil {
		return nil, err
	}
	s, err := open(ctx, filepath.Join(folder, FileName))
	if err != nil {
		return nil, errors.Join(err, locked.Close())
	}
	s.lock = locked
	return s, nil
}

func open(ctx context.Context, path string) (*Store, error) {
	if err := ownersAlone(path); err != nil {
		return nil, fmt.Errorf("store: %w", err)
	}
	write, err := sql.Open("sqlite", dsn(path, "_txlock=immediate"))
	if err != nil {
		return nil, fmt.Errorf("store: %w", err)
	}
	write.SetMaxOpenConns(1)
	if err := prepare(ctx, write); err != nil {
		return nil, errors.Join(fmt.Errorf("store: %s: %w", path, err), write.Close())
	}
	read, err := sql.Open("sqlite", dsn(path, "_pragma=query_only(1)"))
	if err != nil {
		return nil, errors.Join(fmt.Errorf("store: %w", err), write.Close())
	}
	read.SetMaxOpenConns(8)
	read.SetMaxIdleConns(8)
	s := &Store{read: read, db: write, path: path, rows: make(chan string, 64), batches: make(chan *pending, 1024),
		done: make(chan struct{})}
	s.Room.Store(StrangersRoom)
	go s.writer()
	return s, nil
}

// dsn gives the address of a connection. Checkpoints are made beside the
// writer's path, so it never waits for one.
func dsn(path, extra string) string {
	return "file:" + (&url.URL{Path: path}).EscapedPath() +
		"?_pragma=journal_mode(WAL)&_pragma=synchronous(FULL)&" +
		"_pragma=busy_timeout(5000)&_pragma=foreign_keys(1)&_pragma=wal_autocheckpoint(0)&" + extra
}

// Read gives the readers' connections. They cannot write.
func (s *Store) Read() *sql.DB { return s.read }

// Close finishes what is queued and closes the file.
func (s *Store) Close() error {
	s.closing.Lock()
	if s.closed {
		s.closing.Unlock()
		return nil
	}
	s.closed = true
	close(s.batches)
	s.closing.Unlock()
	<-s.done
	return errors.Join(s.read.Close(), s.db.Close(), s.lock.Close())
}

// Time writes a moment as the database keeps it: milliseconds since 1970, UTC.
func Time(t time.Time) int64 { return t.UnixMilli() }

// FromTime reads a moment back.
func FromTime(ms int64) time.Time { return time.UnixMilli(ms).UTC() }

// Path is where the database's file is.
func (s *Store) Path() string { return s.path }

// TellRows tells whoever watches that rows of a table changed. News that
// nobody takes in time are lost: watchers look by themselves too.
func (s *Store) TellRows(table string) {
	select {
	case s.rows <- table:
	default:
	}
}

// RowNews gives the tables whose rows changed, as they change.
func (s *Store) RowNews() <-chan string { return s.rows }
