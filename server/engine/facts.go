package engine

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"time"

	"woolsignal/core/run"
	"woolsignal/server/store"
)

// mostFacts is how many facts about one person or thing an agent is told.
const mostFacts = 100

// facts reads what is known of somebody or something, oldest first.
func (e *Engine) facts(ctx context.Context, about []string) ([]string, error) {
	var all []string
	for _, who := range about {
		some, err := e.column(ctx,
			"SELECT fact FROM (SELECT n, fact FROM facts WHERE about = ? ORDER BY n DESC LIMIT ?) ORDER BY n", who,
			mostFacts)
		if err != nil {
			return nil, fmt.Errorf("engine: facts: %w", err)
		}
		all = append(all, some...)
	}
	return all, nil
}

// mostKept is how many facts about one person or thing are kept: those before them are
// forgotten.
const mostKept = 1000

// FactID names one of those a run kept.
func FactID(run string, n int) string { return fmt.Sprintf("fact-%s-%d", run, n) }

// factKept lists a fact. One of the same name gives way, and so does the oldest of too many.
func factKept(b *store.Batch, l *live, r *run.FactKept, at time.Time) {
	if r.Name != "" {
		b.Do("DELETE FROM facts WHERE about = ? AND name = ?", r.About, r.Name)
	}
	b.Do("INSERT INTO facts (id, about, name, fact, run, nth, at) VALUES (?, ?, ?, ?, ?, ?, ?)", FactID(l.id, r.N),
		r.About, r.Name, r.Fact, l.id, r.N, store.Time(at))
	b.Do("DELETE FROM facts WHERE about = ? AND n <= (SELECT n FROM facts WHERE about = ? ORDER BY n DESC LIMIT 1 "+
		"OFFSET ?)", r.About, r.About, mostKept)
}

// factChanged corrects a fact, or forgets it.
func factChanged(b *store.Batch, l *live, r *run.FactChanged, at time.Time) {
	if r.Fact == "" {
		b.Do("DELETE FROM facts WHERE id = ?", FactID(l.id, r.N))
		return
	}
	b.Do("UPDATE facts SET fact = ?, by = ?, at = ? WHERE id = ?", r.Fact, r.By, store.Time(at), FactID(l.id, r.N))
}

// Fact is what agents keep for later conversations, or a step does.
type Fact struct {
	ID       string
	About    string // [run.AboutWorkspace], an e-mail, a conversation, or any name
	Name     string // "" where later ones add to it
	Fact     string
	Run      string // that kept it
	Workflow string // of the run
	At       time.Time
	By       string // who corrected it last; "" is nobody
}

// FactQuery says which facts are wanted, and pages through them.
type FactQuery struct {
	About    string // "" is about all
	Contains string // words that stand in them; "" is any
	After    string // the id of the last of the page before
	Most     int
}

// Facts lists what is known, the newest first.
func (e *Engine) Facts(ctx context.Context, q FactQuery) ([]Fact, error) {
	rows, err := e.store.Read().QueryContext(ctx, "SELECT f.id, f.about, f.name, f.fact, f.run, r.workflow, f.at, "+
		"f.by FROM facts f JOIN runs r ON r.id = f.run WHERE (?1 = '' OR f.about = ?1) AND (?2 = '' OR "+
		"instr(lower(f.fact), lower(?2)) > 0) AND (?3 = '' OR f.n < (SELECT n FROM facts WHERE id = ?3)) "+
		"ORDER BY f.n DESC LIMIT ?4", q.About, q.Contains, q.After, q.Most)
	if err != nil {
		return nil, fmt.Errorf("engine: facts: %w", err)
	}
	defer rows.Close()
	out := []Fact{}
	for rows.Next() {
		var f Fact
		var at int64
		if err := rows.Scan(&f.ID, &f.About, &f.Name, &f.Fact, &f.Run, &f.Workflow, &at, &f.By); err != nil {
			return nil, fmt.Errorf("engine: facts: %w", err)
		}
		f.At = store.FromTime(at)
		out = append(out, f)
	}
	return out, rows.Err()
}

// ChangeFact has a fact say something else, or forgets it where it is to say nothing. The
// error is [run.ErrStale] where it does not say any more what it said to whoever asks for
// this, if they say what that was.
func (e *Engine) ChangeFact(ctx context.Context, id, said, fact, by string) error {
	var of string
	var n int
	err := e.store.Read().QueryRowContext(ctx, "SELECT run, nth FROM facts WHERE id = ?", id).Scan(&of, &n)
	if errors.Is(err, sql.ErrNoRows) {
		return run.ErrStale
	} else if err != nil {
		return fmt.Errorf("engine: facts: %w", err)
	}
	change := &run.ChangeFact{N: n, Fact: fact, By: by}
	err = e.handleAs(ctx, of, change, func(l *live, entry run.Entry) (store.Batch, error) {
		var b store.Batch
		b.Savepoint()
		b.Guard("the fact says what it said", "UPDATE facts SET at = at WHERE id = ?1 AND (?2 = '' OR "+
			"fact = ?2)", id, said)
		return following(b, l, entry)
	})
	if errors.Is(err, store.ErrGuard) {
		return run.ErrStale
	}
	return err
}
