package engine

import (
	"cmp"
	"context"
	"encoding/json"
	"fmt"
	"maps"
	"slices"
	"sync"
	"sync/atomic"
	"time"

	"woolsignal/core/agent"
	"woolsignal/core/flow"
	"woolsignal/core/money"
	"woolsignal/core/run"
	"woolsignal/server/store"
)

// budgets know what is spent of each, and what is put aside for what is under way:
// nothing is begun that could exceed one. What is spent stands in the journals, and is
// read from the book that is made of them.
type budgets struct {
	deciding sync.Mutex   // one decides at a time whether there is room
	pages    atomic.Int64 // entries that spent something, so far
	mu       sync.Mutex   // guards what follows
	all      map[purseKey]*purse
}

// purseKey names the purse of a budget: of a workflow, "" for all of them, and a
// period, day or month; or of a run, with all it calls.
type purseKey struct{ workflow, period, run string }

// purse is what one budget has spent in its period, or a run in all, as the book said
// when it had so many pages; and what is put aside of it.
type purse struct {
	since        time.Time // when the period began
	pages        int64
	spent, aside money.Micros
	over         bool // its run has ended
}

// bound is one budget a run is under.
type bound struct {
	key   purseKey
	what  string // in words: a day of Weighbridge intake
	most  money.Micros
	since time.Time
}

// expense is a sum that was put aside.
type expense struct {
	engine *Engine
	bounds []bound
	purses []*purse // of the bounds, whatever they are called by now; nil where there is none
	aside  money.Micros
}

// boundsOf are the budgets a run is under: its own, those of the runs that wait for it,
// and those of its workflow and the workspace.
func (e *Engine) boundsOf(l *live) []bound {
	var out []bound
	add := func(b bound) { // of two for the same purse the tighter counts
		i := slices.IndexFunc(out, func(o bound) bool { return o.key == b.key })
		if i < 0 {
			out = append(out, b)
		} else if b.most < out[i].most {
			out[i] = b
		}
	}
	if own := l.def.Workflow.Budget.Run; own > 0 {
		add(bound{key: purseKey{run: l.id}, what: "a run of " + l.def.Workflow.Title, most: money.FromUnits(own)})
	}
	if o := l.state.Origin; o != nil {
		for _, a := range o.Budgets {
			add(bound{key: purseKey{run: cmp.Or(a.Run, l.id)}, what: a.What, most: a.Most})
		}
	}
	out = append(out, e.periodsOf(l.workflow(), l.def.Workflow)...)
	for _, id := range l.under() {
		id = e.workspace.Now().Renamed(id, l.state.Accepted)
		if above := e.workspace.Now().Live[id]; above != nil && id != l.workflow() {
			for _, b := range e.periodsOf(id, above.Workflow) {
				add(b)
			}
		}
	}
	return out
}

// under are the workflows that called a run, directly or by others.
func (l *live) under() []string {
	if l.state == nil || l.state.Origin == nil {
		return nil
	}
	return l.state.Origin.Under
}

// periodsOf are the budgets of a day and a month that runs of a workflow are under.
func (e *Engine) periodsOf(id string, of *flow.Workflow) []bound {
	w := e.workspace.Now()
	at := e.Now().In(w.Zone)
	day := time.Date(at.Year(), at.Month(), at.Day(), 0, 0, 0, 0, w.Zone)
	month := time.Date(at.Year(), at.Month(), 1, 0, 0, 0, 0, w.Zone)
	own, title := of.Budget, of.Title
	var out []bound
	add := func(workflow, period, what string, most float64, since time.Time) {
		if most > 0 {
			out = append(out, bound{purseKey{workflow: workflow, period: period}, what, money.FromUnits(most), since})
		}
	}
	add(id, "day", "a day of "+title, own.Day, day)
	add(id, "month", "a month of "+title, own.Month, month)
	add("", "day", "a day of all workflows", w.Budget.Day, day)
	add("", "month", "a month of all workflows", w.Budget.Month, month)
	return out
}

// overBudget says that a budget has no room for what was to be begun.
type overBudget struct {
	bound
	left     money.Micros
	currency string
}

func (o *overBudget) Error() string {
	return fmt.Sprintf("the budget of %s for %s is spent, or would be: %s is left, so this was not begun; raise it, "+
		"or wait", o.most.Format(o.currency), o.what, max(0, o.left).Format(o.currency))
}

