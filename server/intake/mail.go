package intake

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"strconv"
	"strings"
	"time"

	"woolsignal/server/protocol/mail"
	"woolsignal/server/store"

	"woolsignal/core/expr"
	"woolsignal/core/flow"
	"woolsignal/core/run"
	"woolsignal/core/trigger"
	"woolsignal/server/mailbox"
	"woolsignal/server/tool"
)

// mailSource is a folder of a mailbox.
type mailSource struct {
	kit *tool.Kit
	box *mailbox.Box
	of  *trigger.Mail
}

// mailFound is a mail, with its attachments.
type mailFound struct {
	*mailbox.Mail
	id string
	// asked is false for an answer to a mail that was not written to its sender
	asked bool
}

// mails looks at a folder of a mailbox.
func (w *Watches) mails(t flow.Trigger) *looking {
	of := t.Is.(*trigger.Mail)
	c := w.connection(t)
	if c == nil {
		return nil
	}
	box := mail.Box(w.Kit, c)
	key, words := fmt.Sprintf("mail %s %s %s", c.ID, of.Folder, of.Happens), "mails that arrive in "+of.Folder
	switch {
	case of.Flagged():
		key, words = key+" "+of.Flag, "mails flagged "+of.Flag+" in "+of.Folder
	case of.Happens == "moved":
		words = "mails that are moved to " + of.Folder
	}
	box.Each = func(uid uint32, read func()) string { return w.each(key, uid, read) }
	return &looking{key, words, of.Every, &mailSource{w.Kit, box, of}}
}

func (s *mailSource) look(ctx context.Context, cursor json.RawMessage) ([]any, any, bool, error) {
	var before *mailbox.Cursor
	if cursor != nil {
		before = &mailbox.Cursor{}
		if err := json.Unmarshal(cursor, before); err != nil {
			return nil, nil, false, err
		}
	}
	var mails []*mailbox.Mail
	var next mailbox.Cursor
	var err error
	if s.of.Flagged() {
		mails, next, err = s.box.Flagged(ctx, s.of.Folder, s.of.Flag, before)
	} else {
		mails, next, err = s.box.Arrived(ctx, s.of.Folder, before)
	}
	if err != nil {
		return nil, nil, false, err
	}
	var out []any
	for i, m := range mails {
		f := &mailFound{Mail: m, asked: true, id: fmt.Sprintf("%d-%d", next.Validity, m.UID)}
		if s.of.Flagged() {
			f.id = fmt.Sprintf("%d-%d-%d", next.Validity, m.UID, next.Times-len(mails)+i+1)
		}
		if m.InReplyTo != "" {
			asked, ours, err := s.box.Sent.Asked(ctx, m.InReplyTo, m.From.Email)
			if err != nil {
				return nil, nil, false, err
			}
			f.asked = asked || !ours
		}
		out = append(out, f)
	}
	return out, next, len(mails) >= 50, nil
}

func (s *mailSource) signal(t flow.Trigger, found any) (*run.Signal, error) {
	m, of := found.(*mailFound), t.Is.(*trigger.Mail)
	if !wanted(of, m.Mail) {
		return nil, nil
	}
	return &run.Signal{ID: m.id, Type: "mail." + of.Happens, Subject: m.Subject, Text: m.Text, Thread: m.Thread(),
		Answers: m.InReplyTo, Unasked: !m.asked,
		From: map[string]string{"name": m.From.Name, "email": m.From.Email,
			run.Verified: strconv.FormatBool(m.Verified)},
		Body: map[string]any{"authentication": m.Verdicts.String(), "message_id": m.MessageID,
			"in_reply_to": m.InReplyTo, "subject": m.Subject,
			"to": expr.Texts(m.To), "cc": expr.Texts(m.Cc), "html": m.HTML,
			"folder": m.Folder, "uid": int64(m.UID), "flags": expr.Texts(m.Flags),
			"date": m.Date.Format(time.RFC3339)}}, nil
}

// keep keeps the attachments, as far as there is room for what strangers leave;
// the mail names those there was none for.
func (s *mailSource) keep(ctx context.Context, found any, signal *run.Signal) error {
	leftOut := []any{}
	for _, f := range found.(*mailFound).Files {
		kept, err := s.kit.Leave(ctx, f.Name, f.Type, f.Data)
		switch {
		case errors.Is(err, store.ErrNoRoom):
			leftOut = append(leftOut, tool.SafeName(f.Name))
		case err != nil:
			return err
		default:
			signal.Files = append(signal.Files, kept)
		}
	}
	signal.Body.(map[string]any)["left_out"] = leftOut
	return nil
}

// wanted tells whether a trigger means a mail: from one of its senders, with
// all of some words and none of others.
func wanted(t *trigger.Mail, m *mailbox.Mail) bool {
	from := len(t.From) == 0
	for _, f := range t.From {
		from = from || strings.Contains(strings.ToLower(m.From.Email), strings.ToLower(f))
	}
	return from && t.In(m.Subject+"\n"+m.Text)
}
