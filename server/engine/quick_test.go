package engine

import (
	"context"
	"fmt"
	"io"
	"net/http"
	"strings"
	"sync"
	"testing"

	"woolsignal/core/run"
)

const chatServer = "connection: chat\ntitle: Chat\naddress: http://chat.example\nnetworks: [private]\n" +
	"chat_server: {}\n"

// room is a chat server that may take its time to say that it took some words,
// which stand there already.
type room struct {
	mu     sync.Mutex
	texts  []string
	keys   []string // their idempotency keys
	answer func(n int) (int, string)
}

func (m *room) RoundTrip(r *http.Request) (*http.Response, error) {
	body, err := io.ReadAll(r.Body)
	if err != nil {
		return nil, err
	}
	m.mu.Lock()
	m.texts, m.keys = append(m.texts, string(body)), append(m.keys, r.Header.Get("Idempotency-Key"))
	n := len(m.texts)
	m.mu.Unlock()
	status, text := m.answer(n)
	if status == 0 { // it is away before it answers
		return nil, io.ErrUnexpectedEOF
	}
	return &http.Response{StatusCode: status, Status: fmt.Sprint(status),
		Header: http.Header{"Content-Type": {"application/json"}}, Body: io.NopCloser(strings.NewReader(text))}, nil
}

func (m *room) written() int {
	m.mu.Lock()
	defer m.mu.Unlock()
	return len(m.texts)
}

// TestAQuickAnswerInARoomIsHeard answers a question that stands in a room, before
// the chat server has told us so. Where the server then refuses the question, the
// message is nobody's answer and starts a run of its own.
func TestAQuickAnswerInARoomIsHeard(t *testing.T) {
	for name, c := range map[string]struct {
		status int
		heard  bool
	}{"taken": {200, true}, "refused": {403, false}} {
		t.Run(name, func(t *testing.T) {
			free := make(chan struct{})
			r := &room{answer: func(n int) (int, string) {
				if n > 1 {
					return 200, `{"id":"m2","thread":"t1"}`
				}
				<-free
				return c.status, `{"id":"m1","thread":"t1"}`
			}}
			e, bed := among(t, r, map[string]string{
				"connections/chat.yaml": chatServer,
				"workflows/desk.yaml": "workflow: desk\ntitle: Desk\ntriggers:\n" +
					"  - {id: page, chat: {connection: chat, room: dock}}\nsteps:\n  - id: q\n" +
					"    question: {text: 'Which farm?', within: 1h}\n    if_fails: carry_on\n" +
					"  - compute: {farm: 'otherwise(q.value, \"\")'}\n",
			})
			say := func(id, text string) *Ticket {
				ticket, err := e.Receive(context.Background(), "desk", &run.Signal{ID: id, Kind: "chat",
					Source: "/chat/chat/rooms/dock", Trigger: "page", Thread: "t1", Text: text,
					From: map[string]string{"name": "Owen", "handle": "owen"},
					Via:  &run.Via{Tool: "chat/write_in", Args: map[string]any{"room": "dock", "thread": "t1"}}})
				if err != nil {
					t.Fatal(err)
				}
				return ticket
			}
			asked := say("1", "hello")
			await(t, "the question stands in the room", func() bool { return r.written() == 1 })
			say("2", "Nettlecote")
			close(free)
			becomes(t, e, asked.Run, run.Done)
			runs := map[bool]int{true: 1, false: 2}[c.heard]
			await(t, "the answer is where it belongs", func() bool {
				return counted(t, bed, "SELECT count(*) FROM runs") == runs &&
					counted(t, bed, "SELECT count(*) FROM inbox WHERE state = 'new'") == 0
			})
		})
	}
}
