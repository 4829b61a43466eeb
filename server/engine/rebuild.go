package engine

import (
	"context"
	"errors"
	"fmt"

	"woolsignal/core/run"
	"woolsignal/server/store"
	"woolsignal/server/workspace"
)

// ErrRebuilding says that what is made of the journals is not whole: making it
// anew was cut off.
var ErrRebuilding = errors.New("making the lists of this data anew was cut off; do it again with: woolsignal " +
	"rebuild -data FOLDER")

// rebuildAtOnce is how many entries are written as one batch.
const rebuildAtOnce = 500

// projections are the tables that are made of the journals alone. The inbox,
// schedules, looks and tables of rows are a truth of their own.
var projections = []string{"runs", "deliveries", "hears", "reviews", "messages", "memory", "labels", "facts",
	"follow_ups", "spending", "doubts", "snapshots"}

// Rebuild makes anew all that is made of the journals, in the order they were
// written, and gives how many entries that were. The engine must not have been
// started. One that is cut off is begun again.
func (e *Engine) Rebuild(ctx context.Context) (entries int, err error) {
	var b store.Batch
	b.Do("INSERT INTO settings (name, value) VALUES ('rebuilding', 'yes') ON CONFLICT DO NOTHING")
	for _, table := range projections {
		b.Do("DELETE FROM " + table)
	}
	b.Do("INSERT INTO run_words (run_words) VALUES ('delete-all')") // the indexer makes it anew
	b.Do("DELETE FROM settings WHERE name = 'indexed'")
	if err := e.store.Write(ctx, b); err != nil {
		return 0, fmt.Errorf("engine: %w", err)
	}
	open := map[string]*live{}
	for after := int64(0); ; {
		n, last, err := e.rebuildSome(ctx, after, open)
		if err != nil {
			return entries, err
		}
		if entries, after = entries+n, last; n < rebuildAtOnce {
			break
		}
	}
	var rest store.Batch
	rest.Do("INSERT INTO deliveries (source, id, run) SELECT delivery, id, '' FROM inbox WHERE state != 'heard' ON " +
		"CONFLICT DO NOTHING")
	rest.Do("DELETE FROM settings WHERE name = 'rebuilding'")
	if err := e.store.Write(ctx, rest); err != nil {
		return entries, fmt.Errorf("engine: %w", err)
	}
	return entries, nil
}

// rebuildSome takes up the entries behind one, as they were written.
func (e *Engine) rebuildSome(ctx context.Context, after int64, open map[string]*live) (n int, last int64, err error) {
	rows, err := e.store.Read().QueryContext(ctx, "SELECT n, run, entry FROM journal WHERE n > ? ORDER BY n LIMIT ?",
		after, rebuildAtOnce)
	if err != nil {
		return 0, after, fmt.Errorf("engine: %w", err)
	}
	defer rows.Close()
	var writes []store.Batch
	for rows.Next() {
		var id string
		var data []byte
		if err := rows.Scan(&last, &id, &data); err != nil {
			return 0, after, fmt.Errorf("engine: %w", err)
		}
		b, err := e.rebuilt(ctx, open, id, data)
		if err != nil {
			return 0, after, fmt.Errorf("the run %s: %w", id, err)
		}
		writes = append(writes, b)
		n++
	}
	if err := rows.Err(); err != nil {
		return 0, after, fmt.Errorf("engine: %w", err)
	}
	var pending []<-chan error
	for _, b := range writes {
		pending = append(pending, e.store.Queue(b))
	}
	for _, p := range pending {
		err = errors.Join(err, <-p)
	}
	return n, last, err
}

// rebuilt is what one entry means for the projections.
func (e *Engine) rebuilt(ctx context.Context, open map[string]*live, id string, data []byte) (store.Batch, error) {
	entry, err := run.DecodeEntry(data)
	if err != nil {
		return store.Batch{}, err
	}
	l := open[id]
	if l == nil {
		l = &live{id: id, state: run.NewState(id)}
		if entry.Seq > 1 { // it had ended, and spent something after
			if err := e.foldedBefore(ctx, l, entry.Seq); err != nil {
				return store.Batch{}, err
			}
		}
		open[id] = l
	}
	if err := l.state.Apply(entry); err != nil {
		return store.Batch{}, err
	}
	var b store.Batch
	if entry.Seq == 1 {
		if err := e.beganAs(ctx, l); err != nil {
			return store.Batch{}, err
		}
		b.Do("INSERT INTO deliveries (source, id, run) VALUES (?, ?, ?) ON CONFLICT (source, id) DO UPDATE SET run "+
			"= excluded.run", l.delivery(), l.state.Signal.ID, l.id)
		listed(&b, l)
	} else {
		relisted(&b, l, entry, 0)
	}
	spend(&b, l, entry)
	for _, r := range entry.Records {
		project(&b, l, r, entry.At)
	}
	if l.state.Status.Ended() {
		delete(open, id)
	}
	return b, nil
}

// foldedBefore brings a run to where it stood before one of its entries.
func (e *Engine) foldedBefore(ctx context.Context, l *live, seq int64) error {
	rows, err := e.store.Read().QueryContext(ctx, "SELECT entry FROM journal WHERE run = ? AND seq < ? ORDER BY seq",
		l.id, seq)
	if err != nil {
		return fmt.Errorf("engine: %w", err)
	}
	defer rows.Close()
	for rows.Next() {
		var data []byte
		if err := rows.Scan(&data); err != nil {
			return fmt.Errorf("engine: %w", err)
		}
		entry, err := run.DecodeEntry(data)
		if err == nil {
			err = l.state.Apply(entry)
		}
		if err != nil {
			return err
		}
	}
	if err := rows.Err(); err != nil {
		return fmt.Errorf("engine: %w", err)
	}
	return e.beganAs(ctx, l)
}

// beganAs puts into a run in memory what its first record says it is among
// others. A workflow that was renamed since has its new name.
func (e *Engine) beganAs(ctx context.Context, l *live) error {
	begun := l.state.Begun
	if begun == nil {
		return &run.FormError{What: "its first entry does not say what it is"}
	}
	workflow := e.workspace.Now().Renamed(begun.Workflow, l.state.Accepted)
	l.called(workflow, run.Thread{Workflow: workflow, Conversation: begun.Thread}.String())
	l.definition = begun.Definition
	l.place.key, l.chain = begun.Key, chain{cause: begun.Cause, links: begun.Links}
	var err error
	var unreadable *workspace.UnreadableError
	if l.def, err = e.workspace.ByHash(ctx, l.definition); errors.As(err, &unreadable) {
		l.def, err = run.Unreadable(l.workflow()), nil
	}
	return err
}

// delivery is what delivered a run's signal, under the name its workflow has
// now.
func (l *live) delivery() string {
	by := l.state.Begun.Delivery
	if by.Workflow == l.state.Begun.Workflow {
		by.Workflow = l.workflow()
	}
	return by.String()
}

// whole refuses data whose projections are not whole.
func (e *Engine) whole(ctx context.Context) error {
	cut, err := e.column(ctx, "SELECT value FROM settings WHERE name = 'rebuilding'")
	if err != nil {
		return fmt.Errorf("engine: %w", err)
	}
	if len(cut) > 0 {
		return ErrRebuilding
	}
	return nil
}
