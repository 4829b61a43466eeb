package mail

import (
	"context"
	"errors"
	"fmt"
	"strings"
	"time"

	"woolsignal/core/expr"
	"woolsignal/core/flow"
	"woolsignal/server/mailbox"
	"woolsignal/server/tool"
)

// mails are the tools of one mailbox.
type mails struct {
	kit *tool.Kit
	box *mailbox.Box
}

// Box gives the mailbox of a connection.
func Box(k *tool.Kit, c *flow.Connection) *mailbox.Box {
	return &mailbox.Box{Connection: c, Key: k.Key(c), Confined: k.Confined, Sent: mailbox.Sent{Store: k.Store()}}
}

func operations(k *tool.Kit, _ *flow.Workspace, c *flow.Connection) ([]*tool.Operation, error) {
	m := &mails{k, Box(k, c)}
	folder := tool.Prop("string", "The folder the mail is in; INBOX where it is missing")
	which := tool.Prop("integer", "The mail's number in its folder", "minimum", 1.0)
	files := tool.ListOf(tool.FileSchema("A file"), "Files to attach")
	address := tool.Prop("string", "A mail address", "format", "email")
	sent := tool.Result(map[string]any{"message_id": tool.Prop("string", "What a reply will refer to")})
	one := tool.Result(map[string]any{"uid": tool.Prop("integer", ""), "folder": tool.Prop("string", ""),
		"message_id": tool.Prop("string", ""), "in_reply_to": tool.Prop("string", ""),
		"subject": tool.Prop("string", ""),
		"from":    tool.Result(map[string]any{"name": tool.Prop("string", ""), "email": tool.Prop("string", "")}),
		"to":      tool.ListOf(tool.Prop("string", ""), ""), "cc": tool.ListOf(tool.Prop("string", ""), ""),
		"text": tool.Prop("string", ""), "date": tool.Prop("string", "", "format", "date-time"),
		"flags": tool.ListOf(tool.Prop("string", ""), ""), "files": tool.ListOf(map[string]any(flow.FileShape()), "")})
	op := func(name, description string, in, out map[string]any, n tool.Nature,
		call func(context.Context, map[string]any, tool.Sending) (any, error)) *tool.Operation {
		o := tool.NewOperation(c.ID, c.Title, name, description, in, out, n,
			func(ctx context.Context, args map[string]any, s tool.Sending) (any, error) {
				got, err := call(ctx, args, s)
				return got, mailError(err)
			})
		o.OpenWorld = true
		if _, takes := in["properties"].(map[string]any)["folder"]; takes {
			o.Choices = map[string]func(context.Context) ([]tool.Choice, error){"folder": m.folders}
		}
		return o
	}
	ofMail := func(required []any, more map[string]any) map[string]any {
		properties := map[string]any{"uid": which, "folder": folder}
		for name, s := range more {
			properties[name] = s
		}
		return tool.Object(append([]any{"uid"}, required...), properties)
	}
	return []*tool.Operation{
		op("send", "Sends a mail.", tool.Object([]any{"to", "subject", "text"},
			map[string]any{"to": tool.ListOf(address, "Who gets it"), "cc": tool.ListOf(address, "Who gets a copy"),
				"subject": tool.Prop("string", "What it is about, in a few words", "maxLength", 300.0),
				"text":    tool.Prop("string", "The words of the mail"), "files": files}), sent, tool.Sends, m.send),
		op("reply", "Answers a mail, in its conversation.",
			ofMail([]any{"text"}, map[string]any{"text": tool.Prop("string", "The words of the answer"), "files": files,
				"all": tool.Prop("boolean", "Answer everybody it went to")}), sent, tool.Sends,
			m.reply).About(m.show(nil)),
		op("forward", "Passes a mail on, with its attachments.",
			ofMail([]any{"to"}, map[string]any{"to": tool.ListOf(address, "Who gets it"),
				"text": tool.Prop("string", "Words to put before it")}), sent, tool.Sends,
			m.forward).About(m.show(nil)),
		op("move", "Puts a mail into another folder.",
			ofMail([]any{"to"}, map[string]any{"to": tool.Prop("string",
				"The folder it goes to; made where it is missing")}),
			tool.Result(map[string]any{"folder": tool.Prop("string", "")}), tool.Sets, m.move).About(m.show(moved)),
		op("flag", "Gives a mail a flag, or takes one away.",
			ofMail([]any{"flag"}, map[string]any{"flag": tool.Prop("string",
				`A keyword, or \Flagged, \Seen, \Answered`),
				"on": tool.Prop("boolean", "false takes it away")}),
			tool.Result(map[string]any{"flag": tool.Prop("string", ""), "on": tool.Prop("boolean", "")}), tool.Sets,
			m.flag).About(m.show(nil)),
		op("read", "Reads a mail, with its attachments as files.", ofMail(nil, nil), one, tool.Reads, m.read),
		op("save_attachment", "Takes one attachment out of a mail.",
			ofMail([]any{"name"}, map[string]any{"name": tool.Prop("string", "The attachment's name")}),
			map[string]any(flow.FileShape()), tool.Reads, m.attachment),
		op("search", "Finds mails of a folder, newest first.",
			tool.Object(nil, map[string]any{"words": tool.Prop("string", "Words it has"),
				"from": tool.Prop("string", "Who it came from"), "folder": folder,
				"most": tool.Prop("integer", "How many at most", "minimum", 1.0, "maximum", 50.0)}),
			tool.Result(map[string]any{"mails": tool.ListOf(one, "")}), tool.Reads, m.search),
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
		return &tool.RefusedError{Message: err.Error()}
	case errors.As(err, &folder):
		return &tool.RefusedError{Message: err.Error(), NotFound: true}
	case errors.As(err, &busy):
		return &tool.BusyError{Message: err.Error()}
	case errors.As(err, &unsent):
		return &tool.NotSentError{Err: err}
	}
	return err
}

