package tool

import (
	"context"
	"errors"
	"fmt"
	"strings"
	"time"

	"woolsignal/core/expr"
	"woolsignal/core/flow"
	"woolsignal/server/mailbox"
)

// mails are the tools of one mailbox.
type mails struct {
	kit *Kit
	box *mailbox.Box
}

// Box gives the mailbox of a connection.
func (k *Kit) Box(c *flow.Connection) *mailbox.Box {
	return &mailbox.Box{Connection: c, Key: k.Key(c)}
}

func (k *Kit) mailOperations(_ *flow.Workspace, c *flow.Connection) ([]*Operation, error) {
	m := &mails{k, k.Box(c)}
	folder := prop("string", "The folder the mail is in; INBOX where it is missing")
	which := prop("integer", "The mail's number in its folder", "minimum", 1.0)
	files := listOf(fileSchema("A file"), "Files to attach")
	address := prop("string", "A mail address", "format", "email")
	sent := result(map[string]any{"message_id": prop("string", "What a reply will refer to")})
	one := result(map[string]any{"uid": prop("integer", ""), "folder": prop("string", ""),
		"message_id": prop("string", ""), "in_reply_to": prop("string", ""), "subject": prop("string", ""),
		"from": result(map[string]any{"name": prop("string", ""), "email": prop("string", "")}),
		"to":   listOf(prop("string", ""), ""), "cc": listOf(prop("string", ""), ""),
		"text": prop("string", ""), "date": prop("string", "", "format", "date-time"),
		"flags": listOf(prop("string", ""), ""), "files": listOf(map[string]any(flow.FileShape()), "")})
	op := func(name, description string, in, out map[string]any, n nature,
		call func(context.Context, map[string]any, Sending) (any, error)) *Operation {
		o := operation(c.ID, c.Title, name, description, in, out, n,
			func(ctx context.Context, args map[string]any, s Sending) (any, error) {
				got, err := call(ctx, args, s)
				return got, mailError(err)
			})
		o.OpenWorld = true
		if _, takes := in["properties"].(map[string]any)["folder"]; takes {
			o.Choices = map[string]func(context.Context) ([]Choice, error){"folder": m.folders}
		}
		return o
	}
	ofMail := func(required []any, more map[string]any) map[string]any {
		properties := map[string]any{"uid": which, "folder": folder}
		for name, s := range more {
			properties[name] = s
		}
		return object(append([]any{"uid"}, required...), properties)
	}
	return []*Operation{
		op("send", "Sends a mail.", object([]any{"to", "subject", "text"},
			map[string]any{"to": listOf(address, "Who gets it"), "cc": listOf(address, "Who gets a copy"),
				"subject": prop("string", "What it is about, in a few words", "maxLength", 300.0),
				"text":    prop("string", "The words of the mail"), "files": files}), sent, sends, m.send),
		op("reply", "Answers a mail, in its conversation.",
			ofMail([]any{"text"}, map[string]any{"text": prop("string", "The words of the answer"), "files": files,
				"all": prop("boolean", "Answer everybody it went to")}), sent, sends, m.reply),
		op("forward", "Passes a mail on, with its attachments.",
			ofMail([]any{"to"}, map[string]any{"to": listOf(address, "Who gets it"),
				"text": prop("string", "Words to put before it")}), sent, sends, m.forward),
		op("move", "Puts a mail into another folder.",
			ofMail([]any{"to"}, map[string]any{"to": prop("string",
				"The folder it goes to; made where it is missing")}),
			result(map[string]any{"folder": prop("string", "")}), sets, m.move),
		op("flag", "Gives a mail a flag, or takes one away.",
			ofMail([]any{"flag"}, map[string]any{"flag": prop("string", `A keyword, or \Flagged, \Seen, \Answered`),
				"on": prop("boolean", "false takes it away")}),
			result(map[string]any{"flag": prop("string", ""), "on": prop("boolean", "")}), sets, m.flag),
		op("read", "Reads a mail, with its attachments as files.", ofMail(nil, nil), one, reads, m.read),
		op("save_attachment", "Takes one attachment out of a mail.",
			ofMail([]any{"name"}, map[string]any{"name": prop("string", "The attachment's name")}),
			map[string]any(flow.FileShape()), reads, m.attachment),
		op("search", "Finds mails of a folder, newest first.",
			object(nil, map[string]any{"words": prop("string", "Words it has"),
				"from": prop("string", "Who it came from"), "folder": folder,
				"most": prop("integer", "How many at most", "minimum", 1.0, "maximum", 50.0)}),
			result(map[string]any{"mails": listOf(one, "")}), reads, m.search),
	}, nil
}

