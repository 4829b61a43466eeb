package intake

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"log/slog"
	"net/http"
	"strings"
	"time"

	"github.com/go-chi/chi/v5"

	"woolsignal/core/expr"
	"woolsignal/core/flow"
	"woolsignal/core/run"
	"woolsignal/core/trigger"
	"woolsignal/server/engine"
	"woolsignal/server/problem"
	"woolsignal/server/store"
	"woolsignal/server/workspace"
)

// Hosted are the chat pages of workflows that visitors may write on, at
// /talk/{page}/messages, and the files said there at /talk/{page}/files/{hash}. The
// page itself is the console's.
type Hosted struct {
	Workspace *workspace.Holder
	Engine    *engine.Engine
	Log       *slog.Logger
	Limits    *Limits
	// Thread gives a conversation, from a message on; File the bytes of a file that
	// was said in it, and [store.ErrNoBlob] for any other.
	Thread func(ctx context.Context, key string, after int64) (any, error)
	File   func(ctx context.Context, key, hash string) ([]byte, error)

	hearing hearing
}

// find finds the page visitors are on: of what is live, or of what has been and whose
// conversations go on.
func (h *Hosted) find(page string) (visit, bool) {
	is := func(t flow.Trigger) bool {
		c, is := t.Is.(*trigger.Chat)
		return is && c.Page == page && c.Open
	}
	for id, w := range h.Workspace.Live() {
		for _, t := range w.Triggers {
			if is(t) {
				return visit{workflow: id, title: w.Title, Trigger: &t}, true
			}
		}
	}
	if left, t := h.Workspace.Now().Left(is); t != nil {
		return visit{workflow: left.Workflow, title: left.Definition.Workflow.Title, Trigger: t, left: true}, true
	}
	return visit{}, false
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

// visit is what somebody asks of a page.
type visit struct {
	workflow, title string
	*flow.Trigger
	thread string
	left   bool // nothing is started here any more
}

// key is the key of the visitor's conversation.
func (v visit) key() string {
	of := run.Conversation{Source: v.Source(), Thread: v.thread}
	return run.Thread{Workflow: v.workflow, Conversation: of}.String()
}

// visited finds the page of a request and whose conversation it is about.
func (h *Hosted) visited(r *http.Request) (visit, *problem.Details) {
	v, ok := h.find(chi.URLParam(r, "page"))
	if !ok {
		return visit{}, &problem.Details{Status: http.StatusNotFound, Title: "There is no such page",
			Detail: "Its address may have changed, it is switched off, or only people who sign in may write here."}
	}
	var refusal *problem.Details
	v.thread, refusal = visitor(r)
	return v, refusal
}

// GiveFile gives a file that was said in the visitor's conversation. It is always
// saved, never shown: whoever wrote the workflow may have it from anybody.
func (h *Hosted) GiveFile(w http.ResponseWriter, r *http.Request) {
	v, refusal := h.visited(r)
	if refusal != nil {
		refusal.Write(w)
		return
	}
	data, err := h.File(r.Context(), v.key(), chi.URLParam(r, "hash"))
	if errors.Is(err, store.ErrNoBlob) {
		problem.Write(w, http.StatusNotFound, "Not here", "No such file was said in this conversation, or it is no "+
			"longer kept.")
		return
	}
	if err != nil {
		h.Log.Error("a visitor's file could not be read", "error", err)
		broken(w)
		return
	}
	w.Header().Set("Content-Type", "application/octet-stream")
	w.Header().Set("Content-Disposition", "attachment")
	w.Header().Set("Cache-Control", "private, max-age=3600")
	_, _ = w.Write(data) // who went away reads nothing
}

// ServeHTTP takes a visitor's message, or gives the conversation.
func (h *Hosted) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	v, refusal := h.visited(r)
	if refusal != nil {
		refusal.Write(w)
		return
	}
	switch r.Method {
	case http.MethodGet:
		var after int64
		_, _ = fmt.Sscan(r.URL.Query().Get("after"), &after) // 0 where there is none
		out, err := h.Thread(r.Context(), v.key(), after)
		if err != nil {
			h.Log.Error("a visitor's conversation could not be read", "error", err)
			broken(w)
			return
		}
		w.Header().Set("Content-Type", "application/json")
		w.Header().Set("Cache-Control", "no-store")
		_ = json.NewEncoder(w).Encode(map[string]any{"title": v.title, "workspace": h.Workspace.Now().Name,
			"speaks_first": v.Is.(*trigger.Chat).SpeaksFirst && !v.left, "conversation": out})
	case http.MethodPost:
		if !h.Limits.mayOpen(r) {
			tooOften(w)
			return
		}
		h.take(w, r, v)
	default:
		w.Header().Set("Allow", "GET, POST")
		problem.Write(w, http.StatusMethodNotAllowed, "Wrong method",
			"Read a conversation with GET, and write with POST.")
	}
}

func (h *Hosted) take(w http.ResponseWriter, r *http.Request, v visit) {
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
	signal := &run.Signal{ID: v.thread + " " + in.ID, Source: v.Source(), Type: "chat.message",
		Time: time.Now().UTC().Truncate(time.Millisecond), Kind: "chat", Trigger: v.ID, Thread: v.thread, Text: in.Text,
		From:     map[string]string{"name": "Visitor", "email": "", "role": "visitor"},
		Stranger: true, Body: expr.Canonical(map[string]any{})}
	var ticket *engine.Ticket
	switch {
	case err == nil && in.Begins && !v.left && v.Is.(*trigger.Chat).SpeaksFirst:
		ticket, err = h.Engine.Begin(r.Context(), v.workflow, signal)
	case err != nil || strings.TrimSpace(in.Text) == "" || len(in.Text) > 4000 || in.ID == "" || len(in.ID) > 100:
		problem.Write(w, http.StatusUnprocessableEntity, "Nothing was said", "Send id and text, of at most 4000 bytes.")
		return
	case v.left:
		ticket, err = onlyHeard(r.Context(), h.Engine, signal)
	default:
		ticket, err = h.Engine.Receive(r.Context(), v.workflow, signal)
	}
	if errors.Is(err, engine.ErrNobodyWaits) {
		problem.Write(w, http.StatusNotFound, "Nobody answers here any more",
			"This page was taken down, or switched off. What was said can still be read.")
		return
	}
	if err != nil {
		if !errors.Is(err, engine.ErrBusy) {
			h.Log.Error("a visitor's message could not be taken in", "workflow", v.workflow, "error", err)
		}
		notTaken(w)
		return
	}
	w.Header().Set("Content-Type", "application/json")
	w.WriteHeader(http.StatusAccepted)
	_ = json.NewEncoder(w).Encode(map[string]string{"run": ticket.Run})
}
