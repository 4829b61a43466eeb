package access

import (
	"context"
	"encoding/hex"
	"errors"
	"time"

	"woolsignal/server/store"
)

// Token is a token as it is listed: never itself, which is shown once.
type Token struct {
	ID    string // the beginning of its hash
	Name  string
	Owner string // the e-mail of whom it acts for
	Made  time.Time
	Seen  time.Time // about when it was used last; when it was made, before that
}

// idLength is how many hexadecimal digits of a token's hash are its id.
const idLength = 12

// NewToken makes a token with which a program acts as a person.
func (a *Access) NewToken(ctx context.Context, p Person, name string) (string, error) {
	token, now := "ws_"+secret(), store.Time(time.Now())
	var b store.Batch
	b.Do("INSERT INTO tokens (hash, person, name, created, seen) VALUES (?, ?, ?, ?, ?)", hash(token), p.ID, name, now,
		now)
	return token, a.store.Write(ctx, b)
}

// ByToken finds whose token it is. The error is [ErrNotSignedIn] where it is
// nobody's.
func (a *Access) ByToken(ctx context.Context, token string) (Person, error) {
	return a.seen(ctx, tokenKey, true, hash(token))
}

// Tokens lists a person's tokens, the newest first; an owner's are everybody's.
func (a *Access) Tokens(ctx context.Context, p Person) ([]Token, error) {
	rows, err := a.store.Read().QueryContext(ctx, "SELECT t.hash, t.name, p.email, t.created, t.seen FROM tokens t "+
		"JOIN people p ON p.id = t.person WHERE t.person = ?1 OR ?2 ORDER BY t.created DESC, t.hash", p.ID,
		p.Role == Owner)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	all := []Token{}
	for rows.Next() {
		var t Token
		var h []byte
		var made, seen int64
		if err := rows.Scan(&h, &t.Name, &t.Owner, &made, &seen); err != nil {
			return nil, err
		}
		t.ID, t.Made, t.Seen = hex.EncodeToString(h)[:idLength], store.FromTime(made), store.FromTime(seen)
		all = append(all, t)
	}
	return all, rows.Err()
}

// Revoke ends a token at once: the person's own, or for an owner anybody's. The
// error is [ErrNoToken] where there is none of that id.
func (a *Access) Revoke(ctx context.Context, p Person, id string) error {
	if len(id) != idLength {
		return ErrNoToken
	}
	var b store.Batch
	b.Guard("the token is there", "DELETE FROM tokens WHERE substr(lower(hex(hash)), 1, ?1) = ?2 AND "+
		"(person = ?3 OR ?4)", idLength, id, p.ID, p.Role == Owner)
	if err := a.store.Write(ctx, b); errors.Is(err, store.ErrGuard) {
		return ErrNoToken
	} else if err != nil {
		return err
	}
	return nil
}
