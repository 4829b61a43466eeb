package mailbox

import (
	"fmt"
	"net"
)

// heard is a connection to a mail server that is listened to for so many bytes
// and no more. Literals (RFC 9051, 4.3), lines and answers nobody asked for are
// as long as the server says; whatever reads them would keep all of it.
type heard struct {
	net.Conn
	from       string
	most, left int64
}

func (h *heard) Read(p []byte) (int, error) {
	if h.left <= 0 {
		return 0, fmt.Errorf("%s sent more than %d MB in one visit", h.from, h.most>>20)
	}
	n, err := h.Conn.Read(p[:min(int64(len(p)), h.left)])
	h.left -= int64(n)
	return n, err
}