// mailError sorts a mail server's errors by what is known of the effect.
func mailError(err error) error {
	var refused *mailbox.RefusedError
	var folder *mailbox.NoFolderError
	var busy *mailbox.BusyError
	var unsent *mailbox.UnsentError
	switch {
	case errors.As(err, &refused):
		return &RefusedError{Message: err.Error()}
	case errors.As(err, &folder):
		return &RefusedError{Message: err.Error(), NotFound: true}
	case errors.As(err, &busy):
		return &BusyError{Message: err.Error()}
	case errors.As(err, &unsent):
		return &NotSentError{err}
	}
	return err
}

func (m *mails) folders(ctx context.Context) ([]Choice, error) {
	all, err := m.box.Folders(ctx)
	out := make([]Choice, len(all))
	for i, f := range all {
		out[i] = Choice{f, f}
	}
	return out, err
}

// attachments reads the files an argument names.
func (m *mails) attachments(ctx context.Context, args map[string]any) ([]mailbox.File, error) {
	list, _ := args["files"].([]any)
	var out []mailbox.File
	for _, v := range list {
		f, err := m.kit.load(ctx, v)
		if err != nil {
			return nil, err
		}
		out = append(out, mailbox.File{Name: f.name, Type: f.kind, Data: f.data})
	}
	return out, nil
}

func (m *mails) out(ctx context.Context, o mailbox.Outgoing) (any, error) {
	if len(o.To) == 0 {
		return nil, &RefusedError{Message: "nobody is to get this mail"}
	}
	id, err := m.box.Send(ctx, o)
	return map[string]any{"message_id": id}, err
}

func (m *mails) send(ctx context.Context, args map[string]any, s Sending) (any, error) {
	files, err := m.attachments(ctx, args)
	if err != nil {
		return nil, err
	}
	return m.out(ctx, mailbox.Outgoing{Key: s.Key, To: texts(args, "to"), Cc: texts(args, "cc"),
		Subject: oneLine(text(args, "subject")), Text: text(args, "text"), Files: files})
}

// oneLine keeps a header from becoming two.
func oneLine(s string) string { return strings.Join(strings.Fields(s), " ") }

// original reads the mail a call is about. It changes nothing yet, so any
// error of it means that nothing was sent.
func (m *mails) original(ctx context.Context, args map[string]any) (*mailbox.Mail, error) {
	mail, err := m.box.Read(ctx, inFolder(args), uint32(whole(args, "uid", 0)))
	if err != nil {
		if sorted := mailError(err); settled(sorted) {
			return nil, sorted
		}
		return nil, &NotSentError{err}
	}
	return mail, nil
}

func inFolder(args map[string]any) string {
	if f := text(args, "folder"); f != "" {
		return f
	}
	return "INBOX"
}

func (m *mails) reply(ctx context.Context, args map[string]any, s Sending) (any, error) {
	original, err := m.original(ctx, args)
	if err != nil {
		return nil, err
	}
	files, err := m.attachments(ctx, args)
	if err != nil {
		return nil, err
	}
	o := mailbox.Outgoing{Key: s.Key, To: []string{original.From.Email}, Subject: prefixed("Re: ", original.Subject),
		Text:      text(args, "text") + "\n\n" + quote(original),
		InReplyTo: original.MessageID, References: original.References, Files: files}
	if all, _ := args["all"].(bool); all {
		for _, a := range append(original.To, original.Cc...) {
			if !strings.EqualFold(a, m.box.Address()) && a != original.From.Email {
				o.Cc = append(o.Cc, a)
			}
		}
	}
	return m.out(ctx, o)
}

