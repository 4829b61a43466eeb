// Package access knows the people of a workspace: how they sign in, what
// their sessions and tokens are, and what each role may do.
//
// Passwords are hashed with argon2id (RFC 9106); session cookies and tokens
// are random and kept only as SHA-256 hashes.
package access

import (
	"context"
	"crypto/rand"
	"crypto/sha256"
	"database/sql"
	"encoding/base64"
	"errors"
	"fmt"
	"net/mail"
	"slices"
	"strings"
	"sync"
	"time"

	"golang.org/x/time/rate"

	"woolsignal/server/store"
)

// Role is what a person may do. Each role may do what the ones below it may.
type Role string

// The roles, from most to least.
const (
	Owner    Role = "owner"
	Builder  Role = "builder"
	Reviewer Role = "reviewer"
	Reader   Role = "reader"
)

var ranks = []Role{Owner, Builder, Reviewer, Reader}

// Allows tells whether the role may do what needs another.
func (r Role) Allows(needed Role) bool {
	have, need := slices.Index(ranks, r), slices.Index(ranks, needed)
	return have >= 0 && need >= 0 && have <= need
}

// Valid tells whether this is a role.
func (r Role) Valid() bool { return slices.Contains(ranks, r) }

// Person is somebody who can sign in.
type Person struct {
	ID    int64  `json:"-"`
	Email string `json:"email"`
	Name  string `json:"name"`
	Role  Role   `json:"role"`
}

// Errors a caller can test for.
var (
	ErrWrongPassword = errors.New("the e-mail or the password is wrong")
	ErrTooMany       = errors.New("too many tries; wait a minute")
	ErrNotSignedIn   = errors.New("not signed in")
	ErrTaken         = errors.New("somebody with this e-mail is already here")
	ErrNoInvitation  = errors.New("this link was used before or is too old")
)

// sessionLife is how long a sign-in lasts.
const sessionLife = 14 * 24 * time.Hour

// Access keeps people, sessions and tokens.
type Access struct {
	store *store.Store

	mu    sync.Mutex               // guards tries
	tries map[string]*rate.Limiter // sign-in tries, by e-mail and by address
	known sync.Map                 // token hash → Person, for programs that call often
}

// New gives access to the people in a store.
func New(s *store.Store) *Access {
	return &Access{store: s, tries: map[string]*rate.Limiter{}}
}

func secret() string {
	b := make([]byte, 32)
	if _, err := rand.Read(b); err != nil {
		panic(err) // crypto/rand never fails on a working system
	}
	return base64.RawURLEncoding.EncodeToString(b)
}

func hash(token string) []byte {
	sum := sha256.Sum256([]byte(token))
	return sum[:]
}

// AddPerson makes an account. Errors: [ErrTaken], or what is wrong with the fields.
func (a *Access) AddPerson(ctx context.Context, email, name string, role Role, password string) (Person, error) {
	return a.addPerson(ctx, store.Batch{}, email, name, role, password)
}

// addPerson makes an account where the guards of a batch hold; the error is
// [store.ErrGuard] where they do not.
func (a *Access) addPerson(ctx context.Context, b store.Batch, email, name string, role Role, password string) (Person,
	error) {
	address, err := mail.ParseAddress(email)
	switch {
	case err != nil || address.Address != email:
		return Person{}, fmt.Errorf("%q is not an e-mail address", email)
	case strings.TrimSpace(name) == "":
		return Person{}, errors.New("a name is needed")
	case len(password) < 10:
		return Person{}, errors.New("the password needs at least 10 characters")
	case !role.Valid():
		return Person{}, fmt.Errorf("%q is not a role", role)
	}
	hashed, err := hashPassword(password)
	if err != nil {
		return Person{}, err
	}
	b.Guard("nobody has this e-mail",
		"INSERT INTO people (email, name, role, password, created) SELECT ?1, ?2, ?3, ?4, ?5 WHERE NOT EXISTS "+
			"(SELECT 1 FROM people WHERE email = ?1)",
		email, name, string(role), hashed, store.Time(time.Now()))
	const byEmail = "SELECT id, email, name, role FROM people WHERE email = ?"
	if err := a.store.Write(ctx, b); errors.Is(err, store.ErrGuard) {
		if _, err := a.find(ctx, byEmail, email); err == nil {
			return Person{}, ErrTaken
		}
		return Person{}, err
	} else if err != nil {
		return Person{}, err
	}
	return a.find(context.WithoutCancel(ctx), byEmail, email)
}

func (a *Access) find(ctx context.Context, query string, args ...any) (Person, error) {
	var p Person
	err := a.store.Read().QueryRowContext(ctx, query, args...).Scan(&p.ID, &p.Email, &p.Name, &p.Role)
	if errors.Is(err, sql.ErrNoRows) {
		return p, ErrNotSignedIn
	}
	return p, err
}

// People lists everybody by name.
func (a *Access) People(ctx context.Context) ([]Person, error) {
	rows, err := a.store.Read().QueryContext(ctx, "SELECT id, email, name, role FROM people ORDER BY name")
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	var all []Person
	for rows.Next() {
		var p Person
		if err := rows.Scan(&p.ID, &p.Email, &p.Name, &p.Role); err != nil {
			return nil, err
		}
		all = append(all, p)
	}
	return all, rows.Err()
}

// Emails gives the addresses of everybody, in small letters.
func (a *Access) Emails(ctx context.Context) (map[string]bool, error) {
	all, err := a.People(ctx)
	if err != nil {
		return nil, err
	}
	out := map[string]bool{}
	for _, p := range all {
		out[strings.ToLower(p.Email)] = true
	}
	return out, nil
}