// leftFor is the least that is left of the budgets of a run, and of which.
func (e *Engine) leftFor(ctx context.Context, id string) (left money.Micros, least bound, bounds []bound, err error) {
	l := e.runs.hold(id)
	defer e.runs.release(l)
	err = e.locked(ctx, l, func() error {
		bounds = e.boundsOf(l)
		return nil
	})
	if err != nil || len(bounds) == 0 {
		return 0, bound{}, nil, err
	}
	for i, b := range bounds {
		spent, err := e.spent(ctx, b)
		if err != nil {
			return 0, bound{}, nil, err
		}
		if of := b.most - spent; i == 0 || of < left {
			left, least = of, b
		}
	}
	return left, least, bounds, nil
}

// spent is what a budget has spent and put aside. The book is read anew where something
// was spent since.
func (e *Engine) spent(ctx context.Context, b bound) (money.Micros, error) {
	e.budgets.mu.Lock()
	defer e.budgets.mu.Unlock()
	p := e.budgets.all[b.key]
	if p == nil {
		p = &purse{pages: -1}
		e.budgets.all[b.key] = p
	}
	if pages := e.budgets.pages.Load(); p.pages != pages || !p.since.Equal(b.since) {
		spent, err := e.readBook(ctx, b)
		if err != nil {
			return 0, err
		}
		p.spent, p.pages, p.since = spent, pages, b.since
	}
	return p.spent + p.aside, nil
}

// readBook sums up what a budget has spent since its period began, with what calls in
// doubt would have cost. A workflow that was renamed has what it spent under its names
// before.
func (e *Engine) readBook(ctx context.Context, b bound) (spent money.Micros, err error) {
	names, err := json.Marshal(e.workspace.Now().Names(b.key.workflow))
	if err != nil {
		return 0, fmt.Errorf("engine: %w", err)
	}
	query := `WITH names (workflow) AS (SELECT value FROM json_each(?))
		SELECT (SELECT coalesce(sum(cost), 0) FROM spending WHERE workflow IN names AND quarter >= ?) +
			(SELECT coalesce(sum(cost), 0) FROM doubts WHERE workflow IN names)`
	args := []any{string(names), store.Time(b.since)}
	if b.key.run != "" {
		query, args = `WITH RECURSIVE family (run) AS (SELECT ? UNION
			SELECT r.id FROM family JOIN runs r ON r.origin_run = family.run AND r.origin = 'call')
			SELECT (SELECT coalesce(sum(r.cost), 0) FROM family JOIN runs r ON r.id = family.run) +
				(SELECT coalesce(sum(cost), 0) FROM doubts WHERE workflow = '' AND run IN family)`, []any{b.key.run}
	}
	if err := e.store.Read().QueryRowContext(ctx, query, args...).Scan(&spent); err != nil {
		return 0, fmt.Errorf("engine: what was spent: %w", err)
	}
	return spent, nil
}

// over forgets the purses of a run that ended, and of those above it that ended before:
// but for what is put aside of them, all that they know can be read again.
func (b *budgets) over(l *live) {
	b.mu.Lock()
	defer b.mu.Unlock()
	runs := []string{l.id}
	if l.state != nil && l.state.Origin != nil {
		for _, a := range l.state.Origin.Budgets {
			runs = append(runs, a.Run)
		}
	}
	for _, id := range runs {
		key := purseKey{run: id}
		if p := b.all[key]; p != nil {
			p.over = p.over || id == l.id
			b.forget(key)
		}
	}
}

// forget drops the purse of a run that is over, unless something of it is under way.
func (b *budgets) forget(key purseKey) {
	if p := b.all[key]; p != nil && p.over && p.aside == 0 {
		delete(b.all, key)
	}
}

// putAside keeps a sum of every budget for what is about to begin.
func (e *Engine) putAside(bounds []bound, sum money.Micros) *expense {
	e.budgets.mu.Lock()
	defer e.budgets.mu.Unlock()
	x := &expense{engine: e, bounds: bounds, aside: sum}
	for _, b := range bounds {
		p := e.budgets.all[b.key]
		if p != nil {
			p.aside += sum
		}
		x.purses = append(x.purses, p)
	}
	return x
}

// came keeps aside what it cost in the end, till that stands in the journal.
func (x *expense) came(cost money.Micros) {
	if x == nil {
		return
	}
	x.engine.budgets.mu.Lock()
	defer x.engine.budgets.mu.Unlock()
	for _, p := range x.purses {
		if p != nil {
			p.aside += cost - x.aside
		}
	}
	x.aside = cost
}

