package access

import (
	"context"
	"database/sql"
	"errors"
	"strings"
	"time"

	"woolsignal/server/callers"
	"woolsignal/server/store"
)

// A sign-in ends after sessionLife, and before that where nobody used it for
// idleLife. The browser it was made in is known for browserLife.
const (
	sessionLife = 14 * 24 * time.Hour
	idleLife    = 3 * 24 * time.Hour
	browserLife = 180 * 24 * time.Hour
	seenEvery   = time.Hour // how exactly it is kept when somebody was last seen
)

// Session is what a browser is given when somebody signs in: the key of the
// session, and one by which it is known again at the next sign-in.
type Session struct{ Cookie, Browser string }

// Caller is where a try to sign in comes from.
type Caller struct {
	Address string
	Browser string // as [Session] gave it; "" is one nobody signed in with
}

// SignIn checks a password and opens a session. Errors: those of
// [Access.Check].
func (a *Access) SignIn(ctx context.Context, email, password string, from Caller) (s Session, p Person, err error) {
	if p, err = a.Check(ctx, email, password, from); err != nil {
		return s, p, err
	}
	s, err = a.open(ctx, p)
	return s, p, err
}

// Check finds the person of an e-mail and password. Errors: [ErrWrongPassword],
// or [ErrTooMany] when the person or the address was tried too often. Somebody
// who signed in with a browser before has tries of their own there, so that
// others' guesses do not lock them out.
func (a *Access) Check(ctx context.Context, email, password string, from Caller) (p Person, err error) {
	// An office shares an address, so that may try more often than one person.
	if !a.tries.Of("address "+callers.Network(from.Address), 30).Allow() {
		return p, ErrTooMany
	}
	meant := "e-mail " + strings.ToLower(email)
	if a.knows(ctx, email, from.Browser) {
		meant = "browser " + from.Browser
	}
	if !a.tries.Of(meant, 10).Allow() {
		return p, ErrTooMany
	}
	var hashed string
	err = a.store.Read().QueryRowContext(ctx, "SELECT id, email, name, role, password FROM people WHERE email = ?",
		email).
		Scan(&p.ID, &p.Email, &p.Name, &p.Role, &hashed)
	if errors.Is(err, sql.ErrNoRows) {
		hashed = nobody() // takes as long as a real one, so that timing tells nothing
	} else if err != nil {
		return p, err
	}
	fits, err := a.fits(ctx, hashed, password)
	switch {
	case err != nil:
		return Person{}, err
	case !fits || p.ID == 0:
		return Person{}, ErrWrongPassword
	}
	return p, nil
}

// knows tells whether the person of an e-mail signed in with a browser before.
func (a *Access) knows(ctx context.Context, email, browser string) bool {
	if browser == "" {
		return false
	}
	var n int
	err := a.store.Read().QueryRowContext(ctx, "SELECT count(*) FROM browsers b JOIN people p ON p.id = b.person "+
		"WHERE b.hash = ? AND p.email = ? AND b.expires > ?", hash(browser), email, store.Time(time.Now())).Scan(&n)
	return err == nil && n > 0
}

func (a *Access) open(ctx context.Context, p Person) (Session, error) {
	s, now := Session{secret(), secret()}, time.Now()
	var b store.Batch
	b.Do("DELETE FROM sessions WHERE expires < ? OR seen < ?", store.Time(now), store.Time(now.Add(-idleLife)))
	b.Do("DELETE FROM browsers WHERE expires < ?", store.Time(now))
	b.Do("INSERT INTO sessions (hash, person, expires, seen) VALUES (?, ?, ?, ?)", hash(s.Cookie), p.ID,
		store.Time(now.Add(sessionLife)), store.Time(now))
	b.Do("INSERT INTO browsers (hash, person, expires) VALUES (?, ?, ?)", hash(s.Browser), p.ID,
		store.Time(now.Add(browserLife)))
	return s, a.store.Write(ctx, b)
}

// SignOut ends a session.
func (a *Access) SignOut(ctx context.Context, cookie string) error {
	var b store.Batch
	b.Do("DELETE FROM sessions WHERE hash = ?", hash(cookie))
	return a.store.Write(ctx, b)
}

// BySession finds whose session a cookie is. The error is [ErrNotSignedIn]
// where it is nobody's, or was not used for too long.
func (a *Access) BySession(ctx context.Context, cookie string) (Person, error) {
	return a.seen(ctx, sessionKey, true, hash(cookie), sessionWhile()...)
}

// Stands tells whose a token is, or where that is "" a session's cookie,
// without counting as a use of it: a page that stays open is not somebody who
// is there.
func (a *Access) Stands(ctx context.Context, token, cookie string) (Person, error) {
	if token != "" {
		return a.seen(ctx, tokenKey, false, hash(token))
	}
	return a.seen(ctx, sessionKey, false, hash(cookie), sessionWhile()...)
}

// sessionWhile is what must hold for a session to be good still.
func sessionWhile() []any {
	now := time.Now()
	return []any{store.Time(now), store.Time(now.Add(-idleLife))}
}

// key is how one kind of key is found, and how it is kept that it was used.
type key struct{ find, use string }

var (
	sessionKey = key{"SELECT p.id, p.email, p.name, p.role, k.seen FROM sessions k JOIN people p ON p.id = k.person " +
		"WHERE k.hash = ? AND k.expires > ? AND k.seen > ?", "UPDATE sessions SET seen = ? WHERE hash = ?"}
	tokenKey = key{"SELECT p.id, p.email, p.name, p.role, k.seen FROM tokens k JOIN people p ON p.id = k.person " +
		"WHERE k.hash = ?", "UPDATE tokens SET seen = ? WHERE hash = ?"}
)

// seen finds whose key a hash is, and where it is used keeps that now and then.
// Nothing is remembered beside the table: what is removed from it opens nothing
// any more.
func (a *Access) seen(ctx context.Context, k key, used bool, h []byte, while ...any) (Person, error) {
	var p Person
	var last int64
	err := a.store.Read().QueryRowContext(ctx, k.find, append([]any{h}, while...)...).
		Scan(&p.ID, &p.Email, &p.Name, &p.Role, &last)
	if errors.Is(err, sql.ErrNoRows) {
		return Person{}, ErrNotSignedIn
	} else if err != nil {
		return Person{}, err
	}
	if now := time.Now(); used && now.Sub(store.FromTime(last)) > seenEvery {
		var b store.Batch
		b.Do(k.use, store.Time(now), h)
		if err := a.store.Write(ctx, b); err != nil {
			return Person{}, err
		}
	}
	return p, nil
}
