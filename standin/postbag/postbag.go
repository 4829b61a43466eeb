// Package postbag plays the co-operative's mail: an SMTP server, an IMAP
// server, and a page to read and write as anybody. Whoever is written to at
// an address that ends in .example has a mailbox.
package postbag

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"log"
	"net/http"
	"slices"
	"strings"
	"sync"
	"time"

	"github.com/emersion/go-imap/v2"
	"github.com/emersion/go-imap/v2/imapserver"
	"github.com/emersion/go-imap/v2/imapserver/imapmemserver"
	"github.com/emersion/go-message/mail"
	"github.com/emersion/go-sasl"
	"github.com/emersion/go-smtp"

	"woolsignal/standin/ledger"
)

// Mail is a mail as the page shows it.
type Mail struct {
	ID        int      `json:"id"`
	MessageID string   `json:"message_id"`
	InReplyTo string   `json:"in_reply_to"`
	From      string   `json:"from"`
	To        []string `json:"to"`
	Subject   string   `json:"subject"`
	Text      string   `json:"text"`
	Files     []string `json:"files"`
	at        time.Time
}

// Bag is the mail of everybody.
type Bag struct {
	password string
	web      *ledger.Ledger

	mu    sync.Mutex // guards what follows
	users map[string]*imapmemserver.User
	mails []Mail
}

// New makes the servers; password opens every mailbox.
func New(password string) *Bag {
	b := &Bag{password: password, users: map[string]*imapmemserver.User{}}
	mux := http.NewServeMux()
	mux.HandleFunc("GET /{$}", b.page)
	mux.HandleFunc("GET /mails", b.list)
	mux.HandleFunc("POST /mails", b.write)
	mux.HandleFunc("POST /flags", b.flag)
	b.web = ledger.Wrap(mux)
	b.mu.Lock()
	defer b.mu.Unlock()
	for _, known := range []string{"office@larkrigg.example", "treasurer@larkrigg.example"} {
		b.user(known)
	}
	return b
}

// ServeHTTP is the page and its addresses.
func (b *Bag) ServeHTTP(w http.ResponseWriter, r *http.Request) { b.web.ServeHTTP(w, r) }

// user gives somebody's mailbox, made where they have none. b.mu is held.
func (b *Bag) user(address string) *imapmemserver.User {
	address = strings.ToLower(address)
	u := b.users[address]
	if u == nil {
		u = imapmemserver.NewUser(address, b.password)
		for _, folder := range []string{"INBOX", "Sent", "Invoices", "Archive"} {
			_ = u.Create(folder, nil) // a new mailbox has none of them
		}
		b.users[address] = u
	}
	return u
}

// IMAP makes the server for reading.
func (b *Bag) IMAP() *imapserver.Server {
	return imapserver.New(&imapserver.Options{InsecureAuth: true, Logger: log.New(io.Discard, "", 0),
		Caps: imap.CapSet{imap.CapIMAP4rev1: {}, imap.CapIMAP4rev2: {}, imap.CapMove: {}},
		NewSession: func(*imapserver.Conn) (imapserver.Session, *imapserver.GreetingData, error) {
			return &reading{bag: b}, nil, nil
		}})
}

// reading is a session that becomes somebody's at login.
type reading struct {
	*imapmemserver.UserSession
	bag *Bag
}

func (s *reading) Login(username, password string) error {
	if o := s.bag.web.Take("IMAP LOGIN"); o.Status != 0 || o.Cut {
		return errors.New("the server is being looked after")
	}
	s.bag.mu.Lock()
	defer s.bag.mu.Unlock()
	u := s.bag.users[strings.ToLower(username)]
	if u == nil {
		return imapserver.ErrAuthFailed
	}
	if err := u.Login(strings.ToLower(username), password); err != nil {
		return err
	}
	s.UserSession = imapmemserver.NewUserSession(u)
	return nil
}

func (s *reading) Close() error {
	if s.UserSession == nil {
		return nil
	}
	return s.UserSession.Close()
}

// SMTP makes the server for sending.
func (b *Bag) SMTP() *smtp.Server {
	s := smtp.NewServer(smtp.BackendFunc(func(c *smtp.Conn) (smtp.Session, error) {
		return &sending{bag: b, conn: c},
			nil
	}))
	s.AllowInsecureAuth, s.Domain, s.ErrorLog = true, "postbag.example", log.New(io.Discard, "", 0)
	s.MaxMessageBytes, s.MaxRecipients = 20<<20, 50
	s.ReadTimeout, s.WriteTimeout = 30*time.Second, 30*time.Second
	return s
}

