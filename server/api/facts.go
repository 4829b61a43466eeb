package api

import (
	"errors"
	"fmt"
	"net/http"
	"strings"
	"unicode/utf8"

	"woolsignal/core/flow"
	"woolsignal/core/run"
	"woolsignal/server/engine"
	"woolsignal/wire"
)

// facts lists what agents and steps keep for later conversations.
func (a *API) facts(r *request, _ none) (wire.Facts, error) {
	limit, err := limitOf(r)
	if err != nil {
		return wire.Facts{}, err
	}
	q := r.URL.Query()
	all, err := a.Engine.Facts(r.Context(), engine.FactQuery{About: q.Get("about"), Contains: q.Get("contains"),
		After: q.Get("after"), Most: limit + 1})
	if err != nil {
		return wire.Facts{}, err
	}
	s, out := a.Workspace.Now(), wire.Facts{Facts: []wire.Fact{}}
	all, out.Next = page(all, limit, func(f engine.Fact) string { return f.ID })
	for _, f := range all {
		out.Facts = append(out.Facts, wire.Fact{ID: f.ID, About: f.About,
			Thread: run.ParseConversation(f.About).Thread, Name: f.Name, Fact: f.Fact, Run: f.Run,
			Workflow: f.Workflow, Title: titleOf(s, f.Workflow), At: f.At, By: f.By})
	}
	return out, nil
}

// correctFact has agents know something else from now on.
func (a *API) correctFact(r *request, c wire.Correction) (none, error) {
	c.Fact = strings.TrimSpace(c.Fact)
	switch n := utf8.RuneCountInString(c.Fact); {
	case n == 0:
		return none{}, refuse(http.StatusUnprocessableEntity, "Nothing to know", "The correction is empty. Remove the "+
			"fact instead, or write what is so.")
	case n > flow.LongestFact:
		return none{}, refuse(http.StatusUnprocessableEntity, "Too long", fmt.Sprintf("A fact has at most %d "+
			"characters, and this has %d. Agents read it each time: say it in a sentence.", flow.LongestFact, n))
	}
	return none{}, a.changeFact(r, c.Said, c.Fact)
}

func (a *API) removeFact(r *request, _ none) (none, error) {
	return none{}, a.changeFact(r, r.URL.Query().Get("said"), "")
}

func (a *API) changeFact(r *request, said, fact string) error {
	err := a.Engine.ChangeFact(r.Context(), r.Param("fact"), said, fact, person(r.Context()).Name)
	if errors.Is(err, run.ErrStale) {
		return refuse(http.StatusConflict, "Changed meanwhile", "This fact does not say any more what you read, or "+
			"none of this id is kept. Look at the facts again.")
	}
	return err
}
