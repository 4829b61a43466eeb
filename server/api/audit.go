package api

import (
	"fmt"
	"net/http"
	"strconv"
	"strings"

	"github.com/go-chi/chi/v5/middleware"

	"woolsignal/server/audit"
	"woolsignal/server/callers"
	"woolsignal/server/intake"
	"woolsignal/wire"
)

// longestNoted is how much of a text somebody made up is kept, in bytes.
const longestNoted = 400

// note keeps an event of a request in the audit trail.
func (a *API) note(r *http.Request, e audit.Event) { a.Audit.Note(r.Context(), eventOf(r, e)) }

// eventOf is an event as it is kept of a request: where that came from, and no more of a text
// than there is room for.
func eventOf(r *http.Request, e audit.Event) audit.Event {
	e.From = intake.CallerAddress(r)
	e.Who, e.About = shortened(e.Who), shortened(e.About)
	return e
}

func shortened(text string) string {
	return strings.ToValidUTF8(text[:min(len(text), longestNoted)], "")
}

// did notes what a route did: where, and what it touched.
func (a *API) did(r *http.Request, route Route, touched string) {
	about := strings.TrimPrefix(r.URL.Path, prefix)
	if touched != "" {
		about += ": " + touched
	}
	e := eventOf(r, audit.Event{Did: route.Audited, Who: person(r.Context()).Email, About: about})
	if route.Hourly {
		a.Audit.NoteHourly(r.Context(), e)
	} else {
		a.Audit.Note(r.Context(), e)
	}
}

// told tells whether somebody who goes on with something is told of: of each kind once a
// minute a network, as a flood must not fill the record, nor hold up what others write.
func (a *API) told(kind string, r *http.Request) bool {
	return a.floods.Of(kind+" "+callers.Network(intake.CallerAddress(r)), 1).Allow()
}

// wrongToken notes that somebody showed a token or a session that is none.
func (a *API) wrongToken(r *http.Request) {
	if token, cookie := shown(r); (token != "" || cookie != "") && a.told(audit.WrongToken, r) {
		a.note(r, audit.Event{Did: audit.WrongToken, About: r.Method + " " + strings.TrimPrefix(r.URL.Path, prefix),
			Refused: true})
	}
}

// signed has a door at which deliveries are verified note those whose signature does not hold.
func (a *API) signed(door http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		answer := middleware.NewWrapResponseWriter(w, r.ProtoMajor)
		door.ServeHTTP(answer, r)
		if answer.Status() == http.StatusUnauthorized && a.told(audit.BadSignature, r) {
			a.note(r, audit.Event{Did: audit.BadSignature, About: r.URL.Path, Refused: true})
		}
	})
}

func onOrOff(on bool) string {
	if on {
		return "on"
	}
	return "off"
}

// mostNamed is how many names of what was touched are kept.
const mostNamed = 8

// named lists what was touched: the first few, and how many there are beside.
func named(names []string) string {
	if len(names) <= mostNamed {
		return strings.Join(names, ", ")
	}
	return fmt.Sprintf("%s and %d more", strings.Join(names[:mostNamed], ", "), len(names)-mostNamed)
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
