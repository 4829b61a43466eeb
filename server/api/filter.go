package api

import (
	"context"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"
	"time"

	"woolsignal/core/money"
	"woolsignal/server/store"
	"woolsignal/wire"
)

// filter picks runs. Empty fields pick all.
type filter struct {
	where  []string
	args   []any
	words  string // looked for in what runs are about and why they ended so
	before string
}

func (f *filter) and(condition string, values ...any) {
	f.where, f.args = append(f.where, condition), append(f.args, values...)
}

func readFilter(q url.Values) (*filter, error) {
	f := &filter{words: strings.TrimSpace(q.Get("text")), before: q.Get("before")}
	for name, column := range map[string]string{"workflow": "r.workflow", "status": "r.status", "kind": "r.kind"} {
		if v := q.Get(name); v != "" {
			f.and(column+" = ?", v)
		}
	}
	if v := q.Get("label"); v != "" {
		f.and("r.id IN (SELECT run FROM labels WHERE label = ?)", v)
	}
	for name, comparison := range map[string]string{"since": ">=", "until": "<"} {
		if v := q.Get(name); v != "" {
			at, err := time.Parse(time.RFC3339, v)
			if err != nil {
				return nil, refuse(http.StatusBadRequest, "The time is not right", name+" is a time such as 2026-11-23T14:30:00Z.")
			}
			f.and("r.id "+comparison+" ?", store.FirstID(at))
		}
	}
	if v := q.Get("cost"); v != "" {
		least, err := strconv.ParseFloat(v, 64)
		if err != nil || least < 0 {
			return nil, refuse(http.StatusBadRequest, "The cost is not right", "cost is a number such as 0.05.")
		}
		f.and("r.cost >= ? AND r.cost > 0", int64(money.FromUnits(least)))
	}
	return f, nil
}

// find gives the newest runs a filter picks.
func (a *API) find(ctx context.Context, f *filter, limit int) ([]wire.Run, error) {
	if f.words == "" {
		if f.before != "" {
			f.and("r.id < ?", f.before)
		}
		return a.query(ctx, "runs r", f, "r.id", limit)
	}
	if id := strings.ToLower(f.words); len(id) == idLength && !strings.Contains(id, " ") {
		byID := *f
		byID.where, byID.args = append(slices.Clone(f.where), "r.id = ?"), append(slices.Clone(f.args), id)
		if found, err := a.query(ctx, "runs r", &byID, "r.id", 1); err != nil || len(found) > 0 {
			return found, err
		}
	}
	about := *f
	about.where, about.args = append([]string{"run_words MATCH ?"}, f.where...), append([]any{matching(f.words)}, f.args...)
	if f.before != "" {
		about.and("w.rowid < coalesce((SELECT n FROM journal WHERE run = ? AND seq = 1), 0)", f.before)
	}
	found, err := a.query(ctx, "run_words w JOIN journal j ON j.n = w.rowid JOIN runs r ON r.id = j.run", &about, "w.rowid", limit)
	if err != nil {
		return nil, err
	}
	// Why a run failed is not among its words; only those that did are looked through.
	because := *f
	because.where, because.args = append(slices.Clone(f.where), "r.status IN ('failed', 'stopped')", "r.because LIKE ? ESCAPE '\\'"), append(slices.Clone(f.args), like(f.words))
	if f.before != "" {
		because.and("r.id < ?", f.before)
	}
	more, err := a.query(ctx, "runs r", &because, "r.id", limit)
	if err != nil {
		return nil, err
	}
	// The newest runs may not be in the index yet.
	fresh := *f
	fresh.where = append(slices.Clone(f.where), "j.n > coalesce((SELECT CAST(value AS INTEGER) FROM settings WHERE name = 'indexed'), 0)", "j.seq = 1", "r.about LIKE ? ESCAPE '\\'")
	fresh.args = append(slices.Clone(f.args), like(f.words))
	if f.before != "" {
		fresh.and("r.id < ?", f.before)
	}
	newest, err := a.query(ctx, "journal j JOIN runs r ON r.id = j.run", &fresh, "j.n", limit)
	if err != nil {
		return nil, err
	}
	all := slices.Concat(found, more, newest)
	slices.SortStableFunc(all, func(x, y wire.Run) int { return strings.Compare(y.ID, x.ID) })
	all = slices.CompactFunc(all, func(x, y wire.Run) bool { return x.ID == y.ID })
	return all[:min(limit, len(all))], nil
}

// idLength is how long the id of a run is.
const idLength = 16

func (a *API) query(ctx context.Context, from string, f *filter, order string, limit int) ([]wire.Run, error) {
	where := "1"
	if len(f.where) > 0 {
		where = strings.Join(f.where, " AND ")
	}
	return a.scanRuns(a.Store.Read().QueryContext(ctx, "SELECT "+runColumns+" FROM "+from+" WHERE "+where+" ORDER BY "+order+" DESC LIMIT ?", append(slices.Clone(f.args), limit)...))
}

// matching writes words as a query of the full-text index: all of them, each
// as a beginning.
func matching(words string) string {
	var out []string
	for _, word := range strings.Fields(words) {
		out = append(out, `"`+strings.ReplaceAll(word, `"`, `""`)+`"*`)
	}
	return strings.Join(out, " ")
}

func like(words string) string {
	return "%" + strings.NewReplacer(`\`, `\\`, "%", `\%`, "_", `\_`).Replace(words) + "%"
}

// sortBy orders a list by a text of its items.
func sortBy[T any](list []T, by func(T) string) {
	slices.SortFunc(list, func(x, y T) int { return strings.Compare(by(x), by(y)) })
}