// over gives back what was put aside: what it cost stands in the journal, and the book is
// read anew.
func (x *expense) over() {
	if x == nil {
		return
	}
	x.engine.budgets.mu.Lock()
	defer x.engine.budgets.mu.Unlock()
	x.engine.budgets.pages.Add(1)
	for i, p := range x.purses {
		if p != nil {
			p.aside -= x.aside
			x.engine.budgets.forget(x.bounds[i].key)
		}
	}
}

// The book has a row for each workflow and span of time in which it spent something; the
// hours of every zone begin at one. It goes back further than a month, the longest period
// of a budget.
const (
	bookSpan   = 15 * time.Minute
	keptInBook = 62 * 24 * time.Hour
)

// countsFor are the workflows for which counts what a run spends, "" for all of them.
func (l *live) countsFor() []string {
	of := []string{"", l.workflow()}
	for _, id := range l.under() {
		if !slices.Contains(of, id) {
			of = append(of, id)
		}
	}
	return of
}

// doubted keeps aside what a call would cost of which somebody is asked whether it
// happened, until they say.
func doubted(b *store.Batch, l *live, r *run.Review) {
	if r.Price == 0 {
		return
	}
	for _, workflow := range l.countsFor() {
		b.Do("INSERT INTO doubts (review, workflow, run, cost) VALUES (?, ?, ?, ?)", r.ID, workflow, l.id,
			int64(r.Price))
	}
}

// spend writes what an entry spent into the book: of all workflows, and of those whose
// budgets it counts in.
func spend(b *store.Batch, l *live, entry run.Entry) {
	cost := entry.Cost()
	if cost == 0 {
		return
	}
	for _, workflow := range l.countsFor() {
		b.Do("INSERT INTO spending (workflow, quarter, cost) VALUES (?, ?, ?) ON CONFLICT (workflow, quarter) DO "+
			"UPDATE SET cost = cost + excluded.cost", workflow, store.Time(entry.At.Truncate(bookSpan)), int64(cost))
		b.Do("DELETE FROM spending WHERE workflow = ? AND quarter < ?", workflow,
			store.Time(entry.At.Add(-keptInBook)))
	}
}

// affordTurn puts aside what a model's turn may cost at most, and shortens the longest
// answer to what there is.
func (e *Engine) affordTurn(id string, m flow.Model, ask *run.Ask) (*expense, error) {
	e.budgets.deciding.Lock() // two at once must not both take the last of it
	defer e.budgets.deciding.Unlock()
	left, least, bounds, err := e.leftFor(e.hard, id)
	if err != nil || len(bounds) == 0 {
		return nil, err
	}
	read, pictures := ask.Reads()
	longest, ok := agent.Affordable(m, read, pictures, ask.LongestAnswer, left)
	if !ok {
		return nil, &overBudget{least, left, e.workspace.Now().Currency}
	}
	ask.LongestAnswer = longest
	return e.putAside(bounds, m.Price().Of(money.Use{Input: read, Pictures: pictures, Output: longest})), nil
}

// affordCall puts aside what a tool call costs, as far as that is known before.
func (e *Engine) affordCall(id string, t flow.Tool) (*expense, error) {
	e.budgets.deciding.Lock()
	defer e.budgets.deciding.Unlock()
	left, least, bounds, err := e.leftFor(e.hard, id)
	if err != nil || len(bounds) == 0 {
		return nil, err
	}
	price := money.FromUnits(t.Price + t.ResultPrice)
	if price > 0 && price > left {
		return nil, &overBudget{least, left, e.workspace.Now().Currency}
	}
	return e.putAside(bounds, price), nil
}

// Spending is what one budget has spent in its period so far.
type Spending struct {
	Workflow string // "" is all of them
	Period   string // day or month
	Most     money.Micros
	Spent    money.Micros // with what is put aside for what is under way
}

// Spending lists the budgets of the workspace and of its live workflows.
func (e *Engine) Spending(ctx context.Context) ([]Spending, error) {
	w := e.workspace.Now()
	var out []Spending
	add := func(workflow string, of *flow.Workflow) error {
		for _, b := range e.periodsOf(workflow, of) {
			if b.key.workflow != workflow {
				continue // of all workflows, which are told once
			}
			spent, err := e.spent(ctx, b)
			if err != nil {
				return err
			}
			out = append(out, Spending{workflow, b.key.period, b.most, spent})
		}
		return nil
	}
	if err := add("", &flow.Workflow{}); err != nil {
		return nil, err
	}
	for _, id := range slices.Sorted(maps.Keys(w.Live)) {
		if err := add(id, w.Live[id].Workflow); err != nil {
			return nil, err
		}
	}
	return out, nil
}
