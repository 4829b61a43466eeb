package access_test

import (
	"context"
	"errors"
	"fmt"
	"runtime"
	"sync"
	"testing"

	"woolsignal/server/access"
	"woolsignal/server/store"
)

// TestGuessingDoesNotLockTheRightPersonOut guesses at somebody from everywhere:
// a new browser is held up, theirs is not.
func TestGuessingDoesNotLockTheRightPersonOut(t *testing.T) {
	ctx, a := context.Background(), open(t)
	if _, err := a.AddPerson(ctx, "ines@larkrigg.example", "Ines Faro", access.Builder,
		"shearling-office"); err != nil {
		t.Fatal(err)
	}
	if _, err := a.AddPerson(ctx, "owen@larkrigg.example", "Owen Thrale", access.Reader, "shearling-haul"); err != nil {
		t.Fatal(err)
	}
	mine, _, err := a.SignIn(ctx, "ines@larkrigg.example", "shearling-office", access.Caller{Address: "1"})
	if err != nil {
		t.Fatal(err)
	}
	other, _, err := a.SignIn(ctx, "owen@larkrigg.example", "shearling-haul", access.Caller{Address: "2"})
	if err != nil {
		t.Fatal(err)
	}
	for i := range 12 {
		_, _, err = a.SignIn(ctx, "ines@larkrigg.example", "guess", access.Caller{Address: fmt.Sprint("a", i)})
	}
	if !errors.Is(err, access.ErrTooMany) {
		t.Errorf("the guesser: %v", err)
	}
	if _, _, err := a.SignIn(ctx, "ines@larkrigg.example", "shearling-office",
		access.Caller{Address: "3", Browser: other.Browser}); !errors.Is(err, access.ErrTooMany) {
		t.Errorf("another's browser: %v", err)
	}
	if _, _, err := a.SignIn(ctx, "ines@larkrigg.example", "shearling-office",
		access.Caller{Address: "4", Browser: mine.Browser}); err != nil {
		t.Errorf("her own browser: %v", err)
	}
}

// TestAFloodOfNamesForgetsNoGuesser tries made-up e-mails from one address: it is
// stopped long before it could push anybody else's tries out.
func TestAFloodOfNamesForgetsNoGuesser(t *testing.T) {
	ctx, a := context.Background(), open(t)
	stopped := 0
	for i := range 200 {
		_, err := a.Check(ctx, fmt.Sprintf("made-up-%d@larkrigg.example", i), "x", access.Caller{Address: "flood"})
		if errors.Is(err, access.ErrTooMany) {
			stopped++
		}
	}
	if stopped < 140 {
		t.Errorf("%d of 200 tries from one address were stopped", stopped)
	}
}

// TestManySignInsAtOnceTakeBoundedMemory hashes many passwords at once.
func TestManySignInsAtOnceTakeBoundedMemory(t *testing.T) {
	ctx, a := context.Background(), open(t)
	var before, after runtime.MemStats
	runtime.GC()
	runtime.ReadMemStats(&before)
	var all sync.WaitGroup
	var most uint64
	var mu sync.Mutex
	for i := range 40 {
		all.Go(func() {
			_, _ = a.Check(ctx, "nobody", "x", access.Caller{Address: fmt.Sprint(i % 10)})
			var now runtime.MemStats
			runtime.ReadMemStats(&now)
			mu.Lock()
			defer mu.Unlock()
			most = max(most, now.HeapInuse)
		})
	}
	all.Wait()
	runtime.ReadMemStats(&after)
	if grown := int64(most) - int64(before.HeapInuse); grown > 200<<20 {
		t.Errorf("the heap grew by %d MB, and two hashes hold 38", grown>>20)
	}
}

