package mailbox

import (
	"bytes"
	"io"
	"strings"
	"time"

	"github.com/emersion/go-message"
	_ "github.com/emersion/go-message/charset" // mails in other character sets
	"github.com/emersion/go-message/mail"
)

// Mail is a mail as it was read.
type Mail struct {
	MessageID  string
	InReplyTo  string
	References []string
	Subject    string
	From       Address
	To, Cc     []string
	Date       time.Time
	Text, HTML string
	Files      []File
	Folder     string
	UID        uint32
	Flags      []string
	Verdicts   Verdicts // what the mailbox's own server found of its sender
	Verified   bool     // they stand for the sender's domain
}

// Address is somebody's name and address.
type Address struct{ Name, Email string }

// File is an attachment.
type File struct {
	Name, Type string
	Data       []byte
}

// How much of a mail is read: parts in all, and how deep they stand in one
// another. Each level reads all that is below it once more, so a mail nested
// without end would cost the square of its size.
const (
	mostParts = 1000
	mostDeep  = 50
)

// Parse reads a mail (RFC 5322, RFC 2045). What cannot be read of it is left
// out: a malformed mail is still a mail somebody sent. The words of one that has
// markup alone are left to whoever can read that.
// server is the name under which the mailbox's own server gives its verdicts on
// senders; "" believes none.
func Parse(raw []byte, server string) *Mail {
	m := &Mail{}
	e, err := message.Read(bytes.NewReader(raw))
	if e == nil {
		m.Text = string(raw[:min(len(raw), 20_000)])
		if err != nil {
			m.Subject = "(this mail cannot be read)"
		}
		return m
	}
	h := mail.Header{Header: e.Header}
	m.MessageID, _ = h.MessageID()
	if ids, err := h.MsgIDList("In-Reply-To"); err == nil && len(ids) > 0 {
		m.InReplyTo = ids[0]
	}
	m.References, _ = h.MsgIDList("References")
	if m.Subject, err = h.Subject(); err != nil {
		m.Subject = h.Get("Subject")
	}
	m.Date, _ = h.Date()
	if from, err := h.AddressList("From"); err == nil && len(from) > 0 {
		m.From = Address{from[0].Name, strings.ToLower(from[0].Address)}
	} else {
		m.From.Name = h.Get("From")
	}
	m.Verdicts, m.Verified = verdicts(h, server, m.From.Email)
	m.To, m.Cc = addresses(h, "To"), addresses(h, "Cc")
	left := mostParts
	m.parts(e, 0, &left)
	return m
}

func addresses(h mail.Header, key string) []string {
	var out []string
	list, _ := h.AddressList(key)
	for _, a := range list {
		out = append(out, strings.ToLower(a.Address))
	}
	return out
}

// parts takes in what a part of a mail holds, as far as that is not too deep or
// too much; left is how many parts may still come.
func (m *Mail) parts(e *message.Entity, deep int, left *int) {
	inner := e.MultipartReader()
	if inner == nil {
		m.part(e)
		return
	}
	if deep == mostDeep {
		return
	}
	for ; *left > 0; *left-- {
		part, err := inner.NextPart()
		if part == nil && err != nil {
			return
		}
		m.parts(part, deep+1, left)
	}
}

// part takes in one part of a mail: its words, or a file.
func (m *Mail) part(e *message.Entity) {
	data, err := io.ReadAll(io.LimitReader(e.Body, largest))
	if err != nil && len(data) == 0 && !message.IsUnknownCharset(err) {
		return
	}
	kind, typed, _ := e.Header.ContentType()
	how, params, _ := e.Header.ContentDisposition()
	name := params["filename"]
	if name == "" && (how == "attachment" || how != "inline" && !strings.HasPrefix(kind, "text/")) {
		if name = typed["name"]; name == "" {
			name = "attachment"
		}
	}
	switch {
	case name != "":
		m.Files = append(m.Files, File{name, kind, data})
	case kind == "text/html" && m.HTML == "":
		m.HTML = string(data)
	case (kind == "text/plain" || kind == "") && m.Text == "":
		m.Text = strings.ReplaceAll(strings.TrimRight(string(data), "\r\n"), "\r\n", "\n")
	case !strings.HasPrefix(kind, "text/"):
		m.Files = append(m.Files, File{"attachment", kind, data})
	}
}

// Thread names the conversation a mail belongs to: the first mail of it, and who
// speaks. Whoever names another's mail is not in that one's conversation, nor is
// whoever only says to be them where the mailbox can tell.
func (m *Mail) Thread() string {
	first := m.MessageID
	switch {
	case len(m.References) > 0:
		first = m.References[0]
	case m.InReplyTo != "":
		first = m.InReplyTo
	}
	thread := first + " " + m.From.Email
	if m.Verdicts != nil && !m.Verified {
		thread += " (not verified)"
	}
	return thread
}