func (m *mails) folders(ctx context.Context) ([]tool.Choice, error) {
	all, err := m.box.Folders(ctx)
	out := make([]tool.Choice, len(all))
	for i, f := range all {
		out[i] = tool.Choice{Value: f, Words: f}
	}
	return out, err
}

// attachments reads the files an argument names.
func (m *mails) attachments(ctx context.Context, args map[string]any) ([]mailbox.File, error) {
	list, _ := args["files"].([]any)
	var out []mailbox.File
	for _, v := range list {
		f, err := m.kit.Load(ctx, v)
		if err != nil {
			return nil, err
		}
		out = append(out, mailbox.File{Name: f.Name, Type: f.Kind, Data: f.Data})
	}
	return out, nil
}

func (m *mails) out(ctx context.Context, o mailbox.Outgoing) (any, error) {
	if len(o.To) == 0 {
		return nil, &tool.RefusedError{Message: "nobody is to get this mail"}
	}
	id, err := m.box.Send(ctx, o)
	return map[string]any{"message_id": id}, err
}

func (m *mails) send(ctx context.Context, args map[string]any, s tool.Sending) (any, error) {
	files, err := m.attachments(ctx, args)
	if err != nil {
		return nil, err
	}
	return m.out(ctx, mailbox.Outgoing{Key: s.Key, To: tool.Texts(args, "to"), Cc: tool.Texts(args, "cc"),
		Subject: oneLine(tool.Text(args, "subject")), Text: tool.Text(args, "text"), Files: files})
}

// oneLine keeps a header from becoming two.
func oneLine(s string) string { return strings.Join(strings.Fields(s), " ") }

// original reads the mail a call is about. It changes nothing yet, so any
// error of it means that nothing was sent.
func (m *mails) original(ctx context.Context, args map[string]any) (*mailbox.Mail, error) {
	mail, err := m.box.Read(ctx, inFolder(args), uint32(tool.Whole(args, "uid", 0)))
	if err != nil {
		if sorted := mailError(err); tool.Settled(sorted) {
			return nil, sorted
		}
		return nil, &tool.NotSentError{Err: err}
	}
	return mail, nil
}

