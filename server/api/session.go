package api

import (
	"context"
	"errors"
	"net/http"
	"strings"

	"woolsignal/server/access"
	"woolsignal/server/intake"
	"woolsignal/wire"
)

func (a *API) signIn(w http.ResponseWriter, r *http.Request) error {
	in, err := decode[wire.SignIn](r)
	if err != nil {
		return err
	}
	cookie, p, err := a.Access.SignIn(r.Context(), in.Email, in.Password, intake.CallerAddress(r))
	if err != nil {
		return refuseSignIn(w, err)
	}
	a.setCookie(w, r, cookie, 14*24*3600)
	return a.describeSession(w, r, p)
}

// refuseSignIn says why somebody could not sign in.
func refuseSignIn(w http.ResponseWriter, err error) error {
	switch {
	case errors.Is(err, access.ErrTooMany):
		w.Header().Set("Retry-After", "60")
		return refuse(http.StatusTooManyRequests, "Too many tries", "Wait a minute and try again.")
	case errors.Is(err, access.ErrWrongPassword):
		return refuse(http.StatusUnauthorized, "Not signed in", "The e-mail or the password is wrong.")
	}
	return err
}

func (a *API) newToken(w http.ResponseWriter, r *http.Request) error {
	in, err := decode[wire.SignIn](r)
	if err != nil {
		return err
	}
	p, err := a.Access.Check(r.Context(), in.Email, in.Password, intake.CallerAddress(r))
	if err != nil {
		return refuseSignIn(w, err)
	}
	token, err := a.Access.NewToken(r.Context(), p, "command line")
	if err != nil {
		return err
	}
	return reply(w, wire.Token{Token: token, Person: wirePerson(p)})
}

func (a *API) join(w http.ResponseWriter, r *http.Request) error {
	in, err := decode[wire.Join](r)
	if err != nil {
		return err
	}
	cookie, p, err := a.Access.Accept(r.Context(), in.Key, in.Email, in.Name, in.Password)
	if errors.Is(err, access.ErrNoInvitation) {
		return refuse(http.StatusGone, "This link cannot be used", "It was used before or is too old. Start the service again for a new first link, or ask the owner.")
	}
	if err != nil {
		return refuse(http.StatusUnprocessableEntity, "The account could not be made", err.Error()+".")
	}
	if err := a.Workspace.Reread(context.WithoutCancel(r.Context())); err != nil { // files may name them now
		return err
	}
	a.setCookie(w, r, cookie, 14*24*3600)
	return a.describeSession(w, r, p)
}

func (a *API) setCookie(w http.ResponseWriter, r *http.Request, value string, age int) {
	http.SetCookie(w, &http.Cookie{Name: cookieName, Value: value, Path: "/", MaxAge: age, HttpOnly: true, SameSite: http.SameSiteLaxMode, Secure: strings.HasPrefix(a.origin(r), "https:")})
}

func (a *API) session(w http.ResponseWriter, r *http.Request) error {
	return a.describeSession(w, r, person(r.Context()))
}

func (a *API) describeSession(w http.ResponseWriter, r *http.Request, p access.Person) error {
	open, err := a.openReviews(r.Context(), p)
	if err != nil {
		return err
	}
	s := a.Workspace.Now()
	return reply(w, wire.Session{Person: wirePerson(p), Workspace: s.Name, Zone: s.Zone.String(), Currency: s.Currency, Reviews: len(yours(open))})
}

func wirePerson(p access.Person) wire.Person {
	return wire.Person{Name: p.Name, Email: p.Email, Role: string(p.Role)}
}

func (a *API) signOut(w http.ResponseWriter, r *http.Request) error {
	if cookie, err := r.Cookie(cookieName); err == nil {
		if err := a.Access.SignOut(r.Context(), cookie.Value); err != nil {
			return err
		}
	}
	a.setCookie(w, r, "", -1)
	w.WriteHeader(http.StatusNoContent)
	return nil
}

func (a *API) people(w http.ResponseWriter, r *http.Request) error {
	all, err := a.Access.People(r.Context())
	if err != nil {
		return err
	}
	out := []wire.Person{}
	for _, p := range all {
		out = append(out, wirePerson(p))
	}
	return reply(w, out)
}
