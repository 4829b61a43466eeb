package intake

import (
	"context"
	"errors"
	"strings"

	"woolsignal/core/flow"
	"woolsignal/server/access"
	"woolsignal/server/audit"
	"woolsignal/server/tool"
)

// code is what a private message gives to link its writer's name; is is false
// where it is a message like any other.
func (m *chatMessage) code() (code string, is bool) {
	word, code, two := strings.Cut(strings.TrimSpace(m.Text), " ")
	return code, m.Direct && two && strings.EqualFold(word, "link") && len(code) < 20
}

// link makes the name that wrote a code the name of whom it was made for, and
// says so there.
func (h *ChatEvents) link(ctx context.Context, c *flow.Connection, m *chatMessage, id, code string) error {
	p, err := h.Access.LinkChatName(ctx, c.ID, m.From.Handle, code)
	said := "You are linked: what you ask for here is done as " + p.Name + " (" + p.Email + ")."
	switch {
	case errors.Is(err, access.ErrNoCode):
		h.Audit.Note(ctx, audit.Event{Did: audit.LinkName, Who: m.From.Handle, About: c.ID + ": " + err.Error(),
			Refused: true})
		said = "This code was used before, or is more than ten minutes old. Get another on your account's page."
	case err != nil:
		return err
	default:
		h.Audit.Note(ctx, audit.Event{Did: audit.LinkName, Who: p.Email, About: c.ID + ": " + m.From.Handle})
	}
	answer := h.Workspace.Now().Tools[c.ID+"/write_to"]
	if answer == nil { // switched off: it is linked all the same
		return nil
	}
	if _, err := answer.Call(ctx, map[string]any{"handle": m.From.Handle, "text": said},
		tool.Sending{Key: "link " + id}); err != nil {
		h.Log.Warn("somebody could not be told that their name is linked", "connection", c.ID, "error",
			h.Secrets.Mask(err.Error()))
	}
	return nil
}
