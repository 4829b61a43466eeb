package api

import (
	"context"
	"encoding/json"
	"net/http"
	"strings"
	"time"

	"github.com/google/uuid"

	"woolsignal/core/run"
	"woolsignal/core/trigger"
	"woolsignal/server/access"
	"woolsignal/server/engine"
	"woolsignal/server/store"
	"woolsignal/wire"
)

// longestMessage is how much may be said at once, in bytes.
const longestMessage = 20_000

// consoleSource is where a person's own conversations come from, so that two
// people's threads of one name stay apart.
func consoleSource(p access.Person) string { return run.ConsoleSource + strings.ToLower(p.Email) }

func (a *API) chat(r *request, in wire.Said) (wire.Heard, error) {
	id, p := r.Param("workflow"), person(r.Context())
	s := a.Workspace.Now()
	one := s.Workflows[id]
	if live := s.Live[id]; live != nil && !in.Draft {
		one = live.Workflow
	}
	if one == nil {
		return wire.Heard{}, refuse(http.StatusNotFound, "Not here", "There is no workflow "+id+".")
	}
	chat, speaksFirst := "", false
	for _, t := range one.Triggers {
		if c, is := t.Is.(*trigger.Chat); is {
			chat, speaksFirst = t.ID, c.SpeaksFirst
			break
		}
	}
	switch {
	case in.Draft && !p.Role.Allows(access.Builder):
		return wire.Heard{}, refuse(http.StatusForbidden, "Not yours to try", "What is not published yet is tried by "+
			"builders; your role is "+string(p.Role)+".")
	case chat == "":
		return wire.Heard{}, refuse(http.StatusConflict, "Nobody to talk to", one.Title+" has no chat trigger.")
	case in.Begins && !speaksFirst:
		return wire.Heard{}, refuse(http.StatusConflict, "Somebody has to write first",
			one.Title+" does not begin by itself: its page has no speaks_first: true.")
	case !in.Begins && strings.TrimSpace(in.Text) == "":
		return wire.Heard{}, refuse(http.StatusUnprocessableEntity, "Nothing was said", "Send a text.")
	case len(in.Text) > longestMessage:
		return wire.Heard{}, refuse(http.StatusRequestEntityTooLarge, "Too long",
			"A message may have 20,000 bytes; nothing was sent.")
	case in.Thread == "" || len(in.Thread) > 100:
		return wire.Heard{}, refuse(http.StatusUnprocessableEntity, "Which conversation?",
			"Send thread, a name of at most 100 characters.")
	}
	signal := &run.Signal{ID: uuid.Must(uuid.NewV7()).String(), Source: consoleSource(p), Type: "chat.message",
		Time: time.Now().UTC().Truncate(time.Millisecond), Kind: "chat", Trigger: chat, Thread: in.Thread,
		Text: in.Text,
		From: map[string]string{"name": p.Name, "email": p.Email, "role": string(p.Role)}, For: p.Email}
	if in.Begins {
		signal.Text = ""
	}
	ticket, err := a.say(r, id, in, signal)
	if err != nil {
		return wire.Heard{}, err
	}
	return wire.Heard{Run: ticket.Run, Thread: in.Thread}, nil
}

// say brings a message to the run that waits for it, or starts one, of what
// is live or of the draft.
func (a *API) say(r *request, workflow string, in wire.Said, signal *run.Signal) (*engine.Ticket, error) {
	signal.Draft = in.Draft
	if in.Begins && !in.Draft {
		return a.Engine.Begin(r.Context(), workflow, signal)
	}
	return a.Engine.Receive(r.Context(), workflow, signal)
}

func (a *API) thread(r *request, _ none) (wire.Thread, error) {
	ctx := r.Context()
	thread := run.Thread{Workflow: r.Param("workflow"),
		Conversation: run.Conversation{Source: consoleSource(person(ctx)), Thread: r.Param("thread")}}
	out, err := a.conversation(ctx, thread.String(), 0)
	if err != nil {
		return wire.Thread{}, err
	}
	return out, nil
}

// visitorThread is a conversation as a visitor sees it: without notes, and
// without anything of the runs behind it.
func (a *API) visitorThread(ctx context.Context, key string, after int64) (any, error) {
	all, err := a.conversation(ctx, key, after)
	if err != nil {
		return nil, err
	}
	out := wire.Visited{Messages: []wire.Message{}, Busy: len(all.Open) > 0}
	for _, m := range all.Messages {
		if m.Who != "note" {
			m.Run = ""
			out.Messages = append(out.Messages, m)
		}
	}
	return out, nil
}

// visitorFile gives the bytes of a file that was said to a visitor; the error is
// [store.ErrNoBlob] for any other.
func (a *API) visitorFile(ctx context.Context, key, hash string) ([]byte, error) {
	rows, err := a.Store.Read().QueryContext(ctx,
		"SELECT rich FROM messages WHERE thread = ? AND who = 'agent' AND instr(rich, ?) > 0", key, hash)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	said := false
	for rows.Next() {
		var rich string
		var m struct{ Picture, File json.RawMessage }
		if err := rows.Scan(&rich); err != nil {
			return nil, err
		}
		if json.Unmarshal([]byte(rich), &m) == nil {
			said = said || isFile(m.Picture, hash) || isFile(m.File, hash)
		}
	}
	if err := rows.Err(); err != nil {
		return nil, err
	}
	if !said {
		return nil, store.ErrNoBlob
	}
	return a.Store.Blob(ctx, hash)
}

// isFile tells whether a value is the file that is kept under a hash.
func isFile(value json.RawMessage, hash string) bool {
	var f run.File
	return json.Unmarshal(value, &f) == nil && f.Blob == hash
}

// conversation reads the newest messages of a thread, and its open runs.
func (a *API) conversation(ctx context.Context, key string, after int64) (wire.Thread, error) {
	out := wire.Thread{Messages: []wire.Message{}}
	rows, err := a.Store.Read().QueryContext(ctx,
		"SELECT n, run, who, name, text, rich, at FROM (SELECT * FROM messages WHERE thread = ? AND n > ? ORDER BY "+
			"n DESC LIMIT 500) ORDER BY n", key, after)
	if err != nil {
		return out, err
	}
	defer rows.Close()
	for rows.Next() {
		var m wire.Message
		var at int64
		var rich *string
		if err := rows.Scan(&m.N, &m.Run, &m.Who, &m.Name, &m.Text, &rich, &at); err != nil {
			return out, err
		}
		if rich != nil {
			m.Rich = json.RawMessage(*rich)
		}
		m.At = store.FromTime(at)
		out.Messages = append(out.Messages, m)
	}
	if err := rows.Err(); err != nil {
		return out, err
	}
	out.Open, err = a.scanRuns(a.Store.Read().QueryContext(ctx, "SELECT "+runColumns+
		" FROM runs r WHERE thread = ? AND ended IS NULL ORDER BY id", key))
	return out, err
}
