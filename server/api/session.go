package api

import (
	"context"
	"errors"
	"net/http"
	"strings"

	"woolsignal/server/access"
	"woolsignal/server/audit"
	"woolsignal/server/intake"
	"woolsignal/wire"
)

func (a *API) signIn(r *request, in wire.SignIn) (wire.Session, error) {
	s, p, err := a.Access.SignIn(r.Context(), in.Email, in.Password, caller(r))
	if err != nil {
		return wire.Session{}, a.refuseSignIn(r, audit.SignIn, in.Email, err)
	}
	a.note(r.Request, audit.Event{Did: audit.SignIn, Who: p.Email})
	a.keepSession(r, s)
	return a.describeSession(r, p)
}

// browserCookie keeps by what a browser is known that somebody signed in with.
const browserCookie = "woolsignal_browser"

// caller tells who tries to sign in.
func caller(r *request) access.Caller {
	from := access.Caller{Address: intake.CallerAddress(r.Request)}
	if known, err := r.Cookie(browserCookie); err == nil {
		from.Browser = known.Value
	}
	return from
}

// keepSession gives a browser the keys of a session.
func (a *API) keepSession(r *request, s access.Session) {
	a.setCookie(r, cookieName, s.Cookie, 14*24*3600)
	a.setCookie(r, browserCookie, s.Browser, 180*24*3600)
}

// refuseSignIn says why somebody could not sign in.
func (a *API) refuseSignIn(r *request, did, email string, err error) error {
	if !errors.Is(err, access.ErrTooMany) || a.told(audit.SignIn, r.Request) {
		a.note(r.Request, audit.Event{Did: did, Who: email, About: err.Error(), Refused: true})
	}
	switch {
	case errors.Is(err, access.ErrTooMany):
		r.header.Set("Retry-After", "60")
		return refuse(http.StatusTooManyRequests, "Too many tries", "Wait a minute and try again.")
	case errors.Is(err, access.ErrWrongPassword):
		return refuse(http.StatusUnauthorized, "Not signed in", "The e-mail or the password is wrong.")
	}
	return err
}

func (a *API) newToken(r *request, in wire.SignIn) (wire.Token, error) {
	p, err := a.Access.Check(r.Context(), in.Email, in.Password, caller(r))
	if err != nil {
		return wire.Token{}, a.refuseSignIn(r, audit.MakeToken, in.Email, err)
	}
	token, err := a.Access.NewToken(r.Context(), p, "command line")
	if err != nil {
		return wire.Token{}, err
	}
	a.note(r.Request, audit.Event{Did: audit.MakeToken, Who: p.Email})
	return wire.Token{Token: token, Person: wirePerson(p)}, nil
}

func (a *API) join(r *request, in wire.Join) (wire.Session, error) {
	s, p, err := a.Access.Accept(r.Context(), in.Key, in.Email, in.Name, in.Password)
	if errors.Is(err, access.ErrNoInvitation) {
		return wire.Session{}, refuse(http.StatusGone, "This link cannot be used",
			"It was used before or is too old. Start the service again for a new first link, or ask the owner.")
	}
	if err != nil {
		return wire.Session{}, refuse(http.StatusUnprocessableEntity, "The account could not be made", err.Error()+".")
	}
	if err := a.Workspace.Reread(context.WithoutCancel(r.Context())); err != nil { // files may name them now
		return wire.Session{}, err
	}
	a.note(r.Request, audit.Event{Did: audit.MakeAccount, Who: p.Email, About: string(p.Role)})
	a.keepSession(r, s)
	return a.describeSession(r, p)
}

func (a *API) setCookie(r *request, name, value string, age int) {
	cookie := &http.Cookie{Name: name, Value: value, Path: "/", MaxAge: age, HttpOnly: true,
		SameSite: http.SameSiteLaxMode, Secure: strings.HasPrefix(a.origin(r.Request), "https:")}
	r.header.Add("Set-Cookie", cookie.String())
}

func (a *API) session(r *request, _ none) (wire.Session, error) {
	return a.describeSession(r, person(r.Context()))
}

func (a *API) describeSession(r *request, p access.Person) (wire.Session, error) {
	open, err := a.openReviews(r.Context(), p)
	if err != nil {
		return wire.Session{}, err
	}
	s := a.Workspace.Now()
	return wire.Session{Person: wirePerson(p), Workspace: s.Name, Zone: s.Zone.String(), Currency: s.Currency,
		Reviews: len(yours(open))}, nil
}

func wirePerson(p access.Person) wire.Person {
	return wire.Person{Name: p.Name, Email: p.Email, Role: string(p.Role)}
}

func (a *API) signOut(r *request, _ none) (none, error) {
	if cookie, err := r.Cookie(cookieName); err == nil {
		if err := a.Access.SignOut(r.Context(), cookie.Value); err != nil {
			return none{}, err
		}
	}
	a.setCookie(r, cookieName, "", -1)
	return none{}, nil
}

func (a *API) people(r *request, _ none) ([]wire.Person, error) {
	all, err := a.Access.People(r.Context())
	if err != nil {
		return nil, err
	}
	out := []wire.Person{}
	for _, p := range all {
		out = append(out, wirePerson(p))
	}
	return out, nil
}

func (a *API) tokens(r *request, _ none) ([]wire.TokenListed, error) {
	all, err := a.Access.Tokens(r.Context(), person(r.Context()))
	if err != nil {
		return nil, err
	}
	out := []wire.TokenListed{}
	for _, t := range all {
		out = append(out, wire.TokenListed{ID: t.ID, Name: t.Name, Owner: t.Owner, Made: t.Made, Seen: t.Seen})
	}
	return out, nil
}

func (a *API) revoke(r *request, _ none) (none, error) {
	p := person(r.Context())
	err := a.Access.Revoke(r.Context(), p, r.Param("token"))
	if errors.Is(err, access.ErrNoToken) {
		return none{}, refuse(http.StatusNotFound, "Not here", "There is no token "+r.Param("token")+" of yours.")
	}
	return none{}, err
}

func (a *API) changePassword(r *request, in wire.NewPassword) (none, error) {
	p, cookie := person(r.Context()), ""
	if c, err := r.Cookie(cookieName); err == nil {
		cookie = c.Value
	}
	err := a.Access.ChangePassword(r.Context(), p, in.Password, in.Next, caller(r), cookie)
	var bad *access.PasswordError
	switch {
	case errors.As(err, &bad):
		return none{}, refuse(http.StatusUnprocessableEntity, "Another password is needed", bad.Why+".")
	case errors.Is(err, access.ErrWrongPassword):
		a.note(r.Request, audit.Event{Did: audit.Password, Who: p.Email, About: err.Error(), Refused: true})
		return none{}, refuse(http.StatusUnprocessableEntity, "Not changed",
			"The password you have now is another one.")
	case err != nil:
		return none{}, a.refuseSignIn(r, audit.Password, p.Email, err)
	}
	return none{}, nil
}
