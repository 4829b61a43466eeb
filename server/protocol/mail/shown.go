package mail

import (
	"context"
	"time"

	"woolsignal/core/expr"
	"woolsignal/server/tool"
)

// show tells which mail a call is about, and what of it a call changes.
func (m *mails) show(changes func(mail, args map[string]any)) func(context.Context, map[string]any,
	tool.Sending) (tool.Shown, error) {
	return func(ctx context.Context, args map[string]any, _ tool.Sending) (tool.Shown, error) {
		mail, err := m.box.Read(ctx, inFolder(args), uint32(tool.Whole(args, "uid", 0)))
		if err != nil {
			return tool.Shown{}, mailError(err)
		}
		look := func() map[string]any {
			return map[string]any{"subject": mail.Subject, "from": mail.From.Name,
				"date": mail.Date.Format(time.RFC3339),
				"text": mail.Text, "folder": mail.Folder, "flags": expr.Texts(mail.Flags)}
		}
		shown := tool.Shown{Before: look()}
		if changes != nil {
			after := look()
			changes(after, args)
			shown.After = after
		}
		return shown, nil
	}
}

// moved is a mail in another folder.
func moved(mail, args map[string]any) { mail["folder"] = tool.Text(args, "to") }