// TestWhatIsRemovedOpensNothing revokes tokens, removes rows from the database
// itself, and changes a password.
func TestWhatIsRemovedOpensNothing(t *testing.T) {
	ctx := context.Background()
	a, s := opened(t)
	ines, err := a.AddPerson(ctx, "ines@larkrigg.example", "Ines Faro", access.Builder, "shearling-office")
	if err != nil {
		t.Fatal(err)
	}
	owen, err := a.AddPerson(ctx, "owen@larkrigg.example", "Owen Thrale", access.Reader, "shearling-haul")
	if err != nil {
		t.Fatal(err)
	}
	token := func(p access.Person) string {
		made, err := a.NewToken(ctx, p, "test")
		if err != nil {
			t.Fatal(err)
		}
		if _, err := a.ByToken(ctx, made); err != nil {
			t.Fatal(err)
		}
		return made
	}
	first, second := token(ines), token(ines)
	listed, err := a.Tokens(ctx, ines)
	if err != nil || len(listed) != 2 {
		t.Fatalf("%v %v", listed, err)
	}
	if err := a.Revoke(ctx, owen, listed[0].ID); !errors.Is(err, access.ErrNoToken) {
		t.Errorf("somebody else revokes it: %v", err)
	}
	for _, id := range []string{"", "0", listed[0].ID + "0", "%", "____________"} {
		if err := a.Revoke(ctx, ines, id); !errors.Is(err, access.ErrNoToken) {
			t.Errorf("the token %q is revoked: %v", id, err)
		}
	}
	for _, l := range listed {
		if err := a.Revoke(ctx, ines, l.ID); err != nil {
			t.Error(err)
		}
	}
	for _, revoked := range []string{first, second} {
		if _, err := a.ByToken(ctx, revoked); !errors.Is(err, access.ErrNotSignedIn) {
			t.Errorf("a revoked token: %v", err)
		}
	}
	third := token(ines)
	var b store.Batch
	b.Do("DELETE FROM people WHERE email = 'ines@larkrigg.example'")
	if err := s.Write(ctx, b); err != nil {
		t.Fatal(err)
	}
	if _, err := a.ByToken(ctx, third); !errors.Is(err, access.ErrNotSignedIn) {
		t.Errorf("the token of somebody who was removed: %v", err)
	}
	fourth := token(owen)
	var role store.Batch
	role.Do("UPDATE people SET role = 'builder' WHERE id = ?", owen.ID)
	if err := s.Write(ctx, role); err != nil {
		t.Fatal(err)
	}
	if p, err := a.ByToken(ctx, fourth); err != nil || p.Role != access.Builder {
		t.Errorf("after the role changed: %v %v", p, err)
	}
}

// TestAChangedPasswordEndsOtherSessions changes one, with the wrong old one first.
func TestAChangedPasswordEndsOtherSessions(t *testing.T) {
	ctx, a := context.Background(), open(t)
	owen, err := a.AddPerson(ctx, "owen@larkrigg.example", "Owen Thrale", access.Reader, "shearling-haul")
	if err != nil {
		t.Fatal(err)
	}
	from := access.Caller{Address: "1"}
	here, _, err := a.SignIn(ctx, owen.Email, "shearling-haul", from)
	if err != nil {
		t.Fatal(err)
	}
	there, _, err := a.SignIn(ctx, owen.Email, "shearling-haul", from)
	if err != nil {
		t.Fatal(err)
	}
	change := func(old, next string) error { return a.ChangePassword(ctx, owen, old, next, from, here.Cookie) }
	if err := change("guess", "another lorry"); !errors.Is(err, access.ErrWrongPassword) {
		t.Errorf("by a guess: %v", err)
	}
	var bad *access.PasswordError
	for _, weak := range []string{"short", "1234567890", "aaaaaaaaaaaaaaaa"} {
		if err := change("shearling-haul", weak); !errors.As(err, &bad) {
			t.Errorf("to %q: %v", weak, err)
		}
	}
	if err := change("shearling-haul", "another lorry"); err != nil {
		t.Fatal(err)
	}
	if _, err := a.BySession(ctx, here.Cookie); err != nil {
		t.Errorf("here: %v", err)
	}
	if _, err := a.BySession(ctx, there.Cookie); !errors.Is(err, access.ErrNotSignedIn) {
		t.Errorf("elsewhere: %v", err)
	}
	if _, _, err := a.SignIn(ctx, owen.Email, "shearling-haul", from); !errors.Is(err, access.ErrWrongPassword) {
		t.Errorf("with the old one: %v", err)
	}
}

// TestASessionEndsWhenNobodyUsesIt makes one that was last used long ago.
func TestASessionEndsWhenNobodyUsesIt(t *testing.T) {
	ctx := context.Background()
	a, s := opened(t)
	if _, err := a.AddPerson(ctx, "owen@larkrigg.example", "Owen Thrale", access.Reader, "shearling-haul"); err != nil {
		t.Fatal(err)
	}
	mine, _, err := a.SignIn(ctx, "owen@larkrigg.example", "shearling-haul", access.Caller{Address: "1"})
	if err != nil {
		t.Fatal(err)
	}
	age := func(hours int) {
		var b store.Batch
		b.Do("UPDATE sessions SET seen = seen - ?", hours*3600*1000)
		if err := s.Write(ctx, b); err != nil {
			t.Fatal(err)
		}
	}
	age(71)
	if _, err := a.Stands(ctx, "", mine.Cookie); err != nil {
		t.Errorf("within three days: %v", err)
	}
	age(2) // looking at it was no use of it
	if _, err := a.BySession(ctx, mine.Cookie); !errors.Is(err, access.ErrNotSignedIn) {
		t.Errorf("after three days: %v", err)
	}
}
