// Package intake takes in what starts runs: one file a kind.
package intake

import (
	"context"
	"encoding/json"
	"errors"
	"log/slog"
	"net/http"
	"time"

	"github.com/go-chi/chi/v5"

	"woolsignal/core/run"
	"woolsignal/server/engine"
	"woolsignal/server/problem"
	"woolsignal/server/tool"
	"woolsignal/server/vault"
	"woolsignal/server/workspace"
)

// Webhooks takes in verified POSTs at /in/{path}, and for the drafts of
// workflows at /in/{path}/draft.
type Webhooks struct {
	Workspace *workspace.Holder
	Engine    *engine.Engine
	Kit       *tool.Kit
	Secrets   *vault.Vault
	Log       *slog.Logger
	Limits    *Limits
}

// ServeHTTP answers one delivery. What is refused starts nothing.
func (h *Webhooks) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	left := h.Limits.of(r)
	if left.Tokens() < 1 {
		tooOften(w)
		return
	}
	path := chi.URLParam(r, "path")
	hook, ok := h.hook(path, chi.URLParam(r, "draft") != "")
	if chi.URLParam(r, "draft") == "" {
		if answered, err := h.reaches(w, r, hook, ok, path); err != nil {
			h.notTaken(w, path, err)
			return
		} else if answered {
			return
		}
	}
	if !ok {
		left.Allow()
		problem.Write(w, http.StatusNotFound, "Nothing listens here", "No workflow has a webhook with the path "+path+
			".")
		return
	}
	if hook.Draft && h.Workspace.Open(hook.Workflow, time.Now()) {
		left.Allow()
		h.keep(hook, w, r)
		return
	}
	signal, refusal := h.read(hook, w, r)
	if refusal != nil {
		left.Allow()
		refusal.Write(w)
		return
	}
	ticket, err := h.receive(r.Context(), hook, signal)
	if err != nil {
		h.notTaken(w, path, err)
		return
	}
	if !hook.Hook.Computed() || ticket.Run == "" {
		later(w, ticket.Run, "accepted")
		return
	}
	ctx, cancel := context.WithTimeout(r.Context(), hook.Hook.AnswerWithin)
	defer cancel()
	_ = ticket.Answered(ctx) // past the time the caller gets the run's address
	answer, err := ticket.Response(r.Context())
	if err != nil || answer == nil {
		later(w, ticket.Run, "under way")
		return
	}
	respond(w, answer)
}

// hook finds the trigger a delivery to a path starts a run by.
func (h *Webhooks) hook(path string, ofDraft bool) (workspace.Webhook, bool) {
	draft, there := h.Workspace.DraftWebhook(path)
	if ofDraft {
		return draft, there
	}
	hook, ok := h.Workspace.Now().Webhooks[path]
	if there && !ok && h.Workspace.Open(draft.Workflow, time.Now()) {
		return draft, true // a sender who knows the address it will have
	}
	return hook, ok
}

// receive takes a delivery in, for what is live or for the draft. What a run heard
// that only waited at this path starts nothing, sent again.
func (h *Webhooks) receive(ctx context.Context, t workspace.Webhook, signal *run.Signal) (*engine.Ticket, error) {
	if signal.Draft = t.Draft; !t.Draft {
		waited := *signal
		waited.Trigger = ""
		if came, err := h.Engine.Came(ctx, &waited); err != nil {
			return nil, err
		} else if came {
			return h.Engine.Receive(ctx, "", &waited)
		}
	}
	return h.Engine.Receive(ctx, t.Workflow, signal)
}

// notTaken answers a delivery that could not be kept.
func (h *Webhooks) notTaken(w http.ResponseWriter, path string, err error) {
	if !errors.Is(err, engine.ErrBusy) {
		h.Log.Error("a delivery could not be taken in", "path", path, "error", err)
	}
	notTaken(w)
}

// notTaken asks a caller to send again.
func notTaken(w http.ResponseWriter) {
	w.Header().Set("Retry-After", "5")
	problem.Write(w, http.StatusServiceUnavailable, "Not taken in",
		"Send the same again in a few seconds; nothing was started.")
}

// broken answers that something of ours went wrong.
func broken(w http.ResponseWriter) {
	problem.Write(w, http.StatusInternalServerError, "Something went wrong here", "Try again in a minute.")
}

// later answers that the run is kept and goes on.
func later(w http.ResponseWriter, id, status string) {
	body := map[string]string{"status": status}
	w.Header().Set("Content-Type", "application/json")
	if id != "" {
		w.Header().Set("Location", "/api/v1/runs/"+id)
		body["run"] = id
	}
	w.WriteHeader(http.StatusAccepted)
	_ = json.NewEncoder(w).Encode(body)
}

// respond writes a run's own answer.
func respond(w http.ResponseWriter, answer *run.Response) {
	var body []byte
	kind := ""
	switch v := answer.Body.(type) {
	case nil:
	case string:
		body, kind = []byte(v), "text/plain; charset=utf-8"
	default:
		body, _ = json.Marshal(v) // it was read from JSON
		kind = "application/json"
	}
	if kind != "" {
		w.Header().Set("Content-Type", kind)
	}
	for name, v := range answer.Headers {
		w.Header().Set(name, v)
	}
	w.WriteHeader(answer.Status)
	if answer.Status != http.StatusNoContent {
		_, _ = w.Write(body)
	}
}
