package api

import (
	"cmp"
	"context"
	"database/sql"
	"errors"
	"maps"
	"net/http"
	"slices"
	"strconv"
	"time"

	"github.com/go-chi/chi/v5"

	"woolsignal/core/flow"
	"woolsignal/core/run"
	"woolsignal/server/store"
	"woolsignal/server/workspace"
	"woolsignal/wire"
)

const runColumns = "r.id, r.workflow, r.status, r.because, r.kind, r.about, r.accepted, r.ended, r.input, r.output, " +
	"r.cost + r.below, coalesce(r.origin, ''), coalesce(r.origin_run, '')"

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
		var origin wire.Origin
		if err := rows.Scan(&r.ID, &r.Workflow, &r.Status, &r.Because, &r.Kind, &r.About, &accepted, &ended, &r.Input,
			&r.Output, &r.Cost, &origin.Kind, &origin.Run); err != nil {
			return out, err
		}
		if origin.Kind != "" {
			r.Origin = &origin
		}
		r.Accepted, r.Ended = store.FromTime(accepted), optional(ended)
		r.Title = titleOf(s, r.Workflow)
		if r.Status == run.Waiting && a.Engine.AtWork(r.ID) {
			r.Status = run.Running // by a run it called
		}
		out = append(out, r)
	}
	return out, rows.Err()
}

// titleOf is what a run's workflow, or the agent whose task it is, is called: as it is live,
// where it is.
func titleOf(s *workspace.Snapshot, workflow string) string {
	if live := s.Live[workflow]; live != nil {
		return live.Title
	}
	if w, ok := s.Workflows[workflow]; ok {
		return w.Title
	}
	if id, is := workspace.AgentOf(workflow); is && s.Agents[id] != nil {
		return s.Agents[id].Title
	}
	return workflow
}

func (a *API) runs(r *request, _ none) (wire.Runs, error) {
	limit, err := limitOf(r)
	if err != nil {
		return wire.Runs{}, err
	}
	f, err := readFilter(r.URL.Query())
	if err != nil {
		return wire.Runs{}, err
	}
	may, args := readable(person(r.Context()))
	if len(args) > 0 { // a condition that always holds would make searches look longer
		f.and(may, args...)
	}
	found, err := a.find(r.Context(), f, limit+1)
	if err != nil {
		return wire.Runs{}, err
	}
	found, next := page(found, limit, func(one wire.Run) string { return one.ID })
	return wire.Runs{Runs: found, Next: cmp.Or(next, f.goOn)}, nil
}

// page is what is answered of a list that was read one longer than its limit, and behind which
// of it the next page begins; "" where there is none.
func page[T any](all []T, limit int, id func(T) string) (some []T, next string) {
	if len(all) <= limit {
		return all, ""
	}
	return all[:limit], id(all[limit-1])
}

// limitOf is how many are asked for at once.
func limitOf(r *request) (int, error) {
	text := r.URL.Query().Get("limit")
	if text == "" {
		return 50, nil
	}
	n, err := strconv.Atoi(text)
	if err != nil || n < 1 || n > 200 {
		return 0, refuse(http.StatusBadRequest, "The limit is not right", "limit is a number from 1 to 200.")
	}
	return n, nil
}

func (a *API) run(r *request, _ none) (wire.Detail, error) {
	if err := a.mayRead(r.Context(), r.Param("run")); err != nil {
		return wire.Detail{}, err
	}
	return a.detail(r.Context(), r.Param("run"))
}

// detail lays a run over the script it was started with.
func (a *API) detail(ctx context.Context, id string) (wire.Detail, error) {
	var out wire.Detail
	atWork := a.Engine.AtWork(id)
	state, err := a.Engine.Fold(ctx, id)
	if err != nil {
		return out, err
	}
	atWork = atWork || a.Engine.AtWork(id) // a run it called may have begun meanwhile, or ended
	rows, err := a.scanRuns(a.Store.Read().QueryContext(ctx, "SELECT "+runColumns+" FROM runs r WHERE id = ?", id))
	if err != nil {
		return out, err
	}
	var hash string
	if err := a.Store.Read().QueryRowContext(ctx, "SELECT definition FROM runs WHERE id = ?",
		id).Scan(&hash); err != nil {
		return out, err
	}
	def, err := a.Workspace.ByHash(ctx, hash)
	var unreadable *workspace.UnreadableError
	if errors.As(err, &unreadable) { // what it did stands in its journal; the words for it are lost
		def = run.Unreadable(rows[0].Workflow)
	} else if err != nil {
		return out, err
	}
	out = wire.Detail{Run: rows[0], Signal: state.Signal, Response: state.Response, Steps: []wire.Step{},
		Reviews: []run.Review{}, Labels: []string{}, Result: state.Result, Wake: moment(state.Wake())}
	// The row was read a moment after the journal; the journal is the truth.
	out.Status, out.Because, out.Ended = state.Status, state.Because, moment(state.Ended)
	if state.Status == run.Waiting && (atWork || rows[0].Status != run.Waiting) {
		out.Status = run.Running
	}
	out.Input, out.Output, out.Cost = state.Spent.Input, state.Spent.Output, state.Spent.All()
	out.Below = state.Spent.Below
	out.Labels = append(out.Labels, state.Labels...)
	out.FollowUps = followUpsOf(out.Run, state)
	s := a.Workspace.Now()
	if out.Draft = state.Draft(); out.Draft {
		out.InPlace = inPlace(s, def.Workflow)
	}
	if o := state.Origin; o != nil && o.Kind == run.OfTry {
		out.Held, out.Step = o.Held, o.Step
	}
	if state.Ahead != 0 {
		asIf := time.Now().Add(state.Ahead)
		out.AsIf = &asIf
	}
	lay(&out, def, state, s.Explain(def.Of(state).Workflow, s.Tools.Find))
	return out, nil
}

