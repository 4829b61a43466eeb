package api

import (
	"net/http"
	"strconv"
	"strings"

	"woolsignal/server/audit"
	"woolsignal/server/intake"
	"woolsignal/wire"
)

// longestNoted is how much of a text somebody made up is kept, in bytes.
const longestNoted = 200

// note keeps an event of a request in the audit trail.
func (a *API) note(r *http.Request, e audit.Event) {
	e.From = intake.CallerAddress(r)
	e.Who, e.About = shortened(e.Who), shortened(e.About)
	a.Audit.Note(r.Context(), e)
}

func shortened(text string) string {
	return strings.ToValidUTF8(text[:min(len(text), longestNoted)], "")
}

// mostEvents bounds how many events are listed at once.
const mostEvents = 500

func (a *API) auditTrail(r *request, _ none) ([]wire.Event, error) {
	q := r.URL.Query()
	wanted := audit.Query{Who: q.Get("who"), Did: q.Get("did"), Limit: 100}
	if n, err := strconv.Atoi(q.Get("limit")); err == nil && n > 0 {
		wanted.Limit = min(n, mostEvents)
	}
	wanted.Before, _ = strconv.ParseInt(q.Get("before"), 10, 64) // the route has seen that it is one
	all, err := a.Audit.Events(r.Context(), wanted)
	if err != nil {
		return nil, err
	}
	out := []wire.Event{}
	for _, e := range all {
		out = append(out, wire.Event{N: e.N, At: e.At, Did: e.Did, Who: e.Who, From: e.From, About: e.About,
			Refused: e.Refused})
	}
	return out, nil
}