// SignIn checks a password and opens a session. from is the caller's address.
// Errors: those of [Access.Check].
func (a *Access) SignIn(ctx context.Context, email, password, from string) (cookie string, p Person, err error) {
	if p, err = a.Check(ctx, email, password, from); err != nil {
		return "", p, err
	}
	cookie, err = a.open(ctx, p)
	return cookie, p, err
}

// Check finds the person of an e-mail and password. Errors: [ErrWrongPassword],
// or [ErrTooMany] when the person or the address was tried too often.
func (a *Access) Check(ctx context.Context, email, password, from string) (p Person, err error) {
	// An office shares an address, so that may try more often than one person.
	if !a.mayTry("e-mail "+strings.ToLower(email), 10) || !a.mayTry("address "+from, 50) {
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
	if !checkPassword(hashed, password) || p.ID == 0 {
		return Person{}, ErrWrongPassword
	}
	return p, nil
}

// mayTry allows some tries at once and one every six seconds after that.
func (a *Access) mayTry(key string, atOnce int) bool {
	a.mu.Lock()
	defer a.mu.Unlock()
	if len(a.tries) > 10_000 {
		clear(a.tries)
	}
	l, ok := a.tries[key]
	if !ok {
		l = rate.NewLimiter(rate.Every(6*time.Second), atOnce)
		a.tries[key] = l
	}
	return l.Allow()
}

func (a *Access) open(ctx context.Context, p Person) (string, error) {
	cookie, now := secret(), time.Now()
	var b store.Batch
	b.Do("DELETE FROM sessions WHERE expires < ?", store.Time(now))
	b.Do("INSERT INTO sessions (hash, person, expires) VALUES (?, ?, ?)", hash(cookie), p.ID,
		store.Time(now.Add(sessionLife)))
	return cookie, a.store.Write(ctx, b)
}

// SignOut ends a session.
func (a *Access) SignOut(ctx context.Context, cookie string) error {
	var b store.Batch
	b.Do("DELETE FROM sessions WHERE hash = ?", hash(cookie))
	return a.store.Write(ctx, b)
}

// BySession finds whose session a cookie is. The error is [ErrNotSignedIn]
// where it is nobody's.
func (a *Access) BySession(ctx context.Context, cookie string) (Person, error) {
	return a.find(ctx,
		"SELECT p.id, p.email, p.name, p.role FROM sessions s JOIN people p ON p.id = s.person WHERE s.hash = ? AND "+
			"s.expires > ?",
		hash(cookie), store.Time(time.Now()))
}

// NewToken makes a token with which a program acts as a person.
func (a *Access) NewToken(ctx context.Context, p Person, name string) (string, error) {
	token := "ws_" + secret()
	var b store.Batch
	b.Do("INSERT INTO tokens (hash, person, name, created) VALUES (?, ?, ?, ?)", hash(token), p.ID, name,
		store.Time(time.Now()))
	return token, a.store.Write(ctx, b)
}

// ByToken finds whose token it is. The error is [ErrNotSignedIn] where it is nobody's.
func (a *Access) ByToken(ctx context.Context, token string) (Person, error) {
	h := hash(token)
	if p, ok := a.known.Load(string(h)); ok {
		return p.(Person), nil
	}
	p, err := a.find(ctx,
		"SELECT p.id, p.email, p.name, p.role FROM tokens t JOIN people p ON p.id = t.person WHERE t.hash = ?", h)
	if err == nil {
		a.known.Store(string(h), p)
	}
	return p, err
}

// Invite makes a one-time key with which somebody makes their own account.
func (a *Access) Invite(ctx context.Context, role Role, life time.Duration) (string, error) {
	key := secret()
	var b store.Batch
	b.Do("INSERT INTO invitations (hash, role, expires) VALUES (?, ?, ?)", hash(key), string(role),
		store.Time(time.Now().Add(life)))
	return key, a.store.Write(ctx, b)
}

// Accept uses an invitation up, makes the account and signs in. Errors:
// [ErrNoInvitation], [ErrTaken], or what is wrong with the fields; then the
// invitation stays good.
func (a *Access) Accept(ctx context.Context, key, email, name, password string) (cookie string, p Person, err error) {
	var role Role
	err = a.store.Read().QueryRowContext(ctx, "SELECT role FROM invitations WHERE hash = ? AND expires > ?", hash(key),
		store.Time(time.Now())).Scan(&role)
	if errors.Is(err, sql.ErrNoRows) {
		return "", p, ErrNoInvitation
	} else if err != nil {
		return "", p, err
	}
	var used store.Batch // used up and the account made at once, or neither
	used.Savepoint()
	used.Guard("the invitation has not been used", "DELETE FROM invitations WHERE hash = ?", hash(key))
	if p, err = a.addPerson(ctx, used, email, name, role, password); errors.Is(err, store.ErrGuard) {
		return "", p, ErrNoInvitation
	} else if err != nil {
		return "", p, err
	}
	cookie, err = a.open(ctx, p)
	return cookie, p, err
}

// Empty tells whether nobody has an account yet.
func (a *Access) Empty(ctx context.Context) (bool, error) {
	var n int
	err := a.store.Read().QueryRowContext(ctx, "SELECT count(*) FROM people").Scan(&n)
	return n == 0, err
}

// MayDecide tells whether a person is among those a review was put to: by
// e-mail, by role, or as a member of a team. Owners may decide everything.
func (p Person) MayDecide(of string, teams map[string][]string) bool {
	if p.Role == Owner || strings.EqualFold(of, p.Email) {
		return true
	}
	if role := Role(of); role.Valid() {
		return p.Role.Allows(role) && p.Role.Allows(Reviewer)
	}
	return slices.ContainsFunc(teams[of], func(m string) bool { return strings.EqualFold(m, p.Email) })
}
