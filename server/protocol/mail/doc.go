// Package mail speaks with mailboxes: IMAP (RFC 9051) for reading, SMTP (RFC 5321)
// for sending.
package mail

import "woolsignal/server/tool"

func init() {
	tool.Register("mailbox", tool.Protocol{Operations: operations, Try: try})
}