type sending struct {
	bag  *Bag
	conn *smtp.Conn
	as   string
	to   []string
}

func (s *sending) AuthMechanisms() []string { return []string{sasl.Plain} }

func (s *sending) Auth(string) (sasl.Server, error) {
	return sasl.NewPlainServer(func(_, username, password string) error {
		if password != s.bag.password {
			return &smtp.SMTPError{Code: 535, EnhancedCode: smtp.EnhancedCode{5, 7, 8},
				Message: "the password is wrong"}
		}
		s.as = strings.ToLower(username)
		return nil
	}), nil
}

func (s *sending) Mail(from string, _ *smtp.MailOptions) error {
	if s.as == "" {
		return smtp.ErrAuthRequired
	}
	if !strings.EqualFold(from, s.as) {
		return &smtp.SMTPError{Code: 553, EnhancedCode: smtp.EnhancedCode{5, 7, 1}, Message: "you may only send as " +
			s.as}
	}
	return nil
}

func (s *sending) Rcpt(to string, _ *smtp.RcptOptions) error {
	if !strings.HasSuffix(strings.ToLower(to), ".example") || strings.HasPrefix(to, "nobody@") {
		return &smtp.SMTPError{Code: 550, EnhancedCode: smtp.EnhancedCode{5, 1, 1}, Message: "there is no mailbox " +
			to}
	}
	s.to = append(s.to, to)
	return nil
}

func (s *sending) Data(r io.Reader) error {
	raw, err := io.ReadAll(r)
	if err != nil {
		return err
	}
	o := s.bag.web.Take("SMTP DATA")
	if o.Status != 0 {
		return &smtp.SMTPError{Code: o.Status, Message: o.Body}
	}
	s.bag.deliver(s.to, raw, false)
	s.bag.web.Note(ledger.Entry{At: time.Now(), Method: "SMTP", Path: strings.Join(s.to, ","), Status: 250})
	if d, _ := time.ParseDuration(o.Delay); d > 0 {
		time.Sleep(d)
	}
	if o.Cut {
		return s.conn.Conn().Close()
	}
	return nil
}

func (s *sending) Reset()        { s.to = nil }
func (s *sending) Logout() error { return nil }

// literal is a mail's bytes as the IMAP server takes them.
type literal struct{ *bytes.Reader }

func (l literal) Size() int64 { return l.Reader.Size() }

// deliver puts a mail into everybody's INBOX, with what is found of its sender
// on top (RFC 8601).
func (b *Bag) deliver(to []string, raw []byte, forged bool) Mail {
	m := read(raw)
	verdict := "pass"
	if forged {
		verdict = "fail"
	}
	_, domain, _ := strings.Cut(m.From, "@")
	raw = append(fmt.Appendf(nil, "Authentication-Results: postbag.example; dmarc=%s header.from=%s\r\n", verdict,
		domain), raw...)
	b.mu.Lock()
	defer b.mu.Unlock()
	m.ID, m.at = len(b.mails)+1, time.Now()
	b.mails = append(b.mails, m)
	for _, address := range to {
		// INBOX is always there
		_, _ = b.user(address).Append("INBOX", literal{bytes.NewReader(raw)}, &imap.AppendOptions{})
	}
	return m
}

// read takes out of a mail what the page shows.
func read(raw []byte) Mail {
	m := Mail{To: []string{}, Files: []string{}}
	r, err := mail.CreateReader(bytes.NewReader(raw))
	if err != nil {
		return m
	}
	m.MessageID, _ = r.Header.MessageID()
	m.Subject, _ = r.Header.Subject()
	if ids, err := r.Header.MsgIDList("In-Reply-To"); err == nil && len(ids) > 0 {
		m.InReplyTo = ids[0]
	}
	if from, err := r.Header.AddressList("From"); err == nil && len(from) > 0 {
		m.From = from[0].Address
	}
	for _, field := range []string{"To", "Cc"} {
		list, _ := r.Header.AddressList(field)
		for _, a := range list {
			m.To = append(m.To, a.Address)
		}
	}
	for {
		part, err := r.NextPart()
		if err != nil {
			return m
		}
		switch h := part.Header.(type) {
		case *mail.InlineHeader:
			if text, err := io.ReadAll(part.Body); err == nil && m.Text == "" {
				m.Text = string(text)
			}
		case *mail.AttachmentHeader:
			name, _ := h.Filename()
			m.Files = append(m.Files, name)
		}
	}
}

