package protocol

import (
	"strings"

	"woolsignal/core/flow"
)

// Mailbox reads mail over IMAP (RFC 9051) and sends it over SMTP (RFC 5321).
type Mailbox struct {
	Email string // what it sends as
	Name  string // the sender's name people see
	SMTP  string // smtp://host:port or smtps://
	Sent  string // the folder a copy of what is sent is put in; "" keeps none
}

// Schemes are those of IMAP.
func (*Mailbox) Schemes() ([]string, string) {
	return []string{"imap", "imaps"}, "imaps://mail.example:993"
}

// Fields are what it may say.
func (b *Mailbox) Fields() []flow.Field {
	return []flow.Field{
		{Name: "email", Into: &b.Email, Required: true, Help: "The address it sends as.",
			Example: "office@larkrigg.example"},
		{Name: "name", Into: &b.Name, Help: "The sender's name people see.", Example: "Larkrigg office"},
		{Name: "smtp", Into: &b.SMTP, Required: true, Help: "The server mail is sent by.",
			Example: "smtps://mail.example:465"},
		{Name: "sent", Into: &b.Sent, Help: "The folder that keeps a copy of what is sent.", Example: "Sent"},
	}
}

// Agree insists on the address of a mail server.
func (b *Mailbox) Agree(m flow.Reading) {
	if b.SMTP != "" && !strings.HasPrefix(b.SMTP, "smtp://") && !strings.HasPrefix(b.SMTP, "smtps://") {
		m.Wrong("smtp", "write it as smtps://mail.example:465", "%q is not the address of a mail server", b.SMTP)
	}
}
