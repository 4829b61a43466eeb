package access_test

import (
	"context"
	"errors"
	"fmt"
	"testing"
	"time"

	"woolsignal/server/access"
	"woolsignal/server/store"
)

func open(t *testing.T) *access.Access {
	t.Helper()
	a, _ := opened(t)
	return a
}

// opened gives the database beside what lets people in.
func opened(t *testing.T) (*access.Access, *store.Store) {
	t.Helper()
	s, err := store.Open(context.Background(), t.TempDir())
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { s.Close() })
	return access.New(s), s
}

func TestSessionsAndTokens(t *testing.T) {
	ctx, a := context.Background(), open(t)
	ines, err := a.AddPerson(ctx, "ines@larkrigg.example", "Ines Faro", access.Builder, "shearling-office")
	if err != nil {
		t.Fatal(err)
	}
	if _, err := a.AddPerson(ctx, "INES@larkrigg.example", "Other", access.Reader, "another password"); !errors.Is(err,
		access.ErrTaken) {
		t.Errorf("the same e-mail in capitals: %v", err)
	}
	session, _, err := a.SignIn(ctx, "Ines@Larkrigg.example", "shearling-office", access.Caller{Address: "127.0.0.1"})
	cookie := session.Cookie
	if err != nil {
		t.Fatal(err)
	}
	if p, err := a.BySession(ctx, cookie); err != nil || p != ines {
		t.Errorf("the session is %v's, %v", p, err)
	}
	if err := a.SignOut(ctx, cookie); err != nil {
		t.Fatal(err)
	}
	if _, err := a.BySession(ctx, cookie); !errors.Is(err, access.ErrNotSignedIn) {
		t.Errorf("after signing out: %v", err)
	}
	token, err := a.NewToken(ctx, ines, "scripts")
	if err != nil {
		t.Fatal(err)
	}
	for range 2 { // the second comes from memory
		if p, err := a.ByToken(ctx, token); err != nil || p != ines {
			t.Errorf("the token is %v's, %v", p, err)
		}
	}
	for _, guess := range []string{"", "ws_", token + "x", cookie} {
		if _, err := a.ByToken(ctx, guess); !errors.Is(err, access.ErrNotSignedIn) {
			t.Errorf("the token %q: %v", guess, err)
		}
	}
}

func TestGuessingIsSlowedForPersonAndAddressAlike(t *testing.T) {
	ctx, a := context.Background(), open(t)
	var err error
	for i := range 12 {
		_, _, err = a.SignIn(ctx, "nobody@larkrigg.example", "guess", access.Caller{Address: string(rune('a' + i))})
	}
	if !errors.Is(err, access.ErrTooMany) {
		t.Errorf("one person guessed at from many addresses: %v", err)
	}
}

func TestAnInvitationWorksOnceAndInTime(t *testing.T) {
	ctx, a := context.Background(), open(t)
	key, err := a.Invite(ctx, access.Owner, time.Hour)
	if err != nil {
		t.Fatal(err)
	}
	late, err := a.Invite(ctx, access.Owner, -time.Second)
	if err != nil {
		t.Fatal(err)
	}
	if _, _, err := a.Accept(ctx, late, "a@larkrigg.example", "A", "a long password"); !errors.Is(err,
		access.ErrNoInvitation) {
		t.Errorf("too late: %v", err)
	}
	if _, p, err := a.Accept(ctx, key, "elin@larkrigg.example", "Elin Marrack", "a long password"); err != nil ||
		p.Role != access.Owner {
		t.Errorf("the first time: %v %v", p, err)
	}
	if _, _, err := a.Accept(ctx, key, "b@larkrigg.example", "B", "a long password"); !errors.Is(err,
		access.ErrNoInvitation) {
		t.Errorf("the second time: %v", err)
	}
	if people, err := a.People(ctx); err != nil || len(people) != 1 {
		t.Errorf("people: %v, %v", people, err)
	}
}

func TestWhoMayDecide(t *testing.T) {
	teams := map[string][]string{"grading-lead": {"Tobias@larkrigg.example"}}
	person := func(email string, role access.Role) access.Person { return access.Person{Email: email, Role: role} }
	for _, c := range []struct {
		who  access.Person
		of   string
		want bool
	}{
		{person("tobias@larkrigg.example", access.Reviewer), "grading-lead", true},
		{person("ines@larkrigg.example", access.Builder), "grading-lead", false},
		{person("elin@larkrigg.example", access.Owner), "grading-lead", true},
		{person("ines@larkrigg.example", access.Builder), "INES@larkrigg.example", true},
		{person("ines@larkrigg.example", access.Builder), "reviewer", true},
		{person("tobias@larkrigg.example", access.Reviewer), "builder", false},
		{person("owen@larkrigg.example", access.Reader), "reader", false},
		{person("ines@larkrigg.example", access.Builder), "no-such-team", false},
	} {
		if got := c.who.MayDecide(c.of, teams); got != c.want {
			t.Errorf("%s, %s, may decide for %s: %t", c.who.Email, c.who.Role, c.of, got)
		}
	}
}

// An invitation is for one: of many who use it at once, one gets an account.
func TestAnInvitationMakesOneAccount(t *testing.T) {
	ctx, a := context.Background(), open(t)
	key, err := a.Invite(ctx, access.Reader, time.Hour)
	if err != nil {
		t.Fatal(err)
	}
	outcomes := make(chan error)
	for i := range 4 {
		go func() {
			_, _, err := a.Accept(ctx, key, fmt.Sprintf("hand-%d@larkrigg.example", i), "A hand", "shearling-office")
			outcomes <- err
		}()
	}
	taken := 0
	for range 4 {
		if err := <-outcomes; err == nil {
			taken++
		} else if !errors.Is(err, access.ErrNoInvitation) {
			t.Error(err)
		}
	}
	people, err := a.People(ctx)
	if err != nil || taken != 1 || len(people) != 1 {
		t.Errorf("%d accounts for %d who came in (%v), want one", len(people), taken, err)
	}
}
