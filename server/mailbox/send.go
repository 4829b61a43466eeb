package mailbox

import (
	"bytes"
	"context"
	"crypto/tls"
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"
	"time"

	"github.com/emersion/go-message/mail"
	"github.com/emersion/go-sasl"
	"github.com/emersion/go-smtp"
)

// Outgoing is a mail to be sent.
type Outgoing struct {
	Key        string // the same each time this mail is sent; its Message-ID is kept by it
	To, Cc     []string
	Subject    string
	Text       string
	InReplyTo  string
	References []string
	Files      []File
}

// UnsentError says that a mail did not leave.
type UnsentError struct{ Err error }

func (e *UnsentError) Error() string { return e.Err.Error() }
func (e *UnsentError) Unwrap() error { return e.Err }

// BusyError is a server's request to try again later; the mail did not leave.
type BusyError struct{ Message string }

func (e *BusyError) Error() string { return e.Message }

// Send sends a mail and gives its Message-ID. An *[UnsentError], *[BusyError]
// or *[RefusedError] says that it did not leave; after any other error nobody
// knows.
func (b *Box) Send(ctx context.Context, o Outgoing) (string, error) {
	to, err := receivers(o)
	if err != nil {
		return "", &RefusedError{err.Error()}
	}
	_, host, _ := strings.Cut(b.says().Email, "@")
	id, err := b.Sent.id(ctx, o.Key, host, to)
	if err != nil {
		return "", &UnsentError{err}
	}
	text, err := b.compose(o, id)
	if err != nil {
		return "", &RefusedError{err.Error()}
	}
	ctx, cancel := context.WithTimeout(ctx, patience)
	defer cancel()
	if err := b.transmit(ctx, to, text); err != nil {
		return "", err
	}
	if err := b.keepSent(ctx, text); err != nil {
		return id, nil // it left; a copy that is missing is no reason to send it twice
	}
	return id, nil
}

// receivers are the bare addresses of everybody a mail goes to.
func receivers(o Outgoing) ([]string, error) {
	var all []string
	for _, one := range slices.Concat(o.To, o.Cc) {
		address, err := mail.ParseAddress(one)
		if err != nil {
			return nil, fmt.Errorf("%q is not a mail address", one)
		}
		all = append(all, address.Address)
	}
	return all, nil
}

// compose writes the mail (RFC 5322).
func (b *Box) compose(o Outgoing, id string) ([]byte, error) {
	box := b.says()
	var h mail.Header
	h.SetDate(time.Now())
	h.SetSubject(o.Subject)
	h.SetAddressList("From", []*mail.Address{{Name: box.Name, Address: box.Email}})
	for field, list := range map[string][]string{"To": o.To, "Cc": o.Cc} {
		var to []*mail.Address
		for _, a := range list {
			parsed, err := mail.ParseAddress(a)
			if err != nil {
				return nil, fmt.Errorf("%q is not a mail address", a)
			}
			to = append(to, parsed)
		}
		if len(to) > 0 {
			h.SetAddressList(field, to)
		}
	}
	h.SetMessageID(id)
	if o.InReplyTo != "" {
		h.SetMsgIDList("In-Reply-To", []string{o.InReplyTo})
		h.SetMsgIDList("References", append(o.References, o.InReplyTo))
	}
	var out bytes.Buffer
	w, err := mail.CreateWriter(&out, h)
	if err != nil {
		return nil, err
	}
	var inline mail.InlineHeader
	inline.SetContentType("text/plain", map[string]string{"charset": "utf-8"})
	part, err := w.CreateSingleInline(inline)
	if err != nil {
		return nil, err
	}
	if _, err := io.WriteString(part, o.Text); err != nil {
		return nil, err
	}
	if err := part.Close(); err != nil {
		return nil, err
	}
	for _, f := range o.Files {
		if err := attach(w, f); err != nil {
			return nil, err
		}
	}
	if err := w.Close(); err != nil { // it ends the last part
		return nil, err
	}
	return out.Bytes(), nil
}

func attach(w *mail.Writer, f File) error {
	var h mail.AttachmentHeader
	h.SetContentType(f.Type, nil)
	h.SetFilename(f.Name)
	part, err := w.CreateAttachment(h)
	if err != nil {
		return err
	}
	_, err = part.Write(f.Data)
	return errors.Join(err, part.Close())
}

// transmit hands a mail to the server (RFC 5321). Once its last line is sent,
// an error leaves it open whether the mail left.
func (b *Box) transmit(ctx context.Context, to []string, text []byte) error {
	box := b.says()
	c, err := b.smtp(ctx)
	if err != nil {
		return err
	}
	defer c.Close()
	if err := c.Mail(box.Email, nil); err != nil {
		return b.said(err)
	}
	for _, one := range to {
		if err := c.Rcpt(one, nil); err != nil {
			return b.said(fmt.Errorf("%s: %w", one, err))
		}
	}
	w, err := c.Data()
	if err != nil {
		return b.said(err)
	}
	if _, err := w.Write(text); err != nil {
		return &UnsentError{err}
	}
	if err := w.Close(); err != nil {
		var answer *smtp.SMTPError
		if errors.As(err, &answer) {
			return b.said(err)
		}
		return fmt.Errorf("%s: %w", b.Connection.Title, err)
	}
	_ = c.Quit() // it has taken the mail
	return nil
}

// smtp connects to the server for sending and signs in.
func (b *Box) smtp(ctx context.Context) (*smtp.Client, error) {
	conn, host, secure, err := b.dial(ctx, b.says().SMTP, map[string]string{"smtp": "587", "smtps": "465"})
	if err != nil {
		return nil, &UnsentError{err}
	}
	var c *smtp.Client
	if secure || open(conn) {
		c = smtp.NewClient(conn)
	} else if c, err = smtp.NewClientStartTLS(conn,
		&tls.Config{ServerName: host, MinVersion: tls.VersionTLS12}); err != nil {
		return nil, &UnsentError{fmt.Errorf("%s: the connection could not be made secure, so the password was not "+
			"sent: %w", b.Connection.Title, err)}
	}
	if b.Connection.Auth.Kind != "none" {
		password, err := b.Key(ctx, false)
		if err != nil {
			return nil, &UnsentError{fmt.Errorf("connection %s: %w", b.Connection.ID, err)}
		}
		if err := c.Auth(sasl.NewPlainClient("", b.user(), password)); err != nil {
			return nil, errors.Join(b.said(err), c.Close())
		}
	}
	return c, nil
}

// said sorts a server's answer (RFC 5321, 4.2.1).
func (b *Box) said(err error) error {
	var answer *smtp.SMTPError
	switch {
	case !errors.As(err, &answer):
		return &UnsentError{fmt.Errorf("%s: %w", b.Connection.Title, err)}
	case answer.Code >= 500:
		return &RefusedError{fmt.Sprintf("%s refused the mail: %v", b.Connection.Title, err)}
	}
	return &BusyError{fmt.Sprintf("%s cannot take the mail now: %v", b.Connection.Title, err)}
}

// Greet signs in at the server for sending, and leaves again.
func (b *Box) Greet(ctx context.Context) error {
	ctx, cancel := context.WithTimeout(ctx, patience)
	defer cancel()
	c, err := b.smtp(ctx)
	if err != nil {
		return err
	}
	return c.Quit()
}
