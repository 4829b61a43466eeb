package api

import (
	"fmt"
	"maps"
	"net/http"
	"slices"
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
func (a *API) note(r *http.Request, e audit.Event) {
	e.From = intake.CallerAddress(r)
	e.Who, e.About = shortened(e.Who), shortened(e.About)
	a.Audit.Note(r.Context(), e)
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
	e := audit.Event{Did: route.Audited, Who: shortened(person(r.Context()).Email), About: shortened(about),
		From: intake.CallerAddress(r)}
	if route.Hourly {
		a.Audit.NoteHourly(r.Context(), e)
	} else {
		a.Audit.Note(r.Context(), e)
	}
}

// wrongToken notes that somebody showed a token or a session that is none; once a minute
// from a network, as a flood must not fill the record.
func (a *API) wrongToken(r *http.Request) {
	token, cookie := shown(r)
	if token == "" && cookie == "" || !a.floods.Of("token "+callers.Network(intake.CallerAddress(r)), 1).Allow() {
		return
	}
	a.note(r, audit.Event{Did: audit.WrongToken, About: r.Method + " " + strings.TrimPrefix(r.URL.Path, prefix),
		Refused: true})
}

// signed has a door at which deliveries are verified note those whose signature does not
// hold; once a minute from a network.
func (a *API) signed(door http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		answer := middleware.NewWrapResponseWriter(w, r.ProtoMajor)
		door.ServeHTTP(answer, r)
		if answer.Status() == http.StatusUnauthorized &&
			a.floods.Of("signature "+callers.Network(intake.CallerAddress(r)), 1).Allow() {
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

// differing are the names of the files that two sets of files do not share, in order.
func differing(before, after map[string]string) []string {
	names := map[string]bool{}
	for name, text := range after {
		if was, there := before[name]; !there || was != text {
			names[name] = true
		}
	}
	for name := range before {
		if _, there := after[name]; !there {
			names[name] = true
		}
	}
	return slices.Sorted(maps.Keys(names))
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