// inPlace lists the connections drafts of a workflow use in place of others.
func inPlace(s *workspace.Snapshot, w *flow.Workflow) []wire.InPlace {
	out := []wire.InPlace{}
	for _, id := range slices.Sorted(maps.Keys(s.Connections)) {
		c := s.Connections[id]
		if other := s.Connections[c.Drafts]; other != nil && slices.Contains(usedBy(s, id), w.ID) {
			out = append(out, wire.InPlace{Of: c.Title, Used: other.Title})
		}
	}
	return out
}

func moment(t time.Time) *time.Time {
	if t.IsZero() {
		return nil
	}
	return &t
}

func (a *API) stop(r *request, in wire.Stop) (wire.Detail, error) {
	id := r.Param("run")
	err := a.Engine.StopRun(r.Context(), id, run.Stop{By: person(r.Context()).Name, Note: in.Note})
	if errors.Is(err, run.ErrStale) {
		return wire.Detail{}, refuse(http.StatusConflict, "Too late", "The run "+id+" has ended already.")
	} else if err != nil {
		return wire.Detail{}, err
	}
	return a.detail(r.Context(), id)
}

func (a *API) journal(w http.ResponseWriter, r *http.Request) error {
	if err := a.mayRead(r.Context(), chi.URLParam(r, "run")); err != nil {
		return err
	}
	entries, err := a.Engine.Journal(r.Context(), chi.URLParam(r, "run"))
	if err != nil {
		return err
	}
	return reply(w, 0, entries)
}

func (a *API) today(r *request, _ none) (wire.Today, error) {
	ctx, db, s := r.Context(), a.Store.Read(), a.Workspace.Now()
	out := wire.Today{Missing: []wire.Unready{}}
	open, err := a.openReviews(ctx, person(ctx))
	if err != nil {
		return wire.Today{}, err
	}
	out.Reviews = yours(open)
	all, err := a.describeConnections(r)
	if err != nil {
		return wire.Today{}, err
	}
	for _, c := range all {
		if !c.Ready && len(c.Used) > 0 {
			out.Missing = append(out.Missing, wire.Unready{ID: c.ID, Title: c.Title,
				SignIn: c.SignIn != nil, Used: c.Used})
		}
	}
	day := time.Now().Add(-24 * time.Hour)
	may, args := readable(person(ctx))
	out.Failed, err = a.scanRuns(db.QueryContext(ctx, "SELECT "+runColumns+
		" FROM runs r WHERE "+may+" AND status = 'failed' AND ended >= ? ORDER BY id DESC LIMIT 20",
		append(slices.Clone(args), store.Time(day))...))
	if err != nil {
		return wire.Today{}, err
	}
	out.Running, err = a.scanRuns(db.QueryContext(ctx, "SELECT "+runColumns+
		" FROM runs r WHERE "+may+" AND ended IS NULL ORDER BY id DESC LIMIT 20", args...))
	if err != nil {
		return wire.Today{}, err
	}
	now := time.Now().In(s.Zone)
	midnight := time.Date(now.Year(), now.Month(), now.Day(), 0, 0, 0, 0, s.Zone)
	err = db.QueryRowContext(ctx,
		"SELECT count(*), coalesce(sum(cost), 0), coalesce(sum(input), 0), coalesce(sum(output), 0) FROM runs WHERE "+
			"accepted >= ?", store.Time(midnight)).
		Scan(&out.Runs, &out.Cost, &out.Input, &out.Output)
	if err != nil {
		return wire.Today{}, err
	}
	return out, nil
}
