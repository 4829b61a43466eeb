package intake

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"log/slog"
	"net/http"
	"strings"
	"sync"
	"time"

	"woolsignal/server/access"
	"woolsignal/server/audit"
	"woolsignal/server/protocol/chatserver"
	"woolsignal/server/protocol/web"

	"github.com/go-chi/chi/v5"

	"woolsignal/core/flow"
	"woolsignal/core/protocol"
	"woolsignal/core/run"
	"woolsignal/core/trigger"
	"woolsignal/server/engine"
	"woolsignal/server/problem"
	"woolsignal/server/tool"
	"woolsignal/server/vault"
	"woolsignal/server/workspace"
)

// ChatEvents takes in what chat servers tell us at /events/{connection}, as
// docs/chat-server.md describes it: signed deliveries, one a message.
type ChatEvents struct {
	Workspace *workspace.Holder
	Engine    *engine.Engine
	Kit       *tool.Kit
	Secrets   *vault.Vault
	Log       *slog.Logger
	Limits    *Limits
	Access    *access.Access
	Audit     *audit.Trail

	reacting sync.WaitGroup
}

// chatMessage is a delivery of a chat server.
type chatMessage struct {
	Type    string `json:"type"` // message.posted; others are taken and left
	ID      string `json:"id"`
	Room    string `json:"room"`
	Direct  bool   `json:"direct"`
	Thread  string `json:"thread"`
	Text    string `json:"text"`
	Bot     bool   `json:"bot"`
	Mention bool   `json:"mention"`
	From    struct {
		Name   string `json:"name"`
		Email  string `json:"email"`
		Handle string `json:"handle"`
	} `json:"from"`
	Files []struct {
		Name string `json:"name"`
		Path string `json:"path"`
	} `json:"files"`
}

// ServeHTTP takes one event.
func (h *ChatEvents) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	left := h.Limits.of(r)
	if left.Tokens() < 1 {
		tooOften(w)
		return
	}
	c := h.Workspace.Now().Connections[chi.URLParam(r, "connection")]
	if chatServer(c) == nil || chatServer(c).Events == "" {
		left.Allow()
		problem.Write(w, http.StatusNotFound, "Nothing listens here",
			"There is no chat server connection of this name that takes events.")
		return
	}
	m, id, refusal := h.read(w, r, c)
	if refusal != nil {
		left.Allow()
		refusal.Write(w)
		return
	}
	if m.Type != "message.posted" || m.Bot {
		w.WriteHeader(http.StatusNoContent)
		return
	}
	take := h.receive
	if code, is := m.code(); is {
		take = func(ctx context.Context, c *flow.Connection, m *chatMessage, id string) error {
			return h.link(ctx, c, m, id, code)
		}
	}
	if err := take(r.Context(), c, m, id); err != nil {
		if !errors.Is(err, engine.ErrBusy) {
			h.Log.Error("a message could not be taken in", "connection", c.ID, "error", err)
		}
		notTaken(w)
		return
	}
	w.WriteHeader(http.StatusNoContent)
}

func (h *ChatEvents) read(w http.ResponseWriter, r *http.Request, c *flow.Connection) (*chatMessage, string,
	*problem.Details) {
	if r.Method != http.MethodPost {
		w.Header().Set("Allow", http.MethodPost)
		return nil, "", &problem.Details{Status: http.StatusMethodNotAllowed, Title: "Wrong method",
			Detail: "Send events with POST."}
	}
	body, refusal := whole(w, r)
	if refusal != nil {
		return nil, "", refusal
	}
	key := h.Workspace.Now().Connections[chatServer(c).Events]
	if signingKey(key) == nil {
		return nil, "", noKey("The signing key " + chatServer(c).Events + " is gone.")
	}
	id, refusal := verify(h.Secrets, key, r.Header, body)
	if refusal != nil {
		return nil, "", refusal
	}
	if _, refusal := jsonValue(body); refusal != nil {
		return nil, "", refusal
	}
	m := &chatMessage{}
	if err := json.Unmarshal(body, m); err != nil {
		return nil, "", &problem.Details{Status: http.StatusUnprocessableEntity, Title: "This is not an event",
			Detail: err.Error() + "."}
	}
	if m.Type == "message.posted" && (m.ID == "" || m.Room == "" || len(m.Text) > 20_000) {
		return nil, "", &problem.Details{Status: http.StatusUnprocessableEntity, Title: "This is not an event",
			Detail: "A message has an id, a room and at most 20,000 bytes of text."}
	}
	return m, id, nil
}

