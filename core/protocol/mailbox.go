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
	// VerifiedBy is the name the mailbox's own server gives itself in its verdicts
	// on senders (RFC 8601); "" where it gives none that could be believed.
	VerifiedBy string
}

// Schemes are those of IMAP.
func (*Mailbox) Schemes() ([]string, string) {
	return []string{"imap", "imaps"}, "imaps://mail.example:993"
}

// Places are where the password is sent beside the address.
func (b *Mailbox) Places() []string { return []string{b.SMTP} }

// Fields are what it may say.
func (b *Mailbox) Fields() []flow.Field {
	return []flow.Field{
		{Name: "email", Into: &b.Email, Required: true, Help: "The address it sends as.",
			Example: "office@larkrigg.example"},
		{Name: "name", Into: &b.Name, Help: "The sender's name people see.", Example: "Larkrigg office"},
		{Name: "smtp", Into: &b.SMTP, Required: true, Help: "The server mail is sent by.",
			Example: "smtps://mail.example:465"},
		{Name: "sent", Into: &b.Sent, Help: "The folder that keeps a copy of what is sent.", Example: "Sent"},
		{Name: "verified_by", Into: &b.VerifiedBy,
			Help: "The name the mailbox's own server puts on its verdicts on senders (Authentication-Results, RFC " +
				"8601). Without it no sender counts as verified.", Example: "mx.larkrigg.example"},
	}
}

// Agree insists on the address of a mail server.
func (b *Mailbox) Agree(m flow.Reading) {
	if b.SMTP != "" && !strings.HasPrefix(b.SMTP, "smtp://") && !strings.HasPrefix(b.SMTP, "smtps://") {
		m.Wrong("smtp", "write it as smtps://mail.example:465", "%q is not the address of a mail server", b.SMTP)
	}
}
