package api

import (
	"context"
	"database/sql"
	"errors"
	"net/http"
	"strconv"
	"strings"
	"time"

	"github.com/go-chi/chi/v5"

	"woolsignal/core/run"
	"woolsignal/server/store"
	"woolsignal/wire"
)

const runColumns = "id, workflow, status, because, kind, about, accepted, ended, input, output, cost"

func (a *API) scanRuns(rows *sql.Rows, err error) ([]wire.Run, error) {
	out := []wire.Run{}
	if err != nil {
		return out, err
	}
	defer rows.Close()
	s := a.Workspace.Now()
	for rows.Next() {
		var r wire.Run
		var accepted int64
		var ended *int64
		if err := rows.Scan(&r.ID, &r.Workflow, &r.Status, &r.Because, &r.Kind, &r.About, &accepted, &ended, &r.Input, &r.Output, &r.Cost); err != nil {
			return out, err
		}
		r.Accepted, r.Ended, r.Title = store.FromTime(accepted), optional(ended), r.Workflow
		if w, ok := s.Workflows[r.Workflow]; ok {
			r.Title = w.Title
		}
		out = append(out, r)
	}
	return out, rows.Err()
}

func (a *API) runs(w http.ResponseWriter, r *http.Request) error {
	q := r.URL.Query()
	limit := 50
	if text := q.Get("limit"); text != "" {
		n, err := strconv.Atoi(text)
		if err != nil || n < 1 || n > 200 {
			return refuse(http.StatusBadRequest, "The limit is not right", "limit is a number from 1 to 200.")
		}
		limit = n
	}
	where, args := []string{"1"}, []any{}
	and := func(condition string, values ...any) { where, args = append(where, condition), append(args, values...) }
	if v := q.Get("workflow"); v != "" {
		and("workflow = ?", v)
	}
	if v := q.Get("status"); v != "" {
		and("status = ?", v)
	}
	if v := q.Get("before"); v != "" {
		and("id < ?", v)
	}
	if v := q.Get("text"); v != "" {
		pattern := "%" + strings.NewReplacer(`\`, `\\`, "%", `\%`, "_", `\_`).Replace(v) + "%"
		and(`(about LIKE ? ESCAPE '\' OR because LIKE ? ESCAPE '\' OR id LIKE ? ESCAPE '\')`, pattern, pattern, pattern)
	}
	found, err := a.scanRuns(a.Store.Read().QueryContext(r.Context(),
		"SELECT "+runColumns+" FROM runs WHERE "+strings.Join(where, " AND ")+" ORDER BY id DESC LIMIT ?", append(args, limit+1)...))
	if err != nil {
		return err
	}
	out := wire.Runs{Runs: found}
	if len(found) > limit {
		out.Runs = found[:limit]
		out.Next = found[limit-1].ID
	}
	return reply(w, out)
}

func (a *API) run(w http.ResponseWriter, r *http.Request) error {
	detail, err := a.detail(r.Context(), chi.URLParam(r, "run"))
	if err != nil {
		return err
	}
	return reply(w, detail)
}

// detail lays a run over the script it was started with.
func (a *API) detail(ctx context.Context, id string) (wire.Detail, error) {
	var out wire.Detail
	state, err := a.Engine.Fold(ctx, id)
	if err != nil {
		return out, err
	}
	rows, err := a.scanRuns(a.Store.Read().QueryContext(ctx, "SELECT "+runColumns+" FROM runs WHERE id = ?", id))
	if err != nil {
		return out, err
	}
	var hash string
	if err := a.Store.Read().QueryRowContext(ctx, "SELECT definition FROM runs WHERE id = ?", id).Scan(&hash); err != nil {
		return out, err
	}
	def, err := a.Workspace.ByHash(ctx, hash)
	if err != nil {
		return out, err
	}
	out = wire.Detail{Run: rows[0], Signal: state.Signal, Response: state.Response, Steps: []wire.Step{}, Reviews: []run.Review{}}
	// The row was read a moment after the journal; the journal is the truth.
	totals := state.Totals()
	out.Status, out.Because, out.Ended = state.Status, state.Because, moment(state.Ended)
	out.Input, out.Output, out.Cost = totals.Input, totals.Output, totals.Cost
	s := a.Workspace.Now()
	for _, line := range s.Explain(def.Workflow, s.Tools.Find) {
		step := wire.Step{Line: line}
		if line.Kind == "trigger" && strings.TrimPrefix(line.Path, "trigger/") == state.Signal.Trigger {
			step.Status, step.Began, step.Ended = run.Done, &state.Accepted, &state.Accepted
		}
		if line.Kind == "case" {
			at := strings.LastIndex(line.Path, "/c")
			if d := state.Step(line.Path[:at]); d != nil && d.Case != nil && strconv.Itoa(*d.Case) == line.Path[at+2:] {
				step.Status, step.Began, step.Ended = d.Status, &d.Began, moment(d.Ended)
			}
		} else if did := state.Step(line.Path); did != nil {
			step.Status, step.Began, step.Ended, step.Input, step.Output, step.Error, step.Agent = did.Status, &did.Began, moment(did.Ended), did.Input, did.Output, did.Error, did.Agent
			if did.Agent != nil {
				_, _, step.Cost = did.Agent.Spent()
			}
			for _, review := range did.Reviews {
				out.Reviews = append(out.Reviews, *state.Reviews[review])
				if did.Status == run.Running && state.Status == run.Waiting {
					step.Status = run.Waiting
				}
			}
		}
		out.Steps = append(out.Steps, step)
	}
	return out, nil
}

func moment(t time.Time) *time.Time {
	if t.IsZero() {
		return nil
	}
	return &t
}

func (a *API) cancel(w http.ResponseWriter, r *http.Request) error {
	in, err := decode[wire.Stop](r)
	if err != nil {
		return err
	}
	id := chi.URLParam(r, "run")
	err = a.Engine.StopRun(r.Context(), id, run.Stop{By: person(r.Context()).Name, Note: in.Note})
	if errors.Is(err, run.ErrStale) {
		return refuse(http.StatusConflict, "Too late", "The run "+id+" has ended already.")
	} else if err != nil {
		return err
	}
	detail, err := a.detail(r.Context(), id)
	if err != nil {
		return err
	}
	return reply(w, detail)
}

func (a *API) journal(w http.ResponseWriter, r *http.Request) error {
	entries, err := a.Engine.Journal(r.Context(), chi.URLParam(r, "run"))
	if err != nil {
		return err
	}
	return reply(w, entries)
}

func (a *API) today(w http.ResponseWriter, r *http.Request) error {
	ctx, db, s := r.Context(), a.Store.Read(), a.Workspace.Now()
	out := wire.Today{Missing: []wire.Connection{}}
	open, err := a.openReviews(ctx, person(ctx))
	if err != nil {
		return err
	}
	out.Reviews = yours(open)
	for _, c := range a.describeConnections() {
		if c.Needs && !c.Has {
			out.Missing = append(out.Missing, c)
		}
	}
	day := time.Now().Add(-24 * time.Hour)
	out.Failed, err = a.scanRuns(db.QueryContext(ctx, "SELECT "+runColumns+" FROM runs WHERE status = 'failed' AND ended >= ? ORDER BY id DESC LIMIT 20", store.Time(day)))
	if err != nil {
		return err
	}
	out.Running, err = a.scanRuns(db.QueryContext(ctx, "SELECT "+runColumns+" FROM runs WHERE ended IS NULL ORDER BY id DESC LIMIT 20"))
	if err != nil {
		return err
	}
	now := time.Now().In(s.Zone)
	midnight := time.Date(now.Year(), now.Month(), now.Day(), 0, 0, 0, 0, s.Zone)
	err = db.QueryRowContext(ctx, "SELECT count(*), coalesce(sum(cost), 0), coalesce(sum(input), 0), coalesce(sum(output), 0) FROM runs WHERE accepted >= ?", store.Time(midnight)).
		Scan(&out.Runs, &out.Cost, &out.Input, &out.Output)
	if err != nil {
		return err
	}
	return reply(w, out)
}
