package postbag

import (
	_ "embed"
	"net/http"

	"github.com/emersion/go-imap/v2"
	"github.com/emersion/go-imap/v2/imapserver"
	"github.com/emersion/go-imap/v2/imapserver/imapmemserver"
)

//go:embed page.html
var page []byte

func (b *Bag) page(w http.ResponseWriter, _ *http.Request) {
	w.Header().Set("Content-Type", "text/html; charset=utf-8")
	_, _ = w.Write(page)
}

func store(s *imapmemserver.UserSession, mail uint32, flag imap.Flag) error {
	return s.Store(&imapserver.FetchWriter{}, imap.SeqSetNum(mail),
		&imap.StoreFlags{Op: imap.StoreFlagsAdd, Silent: true, Flags: []imap.Flag{flag}}, nil)
}
