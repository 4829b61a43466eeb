package store

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"runtime"
	"time"
)

// Batch is written whole or not at all. Its guards come before what it writes:
// where one touches no row the batch is skipped, and nothing of it is written.
type Batch struct {
	guards    []guard
	writes    []statement
	savepoint bool
}

// statement is one write.
type statement struct {
	sql  string
	args []any
}

// guard is a statement that must touch a row.
type guard struct {
	statement
	relies string // on what the batch relies
}

// Do adds a statement.
func (b *Batch) Do(sql string, args ...any) { b.writes = append(b.writes, statement{sql, args}) }

// Guard adds a statement that must touch a row, and says on what the batch
// relies by it. Who adds a second asks for a [Batch.Savepoint].
func (b *Batch) Guard(relies, sql string, args ...any) {
	b.guards = append(b.guards, guard{statement{sql, args}, relies})
}

// Savepoint asks for a place to go back to: where a guard skips the batch,
// what the guards before it changed is taken back.
func (b *Batch) Savepoint() { b.savepoint = true }

// Add puts another batch behind this one: both are written, or none is.
func (b *Batch) Add(other Batch) {
	b.guards, b.writes = append(b.guards, other.guards...), append(b.writes, other.writes...)
	b.savepoint = b.savepoint || other.savepoint
}

// Empty tells whether there is nothing to write.
func (b *Batch) Empty() bool { return len(b.guards)+len(b.writes) == 0 }

// ErrGuard says that a batch was skipped because what it relied on was no
// longer so; the error that wraps it says what that was.
var ErrGuard = errors.New("the record was changed by somebody else meanwhile")

// ErrClosed says that the store takes no more writes.
var ErrClosed = errors.New("the service is stopping")

type pending struct {
	batch Batch
	done  chan error
}

// maxGroup bounds how many batches share a commit, and so how long the first
// of them waits.
const maxGroup = 512

// Queue hands a batch to the writer. The channel gives nil once the batch is
// durable. Batches are written in the order they were queued.
func (s *Store) Queue(batch Batch) <-chan error {
	s.queued.Store(time.Now().UnixNano())
	return s.enqueue(context.Background(), batch)
}

// enqueue hands a batch over while the context lives. From then on the batch
// is the writer's: nobody can take it back.
func (s *Store) enqueue(ctx context.Context, batch Batch) <-chan error {
	p := &pending{batch: batch, done: make(chan error, 1)}
	s.closing.RLock()
	defer s.closing.RUnlock()
	if err := ctx.Err(); err != nil {
		p.done <- err
		return p.done
	}
	if s.closed {
		p.done <- ErrClosed
		return p.done
	}
	select {
	case s.batches <- p:
		s.open.Add(1)
	case <-ctx.Done():
		p.done <- ctx.Err()
	}
	return p.done
}

// committed lets whoever watches see the files as they are after a commit,
// before anybody hears of it.
func (s *Store) committed() {
	if watch := s.watch.Load(); watch != nil {
		(*watch)()
	}
}

// Watch has something done after each commit, before anybody hears of it:
// where a test stops a service, whatever it was about to say or do. It holds
// the writer up.
func (s *Store) Watch(after func()) { s.watch.Store(&after) }

// decided tells whoever waits what became of a batch.
func (s *Store) decided(p *pending, err error) {
	s.open.Add(-1)
	p.done <- err
}

// Open is how many batches were handed over and are not decided yet.
func (s *Store) Open() int { return int(s.open.Load()) }

// idleAfter is how long nothing is written before the writer counts as idle.
const idleAfter = 100 * time.Millisecond

// Idle tells whether nothing was queued for a moment, for work that can wait;
// what that work itself writes with [Store.Write] does not count.
func (s *Store) Idle() bool {
	return len(s.batches) == 0 && time.Since(time.Unix(0, s.queued.Load())) > idleAfter
}

// Write hands a batch to the writer and waits until it is durable. A context
// that ends keeps a batch from being handed over, and then nothing is written;
// afterwards it changes nothing. So an error means that the batch is not in the
// database, and nil that it is, whether or not the caller is still there.
func (s *Store) Write(ctx context.Context, batch Batch) error { return <-s.enqueue(ctx, batch) }

