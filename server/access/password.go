package access

import (
	"context"
	"crypto/rand"
	"crypto/subtle"
	"encoding/base64"
	"errors"
	"fmt"
	"strings"
	"sync"
	"time"

	validator "github.com/wagslane/go-password-validator"
	"golang.org/x/crypto/argon2"

	"woolsignal/server/store"
)

// The second recommended option of RFC 9106 is 64 MiB in three passes; this
// is a third of its memory, so that a few sign-ins at once fit a small machine.
const (
	passes  = 3
	memory  = 19 * 1024 // KiB
	threads = 1
	keySize = 32
)

func hashPassword(password string) (string, error) {
	salt := make([]byte, 16)
	if _, err := rand.Read(salt); err != nil {
		return "", fmt.Errorf("access: %w", err)
	}
	key := argon2.IDKey([]byte(password), salt, passes, memory, threads, keySize)
	return fmt.Sprintf("$argon2id$v=%d$m=%d,t=%d,p=%d$%s$%s", argon2.Version, memory, passes, threads,
		base64.RawStdEncoding.EncodeToString(salt), base64.RawStdEncoding.EncodeToString(key)), nil
}

// checkPassword reads the parameters from the hash, so that they can be
// raised without locking anybody out.
func checkPassword(encoded, password string) bool {
	parts := strings.Split(encoded, "$")
	if len(parts) != 6 {
		return false
	}
	var m, t uint32
	var p uint8
	if _, err := fmt.Sscanf(parts[3], "m=%d,t=%d,p=%d", &m, &t, &p); err != nil {
		return false
	}
	salt, err1 := base64.RawStdEncoding.DecodeString(parts[4])
	want, err2 := base64.RawStdEncoding.DecodeString(parts[5])
	if err1 != nil || err2 != nil || len(want) == 0 {
		return false
	}
	got := argon2.IDKey([]byte(password), salt, t, m, p, uint32(len(want)))
	return subtle.ConstantTimeCompare(got, want) == 1
}

// leastEntropy is how hard a password must be to guess, in bits as
// go-password-validator counts them: ten digits have 33, four common words 60.
const leastEntropy = 45

// goodPassword says why a password is not one.
func goodPassword(password string) error {
	switch {
	case len(password) < 10:
		return errors.New("the password needs at least 10 characters")
	case len(password) > 500:
		return errors.New("the password may have at most 500 characters")
	case validator.GetEntropy(password) < leastEntropy:
		return errors.New("the password is too easy to guess: make it longer, or of more than digits and repeats")
	}
	return nil
}

// patience is how long somebody waits for their turn to have a password hashed.
const patience = 10 * time.Second

// turn waits till a password may be hashed; the error is [ErrTooMany] where too
// many are before.
func (a *Access) turn(ctx context.Context) (done func(), err error) {
	wait := time.NewTimer(patience)
	defer wait.Stop()
	select {
	case a.hashing <- struct{}{}:
		return func() { <-a.hashing }, nil
	case <-wait.C:
		return nil, ErrTooMany
	case <-ctx.Done():
		return nil, ctx.Err()
	}
}

func (a *Access) hashed(ctx context.Context, password string) (string, error) {
	done, err := a.turn(ctx)
	if err != nil {
		return "", err
	}
	defer done()
	return hashPassword(password)
}

func (a *Access) fits(ctx context.Context, encoded, password string) (bool, error) {
	done, err := a.turn(ctx)
	if err != nil {
		return false, err
	}
	defer done()
	return checkPassword(encoded, password), nil
}

// ChangePassword gives a person another password, once they show the one they
// have. Every session but the one of a cookie ends, and every browser is
// forgotten. Errors: those of [Access.Check], or what is wrong with the new one.
func (a *Access) ChangePassword(ctx context.Context, p Person, old, next string, from Caller, cookie string) error {
	if _, err := a.Check(ctx, p.Email, old, from); err != nil {
		return err
	}
	if err := goodPassword(next); err != nil {
		return &PasswordError{err.Error()}
	}
	hashed, err := a.hashed(ctx, next)
	if err != nil {
		return err
	}
	var b store.Batch
	b.Do("UPDATE people SET password = ? WHERE id = ?", hashed, p.ID)
	b.Do("DELETE FROM sessions WHERE person = ? AND hash <> ?", p.ID, hash(cookie))
	b.Do("DELETE FROM browsers WHERE person = ?", p.ID)
	return a.store.Write(ctx, b)
}

// PasswordError says what is wrong with a new password.
type PasswordError struct{ Why string }

func (e *PasswordError) Error() string { return e.Why }

// nobody is a hash no password fits.
var nobody = sync.OnceValue(func() string {
	h, _ := hashPassword(secret())
	return h
})
