package api

import (
	"context"
	"database/sql"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"
	"time"
	"unicode"

	"woolsignal/core/money"
	"woolsignal/core/run"
	"woolsignal/server/store"
	"woolsignal/wire"
)

// filter picks runs. Empty fields pick all.
type filter struct {
	where  []string
	args   []any
	words  string // looked for in what runs are about and why they ended so
	before string
	goOn   string // where to look on, when a page is short for having looked long
}

func (f *filter) and(condition string, values ...any) {
	f.where, f.args = append(f.where, condition), append(f.args, values...)
}

func readFilter(q url.Values) (*filter, error) {
	f := &filter{words: strings.TrimSpace(q.Get("text")), before: q.Get("before")}
	if v := q.Get("workflow"); v != "" {
		f.and("r.workflow = ?", v)
	}
	// The conditions beside the wished one let SQLite use the indexes of open
	// runs, of failed ones, and of kinds that are rarer than webhooks.
	switch v := run.Status(q.Get("status")); v {
	case "":
	case run.Queued, run.Running, run.Waiting:
		f.and("r.status = ? AND r.ended IS NULL", string(v))
	case run.Failed, run.Stopped:
		f.and("r.status = ? AND r.status IN ('failed', 'stopped')", string(v))
	default:
		f.and("r.status = ?", string(v))
	}
	switch v := q.Get("kind"); v {
	case "":
	case "webhook":
		f.and("r.kind = ?", v)
	default:
		f.and("r.kind = ? AND r.kind != 'webhook'", v)
	}
	if v := q.Get("label"); v != "" {
		f.and("r.id IN (SELECT run FROM labels WHERE label = ?)", v)
	}
	for name, comparison := range map[string]string{"since": ">=", "until": "<"} {
		if v := q.Get(name); v != "" {
			at, err := time.Parse(time.RFC3339, v)
			if err != nil {
				return nil, refuse(http.StatusBadRequest, "The time is not right", name+
					" is a time such as 2026-11-23T14:30:00Z.")
			}
			f.and("r.id "+comparison+" ?", store.FirstID(at))
		}
	}
	if v := q.Get("cost"); v != "" {
		least, err := strconv.ParseFloat(v, 64)
		if err != nil || least < 0 {
			return nil, refuse(http.StatusBadRequest, "The cost is not right", "cost is a number such as 0.05.")
		}
		f.and("r.cost + r.below >= ? AND r.cost + r.below > 0", int64(money.FromUnits(least)))
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
	// Whole words first: to find which words a beginning stands for is dearer.
	found, err := a.words(ctx, f, allOf(wordsOf(f.words)), limit)
	if err == nil && len(found) == 0 && f.goOn == "" {
		var query string
		if query, err = a.matching(ctx, f.words); err == nil {
			found, err = a.words(ctx, f, query, limit)
		}
	}
	if err != nil {
		return nil, err
	}
	newest, err := a.unindexed(ctx, f, limit)
	if err != nil {
		return nil, err
	}
	all := slices.Concat(found, newest)
	slices.SortStableFunc(all, func(x, y wire.Run) int { return strings.Compare(y.ID, x.ID) })
	all = slices.CompactFunc(all, func(x, y wire.Run) bool { return x.ID == y.ID })
	return all[:min(limit, len(all))], nil
}

// mostLooked is how many runs that hold the words are held against the other
// filters in one request. Where none of them fits, the page is short, and says
// where to go on.
const mostLooked = 2000

// words asks the full-text index.
func (a *API) words(ctx context.Context, f *filter, query string, limit int) ([]wire.Run, error) {
	if query == "" {
		return nil, nil
	}
	below, args := "", []any{query}
	if f.before != "" {
		below, args = " AND rowid < coalesce((SELECT n FROM journal WHERE run = ? AND seq = 1), 0)", append(args,
			f.before)
	}
	most := mostLooked
	if len(f.where) == 0 {
		most = limit
	}
	hits := "(SELECT rowid AS n FROM run_words WHERE run_words MATCH ?" + below + " ORDER BY rowid DESC LIMIT ?) w"
	var looked int
	var last sql.NullInt64
	if err := a.Store.Read().QueryRowContext(ctx, "SELECT count(*), min(w.n) FROM "+hits,
		append(slices.Clone(args), most)...).Scan(&looked, &last); err != nil {
		return nil, err
	}
	in := *f
	in.args = append(append(args, most), f.args...)
	found, err := a.query(ctx, hits+" CROSS JOIN journal j ON j.n = w.n CROSS JOIN runs r ON r.id = j.run", &in, "w.n",
		limit)
	if err != nil || looked < most || len(found) >= limit {
		return found, err
	}
	return found, a.Store.Read().QueryRowContext(ctx, "SELECT run FROM journal WHERE n = ?", last.Int64).Scan(&f.goOn)
}

// unindexed looks through the newest runs, which may not be in the index yet.
func (a *API) unindexed(ctx context.Context, f *filter, limit int) ([]wire.Run, error) {
	in := *f
	in.where = append(slices.Clone(f.where),
		"j.n > coalesce((SELECT CAST(value AS INTEGER) FROM settings WHERE name = 'indexed'), 0)",
		"j.seq IN (1, r.seq)", "(r.about LIKE ? ESCAPE '\\' OR r.because LIKE ? ESCAPE '\\')")
	in.args = append(slices.Clone(f.args), like(f.words), like(f.words))
	if f.before != "" {
		in.and("r.id < ?", f.before)
	}
	return a.query(ctx, "journal j CROSS JOIN runs r ON r.id = j.run", &in, "j.n", limit)
}

// idLength is how long the id of a run is.
const idLength = 16

func (a *API) query(ctx context.Context, from string, f *filter, order string, limit int) ([]wire.Run, error) {
	where := "1"
	if len(f.where) > 0 {
		where = strings.Join(f.where, " AND ")
	}
	return a.scanRuns(a.Store.Read().QueryContext(ctx, "SELECT "+runColumns+" FROM "+from+" WHERE "+where+" ORDER BY "+
		order+" DESC LIMIT ?", append(slices.Clone(f.args), limit)...))
}

// mostTerms is how many words of the index a beginning may stand for; where it
// stands for more, each is rare.
const mostTerms = 20

// wordsOf lists the words of a text, each in quotes.
func wordsOf(text string) []string {
	words := strings.FieldsFunc(strings.ToLower(text),
		func(r rune) bool { return !unicode.IsLetter(r) && !unicode.IsDigit(r) })
	for i, word := range words {
		words[i] = `"` + word + `"`
	}
	return words
}

// allOf writes words as a query of the full-text index; "" where there is none.
func allOf(words []string) string { return strings.Join(words, " AND ") }

// matching writes words as a query of the full-text index: all of them, the
// last one as a beginning. Whole words are quicker to look for than
// beginnings, so a beginning of a few is written as those.
func (a *API) matching(ctx context.Context, text string) (string, error) {
	words := wordsOf(text)
	if len(words) == 0 {
		return "", nil
	}
	last := strings.Trim(words[len(words)-1], `"`)
	rows, err := a.Store.Read().QueryContext(ctx, "SELECT term FROM run_terms WHERE term >= ? AND term < ? LIMIT ?",
		last, last+"\U0010FFFF", mostTerms+1)
	if err != nil {
		return "", err
	}
	defer rows.Close()
	var terms []string
	for rows.Next() {
		var term string
		if err := rows.Scan(&term); err != nil {
			return "", err
		}
		terms = append(terms, `"`+term+`"`)
	}
	switch {
	case len(terms) > mostTerms:
		words[len(words)-1] += "*"
	case len(terms) > 0:
		words[len(words)-1] = "(" + strings.Join(terms, " OR ") + ")"
	}
	return allOf(words), rows.Err()
}

func like(words string) string {
	return "%" + strings.NewReplacer(`\`, `\\`, "%", `\%`, "_", `\_`).Replace(words) + "%"
}

// sortBy orders a list by a text of its items.
func sortBy[T any](list []T, by func(T) string) {
	slices.SortFunc(list, func(x, y T) int { return strings.Compare(by(x), by(y)) })
}
