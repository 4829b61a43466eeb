package access

import (
	"context"
	"crypto/rand"
	"database/sql"
	"errors"
	"strings"
	"time"

	"woolsignal/server/store"
)

// ChatName is a name at a chat server that a person has shown to be theirs.
type ChatName struct {
	Connection, Handle string
	Linked             time.Time
}

// Errors of linking a chat name.
var (
	ErrNoCode     = errors.New("this code was used before, is too old, or is for another chat server")
	ErrNoChatName = errors.New("you have no such name there")
)

// codeLife is how long a code may wait to be written.
const codeLife = 10 * time.Minute

// NewChatCode makes a code, good once, that the person writes to the bot of a
// chat server by the name that is theirs there: who signed in here and who
// writes there are then the same.
func (a *Access) NewChatCode(ctx context.Context, p Person, connection string) (code string, expires time.Time,
	err error) {
	text := rand.Text() // 26 letters of five bits
	code = text[:4] + "-" + text[4:8] + "-" + text[8:12]
	expires = time.Now().Add(codeLife)
	var b store.Batch
	b.Do("DELETE FROM chat_codes WHERE expires < ? OR (person = ? AND connection = ?)", store.Time(time.Now()), p.ID,
		connection)
	b.Do("INSERT INTO chat_codes (hash, person, connection, expires) VALUES (?, ?, ?, ?)", hash(code), p.ID,
		connection, store.Time(expires))
	return code, expires, a.store.Write(ctx, b)
}

// LinkChatName makes the name that wrote a code the name of whom the code was
// made for, and nobody else's. The error is [ErrNoCode] where it is not good.
func (a *Access) LinkChatName(ctx context.Context, connection, handle, code string) (Person, error) {
	h, now := hash(strings.ToUpper(strings.TrimSpace(code))), time.Now()
	var p Person
	err := a.store.Read().QueryRowContext(ctx, "SELECT p.id, p.email, p.name, p.role FROM chat_codes c "+
		"JOIN people p ON p.id = c.person WHERE c.hash = ? AND c.connection = ? AND c.expires > ?", h, connection,
		store.Time(now)).Scan(&p.ID, &p.Email, &p.Name, &p.Role)
	if errors.Is(err, sql.ErrNoRows) {
		return p, ErrNoCode
	} else if err != nil {
		return p, err
	}
	var b store.Batch
	b.Guard("the code has not been used", "DELETE FROM chat_codes WHERE hash = ?", h)
	b.Do("INSERT INTO chat_names (connection, handle, person, linked) VALUES (?, ?, ?, ?) ON CONFLICT DO UPDATE SET "+
		"person = excluded.person, linked = excluded.linked", connection, handle, p.ID, store.Time(now))
	if err := a.store.Write(ctx, b); errors.Is(err, store.ErrGuard) {
		return p, ErrNoCode
	} else if err != nil {
		return p, err
	}
	return p, nil
}

// ByChatName gives the e-mail of whose name it is at a chat server; "" where
// nobody has shown that it is theirs.
func (a *Access) ByChatName(ctx context.Context, connection, handle string) (email string, err error) {
	err = a.store.Read().QueryRowContext(ctx, "SELECT p.email FROM chat_names c JOIN people p ON p.id = c.person "+
		"WHERE c.connection = ? AND c.handle = ?", connection, handle).Scan(&email)
	if errors.Is(err, sql.ErrNoRows) {
		return "", nil
	}
	return email, err
}

// ChatNames lists a person's names.
func (a *Access) ChatNames(ctx context.Context, p Person) ([]ChatName, error) {
	rows, err := a.store.Read().QueryContext(ctx, "SELECT connection, handle, linked FROM chat_names WHERE person = ? "+
		"ORDER BY connection, handle", p.ID)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	all := []ChatName{}
	for rows.Next() {
		var n ChatName
		var linked int64
		if err := rows.Scan(&n.Connection, &n.Handle, &linked); err != nil {
			return nil, err
		}
		n.Linked = store.FromTime(linked)
		all = append(all, n)
	}
	return all, rows.Err()
}

// UnlinkChatName takes a name off a person, at once. The error is [ErrNoChatName]
// where it is not theirs.
func (a *Access) UnlinkChatName(ctx context.Context, p Person, connection, handle string) error {
	var b store.Batch
	b.Guard("the name is theirs", "DELETE FROM chat_names WHERE person = ? AND connection = ? AND handle = ?", p.ID,
		connection, handle)
	err := a.store.Write(ctx, b)
	if errors.Is(err, store.ErrGuard) {
		return ErrNoChatName
	}
	return err
}
