package mailbox

import (
	"bufio"
	"context"
	"fmt"
	"io"
	"net"
	"strings"
	"testing"

	"woolsignal/core/flow"
	"woolsignal/core/protocol"
)

// letters never ends.
type letters struct{}

func (letters) Read(p []byte) (int, error) { return copy(p, strings.Repeat("A", len(p))), nil }

// lies answers IMAP commands until one is answered by what has no end.
func lies(conn net.Conn, endless string) {
	defer conn.Close()
	fmt.Fprint(conn, "* OK [CAPABILITY IMAP4rev2] here\r\n")
	for lines := bufio.NewScanner(conn); lines.Scan(); {
		tag, command, _ := strings.Cut(lines.Text(), " ")
		said := "* 0 EXISTS\r\n"
		switch {
		case strings.HasPrefix(command, endless):
			fmt.Fprint(conn, map[string]string{"LOGIN": "* ", "EXAMINE": "* OK [",
				"UID FETCH 1 (UID BODY": "* 1 FETCH (UID 1 BODY[] {99999999999}\r\n"}[endless])
			_, _ = io.Copy(conn, letters{}) // ends when the other side hangs up
			return
		case strings.HasPrefix(command, "SELECT"), strings.HasPrefix(command, "EXAMINE"):
			said = "* 1 EXISTS\r\n* OK [UIDVALIDITY 1]\r\n* OK [UIDNEXT 2]\r\n"
		case strings.Contains(command, "RFC822.SIZE"):
			said = "* 1 FETCH (UID 1 FLAGS () RFC822.SIZE 12)\r\n"
		}
		fmt.Fprintf(conn, "%s%s OK done\r\n", said, tag)
	}
}

// A server that says a mail has twelve bytes and sends ever more is listened
// to for a stated while, and the visit fails with that.
func TestAServerThatNeverEndsIsHeardForAWhile(t *testing.T) {
	listener, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	defer listener.Close()
	endless := make(chan string, 1)
	go func() {
		for {
			conn, err := listener.Accept()
			if err != nil {
				return
			}
			go lies(conn, <-endless)
		}
	}()
	box := &Box{Connection: &flow.Connection{ID: "post", Title: "Post", Address: "imap://" + listener.Addr().String(),
		Networks: []string{"loopback"}, Is: &protocol.Mailbox{Email: "office@larkrigg.example"}},
		Key: func(context.Context, bool) (string, error) { return "secret", nil }, hear: 8 << 20}
	for _, command := range []string{"UID FETCH 1 (UID BODY", "EXAMINE", "LOGIN"} {
		endless <- command
		_, err := box.Read(context.Background(), "INBOX", 1)
		if err == nil || !strings.Contains(err.Error(), "more than 8 MB in one visit") {
			t.Errorf("%s: %v", command, err)
		}
	}
}
