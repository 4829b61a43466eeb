package api

import (
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"net/http"
	"slices"

	"woolsignal/core/expr"
	"woolsignal/core/flow"
	"woolsignal/core/run"
	"woolsignal/server/access"
	"woolsignal/wire"
)

const reviewQuery = "SELECT reviews.run, reviews.workflow, runs.about, review FROM reviews JOIN runs ON runs.id = " +
	"reviews.run WHERE "

func (a *API) scanReviews(p access.Person, rows *sql.Rows, err error) ([]wire.Review, error) {
	out := []wire.Review{}
	if err != nil {
		return out, err
	}
	defer rows.Close()
	s := a.Workspace.Now()
	for rows.Next() {
		var r wire.Review
		var text []byte
		if err := rows.Scan(&r.Run, &r.Workflow, &r.About, &text); err != nil {
			return out, err
		}
		if err := json.Unmarshal(text, &r.Review); err != nil {
			return out, err
		}
		r.From = titleOf(s, r.Workflow)
		r.Yours = p.MayDecide(r.Ask, s.Teams)
		out = append(out, r)
	}
	return out, rows.Err()
}

func (a *API) openReviews(ctx context.Context, p access.Person) ([]wire.Review, error) {
	rows, err := a.Store.Read().QueryContext(ctx, reviewQuery+"decided IS NULL ORDER BY asked LIMIT 500")
	return a.scanReviews(p, rows, err)
}

// yours picks the reviews that the person may decide.
func yours(all []wire.Review) []wire.Review {
	return slices.DeleteFunc(all, func(r wire.Review) bool { return !r.Yours })
}

func (a *API) reviews(r *request, _ none) (wire.Reviews, error) {
	p := person(r.Context())
	var all []wire.Review
	var err error
	if r.URL.Query().Get("decided") == "true" {
		rows, failed := a.Store.Read().QueryContext(r.Context(), reviewQuery+
			"decided IS NOT NULL ORDER BY decided DESC LIMIT 100")
		all, err = a.scanReviews(p, rows, failed)
	} else {
		all, err = a.openReviews(r.Context(), p)
	}
	if err == nil {
		all, err = a.legible(r.Context(), all)
	}
	if err != nil {
		return wire.Reviews{}, err
	}
	return wire.Reviews{Reviews: all}, nil
}

func (a *API) findReview(ctx context.Context, id string) (wire.Review, error) {
	rows, err := a.Store.Read().QueryContext(ctx, reviewQuery+"reviews.id = ?", id)
	found, err := a.scanReviews(person(ctx), rows, err)
	if err != nil {
		return wire.Review{}, err
	}
	if len(found) == 0 {
		return wire.Review{}, refuse(http.StatusNotFound, "Not here", "There is no review "+id+".")
	}
	if !found[0].Yours {
		return found[0], a.mayRead(ctx, found[0].Run)
	}
	return found[0], nil
}

func (a *API) review(r *request, _ none) (wire.Review, error) {
	found, err := a.findReview(r.Context(), r.Param("review"))
	if err != nil {
		return wire.Review{}, err
	}
	return found, nil
}

func (a *API) decide(r *request, in wire.Decision) (wire.Review, error) {
	ctx, id := r.Context(), r.Param("review")
	found, err := a.findReview(ctx, id)
	if err != nil {
		return wire.Review{}, err
	}
	if !found.Yours {
		return wire.Review{}, refuse(http.StatusForbidden, "Not yours to decide", "This was put to "+
			flow.Audience(found.Ask)+".")
	}
	r.touches(in.Choice)
	edited := expr.CanonicalMap(in.Edited)
	err = a.Engine.Decide(ctx, found.Run,
		run.Decided{Review: id, Choice: in.Choice, Edited: edited, By: person(ctx).Name, Note: in.Note})
	var refused *run.Refused
	switch {
	case errors.Is(err, run.ErrStale):
		if found, err = a.findReview(ctx, id); err != nil {
			return wire.Review{}, err
		}
		if found.By == "" {
			return wire.Review{}, refuse(http.StatusConflict, "Too late", "The run ended before anybody decided.")
		}
		return wire.Review{}, refuse(http.StatusConflict, "Already decided", found.By+" chose “"+found.Choice+
			"” before you.")
	case errors.As(err, &refused):
		return wire.Review{}, refuse(http.StatusUnprocessableEntity, "This cannot be decided so", refused.Message+".")
	case err != nil:
		return wire.Review{}, err
	}
	if found, err = a.findReview(ctx, id); err != nil {
		return wire.Review{}, err
	}
	return found, nil
}
