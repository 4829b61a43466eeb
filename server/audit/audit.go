// Package audit keeps who changed, exported or guessed what: in the log, for programs
// that watch it, and in a record, for people who ask later.
package audit

import (
	"context"
	"log/slog"
	"maps"
	"strings"
	"sync"
	"time"

	"woolsignal/server/store"
)

// Event is something that somebody did, or was refused.
type Event struct {
	N       int64     // counts up; 0 before it is kept
	At      time.Time // when; now where it is zero
	Did     string    // what was done, as one of the names below
	Who     string    // the e-mail of who did it, or who they say they are
	From    string    // the address it came from; "" where that is not known
	About   string    // what it was done to, or why it was refused
	Refused bool      // it was not done
}

// What can be done.
const (
	SignIn      = "sign in"
	MakeAccount = "make an account"
	Password    = "change a password"
	MakeToken   = "make a token"
	RevokeToken = "revoke a token"
	Request     = "ask for what needs another role"
	LinkName    = "link a chat name"
	UnlinkName  = "unlink a chat name"
	GiveSecret  = "give a secret"
	ReplaceKey  = "replace the key"
	Elsewhere   = "sign in elsewhere"
	PutFiles    = "put files"
	Publish     = "publish"
	Delete      = "delete a workflow"
	Switch      = "switch on or off"
	TakeBackup  = "take a backup"
	Decide      = "decide a review"

	CancelFollowUp = "cancel a follow-up"
	CorrectFact    = "correct a fact"
	RemoveFact     = "remove a fact"

	SignOut      = "sign out"
	WrongToken   = "show a token that is none"
	BadSignature = "deliver with a wrong signature"
	EditDraft    = "edit a draft"
	Try          = "try a workflow"
	Start        = "start a run"
	Task         = "give an agent a task"
	Talk         = "talk to a workflow"
	StopRun      = "stop a run"
	Repeat       = "repeat runs"
	KeepSample   = "keep a sample"
	ChangeRows   = "change rows"
	Export       = "export"
	Describe     = "read a description"
	SignDelivery = "sign a delivery"
	ChatCode     = "get a code that links a chat name"
	Test         = "test a connection"
)

// Trail keeps them.
type Trail struct {
	Store *store.Store
	Log   *slog.Logger

	mu     sync.Mutex           // guards lately
	lately map[string]time.Time // what is noted once an hour, and when it was
}

// mostLately bounds how much is remembered of the last hour.
const mostLately = 10_000

// NoteHourly is [Trail.Note] for what somebody does again and again, such as typing: the
// same, by the same person, to the same, is noted once an hour.
func (t *Trail) NoteHourly(ctx context.Context, e Event) {
	if t.first(strings.Join([]string{e.Did, e.Who, e.About}, "\x00"), time.Now()) {
		t.Note(ctx, e)
	}
}

// first tells whether something was not done within the hour, and remembers that it is.
func (t *Trail) first(what string, at time.Time) bool {
	t.mu.Lock()
	defer t.mu.Unlock()
	if was, done := t.lately[what]; done && at.Sub(was) < time.Hour {
		return false
	}
	if len(t.lately) >= mostLately {
		maps.DeleteFunc(t.lately, func(_ string, was time.Time) bool { return at.Sub(was) >= time.Hour })
	}
	if t.lately == nil || len(t.lately) >= mostLately { // then it is noted more often
		t.lately = map[string]time.Time{}
	}
	t.lately[what] = at
	return true
}

// Note logs an event and keeps it. It is kept also where whoever did it has left
// meanwhile; where it cannot be kept, the log says so.
func (t *Trail) Note(ctx context.Context, e Event) {
	if e.At.IsZero() {
		e.At = time.Now()
	}
	level := slog.LevelInfo
	if e.Refused {
		level = slog.LevelWarn
	}
	t.Log.Log(ctx, level, "audit", "did", e.Did, "who", e.Who, "from", e.From, "about", e.About, "refused", e.Refused)
	var b store.Batch
	b.Do("INSERT INTO audit (at, did, who, came_from, about, refused) VALUES (?, ?, ?, ?, ?, ?)", store.Time(e.At),
		e.Did, e.Who, e.From, e.About, e.Refused)
	if err := t.Store.Write(context.WithoutCancel(ctx), b); err != nil {
		t.Log.Error("an event could not be kept", "did", e.Did, "error", err)
	}
}

// Query picks events; what is zero picks all.
type Query struct {
	Who    string
	Did    string
	Before int64 // only events with a smaller N
	Limit  int
}

// Events gives the newest events that a query picks.
func (t *Trail) Events(ctx context.Context, q Query) ([]Event, error) {
	rows, err := t.Store.Read().QueryContext(ctx, "SELECT n, at, did, who, came_from, about, refused FROM audit WHERE "+
		"(?1 = '' OR who = ?1) AND (?2 = '' OR did = ?2) AND (?3 = 0 OR n < ?3) ORDER BY n DESC LIMIT ?4", q.Who, q.Did,
		q.Before, q.Limit)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	all := []Event{}
	for rows.Next() {
		var e Event
		var at int64
		if err := rows.Scan(&e.N, &at, &e.Did, &e.Who, &e.From, &e.About, &e.Refused); err != nil {
			return nil, err
		}
		e.At = store.FromTime(at)
		all = append(all, e)
	}
	return all, rows.Err()
}

// How much is kept: a year, and no more than strangers who are refused all day
// could add.
const (
	keptFor  = 366 * 24 * time.Hour
	mostKept = 500_000
)

// Tidy forgets what is old.
func (t *Trail) Tidy(ctx context.Context) error {
	var b store.Batch
	b.Do("DELETE FROM audit WHERE at < ? OR n <= (SELECT max(n) FROM audit) - ?", store.Time(time.Now().Add(-keptFor)),
		mostKept)
	return t.Store.Write(ctx, b)
}
