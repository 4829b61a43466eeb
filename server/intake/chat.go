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

	"woolsignal/core/expr"
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

// Hosted are the chat pages of workflows that visitors may write on, at
// /talk/{page}/messages. The page itself is the console's.
type Hosted struct {
	Workspace *workspace.Holder
	Engine    *engine.Engine
	Log       *slog.Logger
	Limits    *Limits
	Thread    func(ctx context.Context, key string, after int64) (any, error)
}

func (h *Hosted) find(page string) (string, *flow.Trigger, string) {
	for id, w := range h.Workspace.Live() {
		for _, t := range w.Triggers {
			if c, is := t.Is.(*trigger.Chat); is && c.Page == page && c.Open {
				return id, &t, w.Title
			}
		}
	}
	return "", nil, ""
}

// visitor is the secret a visitor's browser made up for its conversation.
func visitor(r *http.Request) (string, *problem.Details) {
	v := strings.TrimPrefix(r.Header.Get("Authorization"), "Visitor ")
	if len(v) < 24 || len(v) > 100 {
		return "", &problem.Details{Status: http.StatusUnauthorized, Title: "Which conversation?",
			Detail: "Send Authorization: Visitor … with a random text of 24 to 100 characters; it is the only key " +
				"to the conversation."}
	}
	return short(v), nil
}

// ServeHTTP takes a visitor's message, or gives the conversation.
func (h *Hosted) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	workflow, t, title := h.find(chi.URLParam(r, "page"))
	if t == nil {
		problem.Write(w, http.StatusNotFound, "There is no such page",
			"Its address may have changed, it is switched off, or only people who sign in may write here.")
		return
	}
	thread, refusal := visitor(r)
	if refusal != nil {
		refusal.Write(w)
		return
	}
	switch r.Method {
	case http.MethodGet:
		var after int64
		_, _ = fmt.Sscan(r.URL.Query().Get("after"), &after) // 0 where there is none
		out, err := h.Thread(r.Context(),
			run.Thread{Workflow: workflow, Conversation: run.Conversation{Source: t.Source(), Thread: thread}}.String(),
			after)
		if err != nil {
			h.Log.Error("a visitor's conversation could not be read", "error", err)
			problem.Write(w, http.StatusInternalServerError, "Something went wrong here", "Try again in a minute.")
			return
		}
		w.Header().Set("Content-Type", "application/json")
		w.Header().Set("Cache-Control", "no-store")
		_ = json.NewEncoder(w).Encode(map[string]any{"title": title, "workspace": h.Workspace.Now().Name,
			"speaks_first": t.Is.(*trigger.Chat).SpeaksFirst, "conversation": out})
	case http.MethodPost:
		if !h.Limits.mayOpen(r) {
			tooOften(w)
			return
		}
		h.take(w, r, workflow, t, thread)
	default:
		w.Header().Set("Allow", "GET, POST")
		problem.Write(w, http.StatusMethodNotAllowed, "Wrong method",
			"Read a conversation with GET, and write with POST.")
	}
}

func (h *Hosted) take(w http.ResponseWriter, r *http.Request, workflow string, t *flow.Trigger, thread string) {
	body, refusal := whole(w, r)
	if refusal == nil {
		_, refusal = jsonValue(body)
	}
	if refusal != nil {
		refusal.Write(w)
		return
	}
	var in struct {
		ID     string `json:"id"` // the same each time one message is sent
		Text   string `json:"text"`
		Begins bool   `json:"begins"` // nothing was said: the page is to speak first
	}
	err := json.Unmarshal(body, &in)
	signal := &run.Signal{ID: thread + " " + in.ID, Source: t.Source(), Type: "chat.message",
		Time: time.Now().UTC().Truncate(time.Millisecond), Kind: "chat", Trigger: t.ID, Thread: thread, Text: in.Text,
		From:     map[string]string{"name": "Visitor", "email": "", "role": "visitor"},
		Stranger: true, Body: expr.Canonical(map[string]any{})}
	var ticket *engine.Ticket
	switch {
	case err == nil && in.Begins && t.Is.(*trigger.Chat).SpeaksFirst:
		ticket, err = h.Engine.Begin(r.Context(), workflow, signal)
	case err != nil || strings.TrimSpace(in.Text) == "" || len(in.Text) > 4000 || in.ID == "" || len(in.ID) > 100:
		problem.Write(w, http.StatusUnprocessableEntity, "Nothing was said", "Send id and text, of at most 4000 bytes.")
		return
	default:
		ticket, err = h.Engine.Receive(r.Context(), workflow, signal)
	}
	if err != nil {
		if !errors.Is(err, engine.ErrBusy) {
			h.Log.Error("a visitor's message could not be taken in", "workflow", workflow, "error", err)
		}
		notTaken(w)
		return
	}
	w.Header().Set("Content-Type", "application/json")
	w.WriteHeader(http.StatusAccepted)
	_ = json.NewEncoder(w).Encode(map[string]string{"run": ticket.Run})
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