// receive brings a message to the run that waits in its thread, or to the
// workflow that listens to its room.
func (h *ChatEvents) receive(ctx context.Context, c *flow.Connection, m *chatMessage, id string) error {
	source := "/chat/" + c.ID + "/rooms/" + m.Room
	via := &run.Via{Tool: c.ID + "/write_in", Args: map[string]any{"room": m.Room}}
	if m.Direct {
		source = "/chat/" + c.ID + "/direct"
		via = &run.Via{Tool: c.ID + "/write_to", Args: map[string]any{"handle": m.From.Handle}}
	}
	thread := m.Thread
	if thread == "" {
		thread = m.ID
	}
	via.Args["thread"] = thread
	if m.Direct {
		thread = m.From.Handle + " " + thread
	}
	workflow, t := h.listener(c.ID, m)
	signal := &run.Signal{ID: id, Source: source, Type: "chat.message",
		Time: time.Now().UTC().Truncate(time.Millisecond), Kind: "chat", Thread: thread, Text: m.Text, Via: via,
		From: map[string]string{"name": m.From.Name, "email": m.From.Email, "handle": m.From.Handle},
		Body: map[string]any{"room": m.Room, "message": m.ID}}
	var err error
	if signal.For, err = h.Access.ByChatName(ctx, c.ID, m.From.Handle); err != nil {
		return err
	}
	for _, f := range m.Files {
		kept, err := h.fetch(ctx, c, f.Name, f.Path)
		if err != nil {
			return err
		}
		signal.Files = append(signal.Files, kept)
	}
	nod := trigger.BallOfYarn
	if t != nil {
		signal.Trigger, nod = t.ID, t.Is.(*trigger.Chat).Nod
	}
	ticket, err := h.Engine.Receive(ctx, workflow, signal)
	if errors.Is(err, engine.ErrNobodyWaits) {
		return nil // a room nobody listens to
	}
	if err != nil || ticket.Run == "" || nod == "" {
		return err
	}
	h.reacting.Go(func() { // the message is taken in, marked or not
		ctx, cancel := context.WithTimeout(context.Background(), 10*time.Second)
		defer cancel()
		if err := chatserver.Nod(ctx, h.Kit, c, m.ID, nod); err != nil {
			h.Log.Warn("a message could not be marked as taken in", "connection", c.ID, "error",
				h.Secrets.Mask(err.Error()))
		}
	})
	return nil
}

// listener finds the live workflow a message is for. In a thread of the bot's
// own and in private every message is; elsewhere too, since a workflow that
// listens to a room listens to all of it.
func (h *ChatEvents) listener(connection string, m *chatMessage) (string, *flow.Trigger) {
	for id, w := range h.Workspace.Live() {
		for _, t := range w.Triggers {
			c, is := t.Is.(*trigger.Chat)
			if is && c.Connection == connection &&
				(m.Direct && c.Direct || !m.Direct && strings.EqualFold(c.Room, m.Room)) {
				return id, &t
			}
		}
	}
	return "", nil
}

// fetch reads a file that came with a message.
func (h *ChatEvents) fetch(ctx context.Context, c *flow.Connection, name, path string) (run.File, error) {
	if !strings.HasPrefix(path, "/") || strings.HasPrefix(path, "//") {
		return run.File{}, fmt.Errorf("the file %s has no path on the server", name)
	}
	client, err := h.Kit.Client(c)
	if err != nil {
		return run.File{}, err
	}
	body, _, kind, err := web.Fetch(ctx, client, c.Title, c.Address+path)
	if err != nil {
		return run.File{}, err
	}
	return h.Kit.Keep(ctx, name, kind, []byte(body))
}

// chatServer is what a connection says of its chat server; nil where it leads
// to none, or is gone.
func chatServer(c *flow.Connection) *protocol.ChatServer {
	if c == nil {
		return nil
	}
	server, _ := c.Is.(*protocol.ChatServer)
	return server
}