func inFolder(args map[string]any) string {
	if f := tool.Text(args, "folder"); f != "" {
		return f
	}
	return "INBOX"
}

func (m *mails) reply(ctx context.Context, args map[string]any, s tool.Sending) (any, error) {
	original, err := m.original(ctx, args)
	if err != nil {
		return nil, err
	}
	files, err := m.attachments(ctx, args)
	if err != nil {
		return nil, err
	}
	o := mailbox.Outgoing{Key: s.Key, To: []string{original.From.Email}, Subject: prefixed("Re: ", original.Subject),
		Text:      tool.Text(args, "text") + "\n\n" + quote(original),
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

func (m *mails) forward(ctx context.Context, args map[string]any, s tool.Sending) (any, error) {
	original, err := m.original(ctx, args)
	if err != nil {
		return nil, err
	}
	words := strings.TrimSpace(tool.Text(args, "text") + "\n\n" + quote(original))
	return m.out(ctx, mailbox.Outgoing{Key: s.Key, To: tool.Texts(args, "to"),
		Subject: prefixed("Fwd: ", original.Subject),
		Text:    words, Files: original.Files})
}

func (m *mails) move(ctx context.Context, args map[string]any, s tool.Sending) (any, error) {
	to := tool.Text(args, "to")
	return map[string]any{"folder": to}, m.box.Move(ctx, inFolder(args), uint32(tool.Whole(args, "uid", 0)), to,
		s.Again)
}

func (m *mails) flag(ctx context.Context, args map[string]any, _ tool.Sending) (any, error) {
	on, given := args["on"].(bool)
	on = on || !given
	return map[string]any{"flag": tool.Text(args, "flag"), "on": on}, m.box.Flag(ctx, inFolder(args),
		uint32(tool.Whole(args, "uid", 0)), tool.Text(args, "flag"), on)
}

func (m *mails) read(ctx context.Context, args map[string]any, _ tool.Sending) (any, error) {
	mail, err := m.box.Read(ctx, inFolder(args), uint32(tool.Whole(args, "uid", 0)))
	if err != nil {
		return nil, err
	}
	return m.value(ctx, mail)
}

func (m *mails) attachment(ctx context.Context, args map[string]any, _ tool.Sending) (any, error) {
	mail, err := m.box.Read(ctx, inFolder(args), uint32(tool.Whole(args, "uid", 0)))
	if err != nil {
		return nil, err
	}
	var names []string
	for _, f := range mail.Files {
		if f.Name == tool.Text(args, "name") {
			return m.kit.Save(ctx, tool.Content{Name: f.Name, Kind: f.Type, Data: f.Data})
		}
		names = append(names, f.Name)
	}
	return nil, &tool.RefusedError{Message: fmt.Sprintf("this mail has no attachment %s; it has: %s",
		tool.Text(args, "name"),
		strings.Join(names, ", ")), NotFound: true}
}

func (m *mails) search(ctx context.Context, args map[string]any, _ tool.Sending) (any, error) {
	found, err := m.box.Search(ctx, inFolder(args), tool.Text(args, "words"), tool.Text(args, "from"),
		tool.Whole(args, "most", 10))
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
		kept, err := m.kit.Save(ctx, tool.Content{Name: f.Name, Kind: f.Type, Data: f.Data})
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

func try(ctx context.Context, k *tool.Kit, _ *flow.Workspace, _ tool.Catalogue, c *flow.Connection) tool.Verdict {
	box := Box(k, c)
	folders, err := box.Folders(ctx)
	if err != nil {
		return k.Trouble(c, mailError(err))
	}
	if err := box.Greet(ctx); err != nil {
		v := k.Trouble(c, err)
		return tool.Unfit("Check smtp: in connections/"+c.ID+".yaml, and whether the password is good for sending too.",
			"Mail can be read, but not sent: %s", v.Words)
	}
	return tool.Works("Signed in for reading and sending. Folders: %s.", strings.Join(folders, ", "))
}
