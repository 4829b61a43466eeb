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
	"runtime"
	"slices"
	"strings"
	"time"

	"golang.org/x/time/rate"

	"woolsignal/server/callers"
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
	ErrNoToken       = errors.New("there is no such token")
)

// Access keeps people, sessions and tokens.
type Access struct {
	store   *store.Store
	tries   *callers.Limit
	hashing chan struct{} // holds as many as there are passwords being hashed
}

// hashesAtOnce bounds how many passwords are hashed at the same time: each takes
// 19 MiB and a processor to itself, of which at least half are left to others.
func hashesAtOnce() int { return max(1, min(2, runtime.GOMAXPROCS(0)/2)) }

// New gives access to the people in a store.
func New(s *store.Store) *Access {
	return &Access{store: s, tries: callers.NewLimit(rate.Every(6 * time.Second)),
		hashing: make(chan struct{}, hashesAtOnce())}
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
	case !role.Valid():
		return Person{}, fmt.Errorf("%q is not a role", role)
	}
	if err := goodPassword(password); err != nil {
		return Person{}, err
	}
	hashed, err := a.hashed(ctx, password)
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
func (a *Access) Accept(ctx context.Context, key, email, name, password string) (s Session, p Person, err error) {
	var role Role
	err = a.store.Read().QueryRowContext(ctx, "SELECT role FROM invitations WHERE hash = ? AND expires > ?", hash(key),
		store.Time(time.Now())).Scan(&role)
	if errors.Is(err, sql.ErrNoRows) {
		return s, p, ErrNoInvitation
	} else if err != nil {
		return s, p, err
	}
	var used store.Batch // used up and the account made at once, or neither
	used.Savepoint()
	used.Guard("the invitation has not been used", "DELETE FROM invitations WHERE hash = ?", hash(key))
	if p, err = a.addPerson(ctx, used, email, name, role, password); errors.Is(err, store.ErrGuard) {
		return s, p, ErrNoInvitation
	} else if err != nil {
		return s, p, err
	}
	s, err = a.open(ctx, p)
	return s, p, err
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
