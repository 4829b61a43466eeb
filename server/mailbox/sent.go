package mailbox

import (
	"context"
	"crypto/rand"
	"encoding/json"
	"fmt"
	"slices"
	"strings"
	"time"

	"woolsignal/server/store"
)

// Sent keeps which mails were sent, and to whom: a reply is believed from
// somebody it was written to, and a mail that is sent again is the same mail.
type Sent struct{ Store *store.Store }

// newID is the first half of a Message-ID that nobody can guess, so that only
// who has the mail can name it.
func newID() string { return "ws-" + strings.ToLower(rand.Text()) }

// id gives the Message-ID of a mail at a host, the same for the same key, and
// writes down whom it goes to before it leaves.
func (s Sent) id(ctx context.Context, key, host string, to []string) (string, error) {
	id := newID() + "@" + host
	if s.Store == nil || key == "" { // it is never sent again
		return id, nil
	}
	people, err := json.Marshal(to)
	if err != nil {
		return "", err
	}
	var b store.Batch
	b.Do("INSERT INTO mails_sent (call, message_id, written_to, at) VALUES (?, ?, ?, ?) ON CONFLICT DO NOTHING", key,
		id, string(people), store.Time(time.Now()))
	if err := s.Store.Write(ctx, b); err != nil {
		return "", fmt.Errorf("mailbox: %w", err)
	}
	err = s.Store.Read().QueryRowContext(ctx, "SELECT message_id FROM mails_sent WHERE call = ?", key).Scan(&id)
	return id, err
}

// Asked tells whether a mail of ours was written to somebody. Of one that is not
// ours nobody knows to whom it was written: known is false.
func (s Sent) Asked(ctx context.Context, messageID, email string) (asked, known bool, err error) {
	rows, err := s.Store.Read().QueryContext(ctx, "SELECT written_to FROM mails_sent WHERE message_id = ?", messageID)
	if err != nil {
		return false, false, err
	}
	defer rows.Close()
	for rows.Next() {
		var data string
		var to []string
		if err := rows.Scan(&data); err != nil {
			return false, false, err
		}
		if err := json.Unmarshal([]byte(data), &to); err != nil {
			return false, false, err
		}
		known = true
		asked = asked || slices.ContainsFunc(to, func(one string) bool { return strings.EqualFold(one, email) })
	}
	return asked, known, rows.Err()
}