// writer commits groups until the store closes. A group is whatever queued
// up during the commit before it: nobody waits for company.
func (s *Store) writer() {
	defer close(s.done)
	statements := map[string]*sql.Stmt{}
	defer func() {
		for _, st := range statements {
			_ = st.Close()
		}
	}()
	checkpoints := newCheckpointer(s.path)
	defer checkpoints.stop()
	for first := range s.batches {
		group := []*pending{first}
		runtime.Gosched() // whoever is about to queue gets into this group; nobody waits when nobody is
	gather:
		for len(group) < maxGroup {
			select {
			case p, ok := <-s.batches:
				if !ok {
					break gather
				}
				group = append(group, p)
			default:
				break gather
			}
		}
		outcomes, err := s.commit(group, statements)
		s.committed()
		if err != nil && len(group) > 1 {
			// One batch may have spoilt the group: each gets its own try.
			for _, p := range group {
				one, err := s.commit([]*pending{p}, statements)
				s.committed()
				s.decided(p, errors.Join(err, one[0]))
			}
			continue
		}
		for i, p := range group {
			s.decided(p, errors.Join(err, outcomes[i]))
		}
		checkpoints.wrote(group, s.db)
	}
}

// commit writes a group in one transaction. Each batch has its own outcome;
// the error says that nothing of the group was written.
func (s *Store) commit(group []*pending, statements map[string]*sql.Stmt) (outcomes []error, err error) {
	ctx := context.Background() // a group belongs to many callers; none may cancel it
	outcomes = make([]error, len(group))
	if err := s.exec(ctx, statements, "BEGIN IMMEDIATE"); err != nil {
		return outcomes, err
	}
	for i, p := range group {
		if outcomes[i], err = s.apply(ctx, p.batch, statements); err != nil {
			return outcomes, errors.Join(err, s.exec(ctx, statements, "ROLLBACK"))
		}
	}
	if err := s.exec(ctx, statements, "COMMIT"); err != nil {
		_ = s.exec(ctx, statements, "ROLLBACK") // a failed commit may have ended the transaction already
		return outcomes, err
	}
	return outcomes, nil
}

// apply runs one batch inside the group's transaction. One that is skipped has
// changed nothing.
func (s *Store) apply(ctx context.Context, batch Batch, statements map[string]*sql.Stmt) (skip, err error) {
	if len(batch.guards) > 1 && !batch.savepoint {
		return nil, fmt.Errorf("store: a batch has two guards and no savepoint: %s", batch.guards[1].relies)
	}
	if !batch.savepoint {
		return s.run(ctx, batch, statements)
	}
	if err := s.exec(ctx, statements, "SAVEPOINT batch"); err != nil {
		return nil, err
	}
	skip, err = s.run(ctx, batch, statements)
	if skip != nil && err == nil {
		err = s.exec(ctx, statements, "ROLLBACK TO batch")
	}
	if err == nil {
		err = s.exec(ctx, statements, "RELEASE batch")
	}
	return skip, err
}

func (s *Store) run(ctx context.Context, batch Batch, statements map[string]*sql.Stmt) (skip, err error) {
	for _, g := range batch.guards {
		result, err := s.write(ctx, g.statement, statements)
		if err != nil {
			return nil, err
		}
		if n, err := result.RowsAffected(); err != nil || n == 0 {
			return fmt.Errorf("%w: no longer so: %s", ErrGuard, g.relies), err
		}
	}
	for _, st := range batch.writes {
		if _, err := s.write(ctx, st, statements); err != nil {
			return nil, err
		}
	}
	return nil, nil
}

func (s *Store) write(ctx context.Context, st statement, statements map[string]*sql.Stmt) (sql.Result, error) {
	prepared, err := s.prepared(ctx, statements, st.sql)
	if err != nil {
		return nil, err
	}
	result, err := prepared.ExecContext(ctx, st.args...)
	if err != nil {
		return nil, fmt.Errorf("store: %w in %s", err, st.sql)
	}
	return result, nil
}

func (s *Store) exec(ctx context.Context, statements map[string]*sql.Stmt, text string) error {
	prepared, err := s.prepared(ctx, statements, text)
	if err == nil {
		_, err = prepared.ExecContext(ctx)
	}
	if err != nil {
		return fmt.Errorf("store: %s: %w", text, err)
	}
	return nil
}

// prepared keeps each statement compiled for as long as the writer lives.
func (s *Store) prepared(ctx context.Context, statements map[string]*sql.Stmt, text string) (*sql.Stmt, error) {
	if kept, ok := statements[text]; ok {
		return kept, nil
	}
	fresh, err := s.db.PrepareContext(ctx, text)
	if err != nil {
		return nil, fmt.Errorf("store: %w in %s", err, text)
	}
	statements[text] = fresh
	return fresh, nil
}