func prefixed(prefix, subject string) string {
	if strings.HasPrefix(strings.ToLower(subject), strings.ToLower(prefix)) {
		return subject
	}
	return prefix + subject
}

// quote repeats a mail below an answer, each line behind a mark.
func quote(m *mailbox.Mail) string {
	who := m.From.Name
	if who == "" {
		who = m.From.Email
	}
	return fmt.Sprintf("%s wrote on %s:\n> %s", who, m.Date.Format("2 January 2006"),
		strings.ReplaceAll(m.Text, "\n", "\n> "))
}

func (m *mails) forward(ctx context.Context, args map[string]any, s Sending) (any, error) {
	original, err := m.original(ctx, args)
	if err != nil {
		return nil, err
	}
	words := strings.TrimSpace(text(args, "text") + "\n\n" + quote(original))
	return m.out(ctx, mailbox.Outgoing{Key: s.Key, To: texts(args, "to"), Subject: prefixed("Fwd: ", original.Subject),
		Text: words, Files: original.Files})
}

func (m *mails) move(ctx context.Context, args map[string]any, s Sending) (any, error) {
	to := text(args, "to")
	return map[string]any{"folder": to}, m.box.Move(ctx, inFolder(args), uint32(whole(args, "uid", 0)), to, s.Again)
}

func (m *mails) flag(ctx context.Context, args map[string]any, _ Sending) (any, error) {
	on, given := args["on"].(bool)
	on = on || !given
	return map[string]any{"flag": text(args, "flag"), "on": on}, m.box.Flag(ctx, inFolder(args),
		uint32(whole(args, "uid", 0)), text(args, "flag"), on)
}

func (m *mails) read(ctx context.Context, args map[string]any, _ Sending) (any, error) {
	mail, err := m.box.Read(ctx, inFolder(args), uint32(whole(args, "uid", 0)))
	if err != nil {
		return nil, err
	}
	return m.value(ctx, mail)
}

func (m *mails) attachment(ctx context.Context, args map[string]any, _ Sending) (any, error) {
	mail, err := m.box.Read(ctx, inFolder(args), uint32(whole(args, "uid", 0)))
	if err != nil {
		return nil, err
	}
	var names []string
	for _, f := range mail.Files {
		if f.Name == text(args, "name") {
			return m.kit.save(ctx, content{f.Name, f.Type, f.Data})
		}
		names = append(names, f.Name)
	}
	return nil, &RefusedError{Message: fmt.Sprintf("this mail has no attachment %s; it has: %s", text(args, "name"),
		strings.Join(names, ", ")), NotFound: true}
}

func (m *mails) search(ctx context.Context, args map[string]any, _ Sending) (any, error) {
	found, err := m.box.Search(ctx, inFolder(args), text(args, "words"), text(args, "from"), whole(args, "most", 10))
	if err != nil {
		return nil, err
	}
	out := []any{}
	for _, one := range found {
		v, err := m.value(ctx, one)
		if err != nil {
			return nil, err
		}
		out = append(out, v)
	}
	return map[string]any{"mails": out}, nil
}

// value is a mail as tools give it; its attachments are kept as files.
func (m *mails) value(ctx context.Context, mail *mailbox.Mail) (map[string]any, error) {
	files := []any{}
	for _, f := range mail.Files {
		kept, err := m.kit.save(ctx, content{f.Name, f.Type, f.Data})
		if err != nil {
			return nil, err
		}
		files = append(files, kept)
	}
	return map[string]any{"uid": int64(mail.UID), "folder": mail.Folder, "message_id": mail.MessageID,
		"in_reply_to": mail.InReplyTo, "subject": mail.Subject,
		"from": map[string]any{"name": mail.From.Name, "email": mail.From.Email}, "to": expr.Texts(mail.To),
		"cc":   expr.Texts(mail.Cc),
		"text": mail.Text, "date": mail.Date.Format(time.RFC3339), "flags": expr.Texts(mail.Flags), "files": files}, nil
}