// list gives the mails somebody sent or got, newest first; all without of.
func (b *Bag) list(w http.ResponseWriter, r *http.Request) {
	of := strings.ToLower(r.URL.Query().Get("of"))
	b.mu.Lock()
	defer b.mu.Unlock()
	out := []Mail{}
	for _, m := range slices.Backward(b.mails) {
		if of == "" || strings.EqualFold(m.From, of) ||
			slices.ContainsFunc(m.To, func(to string) bool { return strings.EqualFold(to, of) }) {
			out = append(out, m)
		}
	}
	w.Header().Set("Content-Type", "application/json")
	_ = json.NewEncoder(w).Encode(out)
}

// Letter is a mail somebody writes on the page.
type Letter struct {
	From, To, Subject, Text string
	ReplyTo                 int               `json:"reply_to"` // the id of the mail it answers
	Files                   map[string][]byte `json:"files"`
	Raw                     string            `json:"raw"`    // the mail as it is, however malformed
	Forged                  bool              `json:"forged"` // it does not come from where it says
}

func (b *Bag) write(w http.ResponseWriter, r *http.Request) {
	var l Letter
	if err := json.NewDecoder(r.Body).Decode(&l); err != nil {
		http.Error(w, err.Error(), http.StatusBadRequest)
		return
	}
	raw := []byte(l.Raw)
	if l.Raw == "" {
		var err error
		if raw, err = b.compose(l); err != nil {
			http.Error(w, err.Error(), http.StatusUnprocessableEntity)
			return
		}
	}
	m := b.deliver(strings.Split(l.To, ","), raw, l.Forged)
	w.Header().Set("Content-Type", "application/json")
	w.WriteHeader(http.StatusCreated)
	_ = json.NewEncoder(w).Encode(m)
}

func (b *Bag) compose(l Letter) ([]byte, error) {
	var h mail.Header
	h.SetDate(time.Now())
	h.SetSubject(l.Subject)
	if err := h.GenerateMessageIDWithHostname("postbag.example"); err != nil {
		return nil, err
	}
	for field, list := range map[string]string{"From": l.From, "To": l.To} {
		parsed, err := mail.ParseAddressList(list)
		if err != nil {
			return nil, err
		}
		h.SetAddressList(field, parsed)
	}
	b.mu.Lock()
	if l.ReplyTo > 0 && l.ReplyTo <= len(b.mails) {
		h.SetMsgIDList("In-Reply-To", []string{b.mails[l.ReplyTo-1].MessageID})
		h.SetMsgIDList("References", []string{b.mails[l.ReplyTo-1].MessageID})
	}
	b.mu.Unlock()
	var out bytes.Buffer
	w, err := mail.CreateWriter(&out, h)
	if err != nil {
		return nil, err
	}
	var inline mail.InlineHeader
	inline.SetContentType("text/plain", map[string]string{"charset": "utf-8"})
	part, err := w.CreateSingleInline(inline)
	if err == nil {
		_, err = io.WriteString(part, l.Text)
	}
	if err != nil {
		return nil, err
	}
	if err := part.Close(); err != nil {
		return nil, err
	}
	for name, data := range l.Files {
		var a mail.AttachmentHeader
		a.SetContentType("application/octet-stream", nil)
		if strings.HasSuffix(name, ".pdf") {
			a.SetContentType("application/pdf", nil)
		}
		a.SetFilename(name)
		part, err := w.CreateAttachment(a)
		if err == nil {
			_, err = part.Write(data)
		}
		if err != nil {
			return nil, err
		}
		if err := part.Close(); err != nil {
			return nil, err
		}
	}
	err = w.Close()
	return out.Bytes(), err
}

// flag gives a mail of somebody's INBOX a flag, by its place from 1.
func (b *Bag) flag(w http.ResponseWriter, r *http.Request) {
	var in struct {
		Of   string
		Mail uint32
		Flag string
	}
	if err := json.NewDecoder(r.Body).Decode(&in); err != nil {
		http.Error(w, err.Error(), http.StatusBadRequest)
		return
	}
	b.mu.Lock()
	session := imapmemserver.NewUserSession(b.user(in.Of))
	b.mu.Unlock()
	defer session.Close()
	_, err := session.Select("INBOX", &imap.SelectOptions{})
	if err == nil {
		err = store(session, in.Mail, imap.Flag(in.Flag))
	}
	if err != nil {
		http.Error(w, err.Error(), http.StatusUnprocessableEntity)
		return
	}
	w.WriteHeader(http.StatusNoContent)
}
