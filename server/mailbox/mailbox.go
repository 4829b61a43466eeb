// Package mailbox reads mail over IMAP (RFC 9051) and sends it over SMTP (RFC
// 5321). The trigger that watches folders and the tools that answer use it.
package mailbox

import (
	"cmp"
	"context"
	"crypto/tls"
	"errors"
	"fmt"
	"net"
	"net/url"
	"slices"
	"strings"
	"time"

	"github.com/emersion/go-imap/v2"
	"github.com/emersion/go-imap/v2/imapclient"

	"woolsignal/core/flow"
	"woolsignal/core/protocol"
	"woolsignal/server/confined"
	"woolsignal/server/egress"
)

// Box is one mailbox.
type Box struct {
	Connection *flow.Connection
	Key        egress.Key
	Confined   *confined.Pool // reads markup
	Sent       Sent           // without a store, no mail is sent twice under one Message-ID
	// Each reads one mail in its own name, and says why it must not be: reading it
	// ended the service before. nil reads every mail.
	Each func(uid uint32, read func()) (putAside string)

	hear int64 // how many bytes are read of it in one visit; 0 is what is allowed
}

// patience bounds one visit to the server.
const patience = time.Minute

// user is whom the box signs in as.
func (b *Box) user() string {
	if b.Connection.Auth.User != "" {
		return b.Connection.Auth.User
	}
	return b.says().Email
}

// Address is what the box sends as.
func (b *Box) Address() string { return b.says().Email }

// dial connects to a mail server's address. secure is false where the
// connection still has to be made so.
func (b *Box) dial(ctx context.Context, address string, ports map[string]string) (conn net.Conn, host string,
	secure bool, err error) {
	u, err := url.Parse(address)
	if err != nil {
		return nil, "", false, err
	}
	port := u.Port()
	if port == "" {
		port = ports[u.Scheme]
	}
	conn, err = egress.Dialer(b.Connection.Networks).DialContext(ctx, "tcp", net.JoinHostPort(u.Hostname(), port))
	if err != nil {
		return nil, "", false, fmt.Errorf("%s: %w", b.Connection.Title, err)
	}
	most := cmp.Or(b.hear, allowed)
	conn = &heard{Conn: conn, from: b.Connection.Title, most: most, left: most}
	if deadline, ok := ctx.Deadline(); ok {
		_ = conn.SetDeadline(deadline) // a connection that refuses one fails at the first read
	}
	if strings.HasSuffix(u.Scheme, "s") {
		return tls.Client(conn, &tls.Config{ServerName: u.Hostname(),
			MinVersion: tls.VersionTLS12}), u.Hostname(), true, nil
	}
	return conn, u.Hostname(), false, nil
}

// open tells whether a password may cross the connection as it is: only on
// this machine.
func open(conn net.Conn) bool {
	host, _, err := net.SplitHostPort(conn.RemoteAddr().String())
	ip := net.ParseIP(host)
	return err == nil && ip != nil && ip.IsLoopback()
}

// session signs in and gives a client, to be closed.
func (b *Box) session(ctx context.Context) (*imapclient.Client, error) {
	conn, host, secure, err := b.dial(ctx, b.Connection.Address, map[string]string{"imap": "143", "imaps": "993"})
	if err != nil {
		return nil, err
	}
	var c *imapclient.Client
	if secure || open(conn) {
		c = imapclient.New(conn, nil)
	} else if c, err = imapclient.NewStartTLS(conn,
		&imapclient.Options{TLSConfig: &tls.Config{ServerName: host, MinVersion: tls.VersionTLS12}}); err != nil {
		return nil, fmt.Errorf("%s: the connection could not be made secure, so the password was not sent: %w",
			b.Connection.Title, err)
	}
	password, err := b.Key(ctx, false)
	if err != nil {
		return nil, errors.Join(fmt.Errorf("connection %s: %w", b.Connection.ID, err), c.Close())
	}
	if err := c.Login(b.user(), password).Wait(); err != nil {
		return nil, errors.Join(&RefusedError{fmt.Sprintf("%s does not let %s sign in: %v", b.Connection.Title,
			b.user(), err)}, c.Close())
	}
	return c, nil
}

// RefusedError is a mail server's plain no.
type RefusedError struct{ Message string }

func (e *RefusedError) Error() string { return e.Message }

// NoFolderError says that a folder is not there, and which are.
type NoFolderError struct {
	Folder string
	There  []string
}

func (e *NoFolderError) Error() string {
	return fmt.Sprintf("there is no folder %s; there are: %s", e.Folder, strings.Join(e.There, ", "))
}

// in does something with a folder selected.
func (b *Box) in(ctx context.Context, folder string, readOnly bool,
	do func(*imapclient.Client, *imap.SelectData) error) error {
	ctx, cancel := context.WithTimeout(ctx, patience)
	defer cancel()
	c, err := b.session(ctx)
	if err != nil {
		return err
	}
	defer c.Close()
	selected, err := c.Select(folder, &imap.SelectOptions{ReadOnly: readOnly}).Wait()
	if err != nil {
		if there, listErr := folders(c); listErr == nil && !slices.Contains(there, folder) {
			return &NoFolderError{folder, there}
		}
		return fmt.Errorf("%s: the folder %s: %w", b.Connection.Title, folder, err)
	}
	if err := do(c, selected); err != nil {
		return err
	}
	_ = c.Logout().Wait() // everything was answered; a broken farewell changes nothing
	return nil
}

// Folders lists the folders there are.
func (b *Box) Folders(ctx context.Context) ([]string, error) {
	ctx, cancel := context.WithTimeout(ctx, patience)
	defer cancel()
	c, err := b.session(ctx)
	if err != nil {
		return nil, err
	}
	defer c.Close()
	return folders(c)
}

func folders(c *imapclient.Client) ([]string, error) {
	all, err := c.List("", "*", nil).Collect()
	if err != nil {
		return nil, err
	}
	var out []string
	for _, one := range all {
		if !slices.Contains(one.Attrs, imap.MailboxAttrNoSelect) {
			out = append(out, one.Mailbox)
		}
	}
	slices.Sort(out)
	return out, nil
}

// says is what the connection says of the mailbox.
func (b *Box) says() *protocol.Mailbox { return b.Connection.Is.(*protocol.Mailbox) }
