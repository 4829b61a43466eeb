// Package trigger takes in what starts runs: one file a kind.
package trigger

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"mime"
	"net"
	"net/http"
	"strings"
	"sync"
	"time"

	"github.com/go-chi/chi/v5"
	webhooks "github.com/standard-webhooks/standard-webhooks/libraries/go"
	"golang.org/x/time/rate"

	"woolsignal/core/expr"
	"woolsignal/core/flow"
	"woolsignal/core/run"
	"woolsignal/core/schema"
	"woolsignal/server/engine"
	"woolsignal/server/problem"
	"woolsignal/server/vault"
	"woolsignal/server/workspace"
)

// maxBody is how large a webhook's body may be, in bytes.
const maxBody = 1 << 20

// Webhooks takes in signed POSTs at /in/{path}, as Standard Webhooks
// (standardwebhooks.com) describes them.
type Webhooks struct {
	Workspace *workspace.Holder
	Engine    *engine.Engine
	Secrets   *vault.Vault
	Log       *slog.Logger

	mu      sync.Mutex
	refused map[string]*rate.Limiter // by caller's address
}

// Each address may be refused so often at once, and once a second after that;
// then it is asked to wait before anything of it is read.
const maxRefused = 200

// limiter gives what is left to an address.
func (h *Webhooks) limiter(r *http.Request) *rate.Limiter {
	address, _, err := net.SplitHostPort(r.RemoteAddr)
	if err != nil {
		address = r.RemoteAddr
	}
	h.mu.Lock()
	defer h.mu.Unlock()
	if h.refused == nil || len(h.refused) > 10_000 {
		h.refused = map[string]*rate.Limiter{}
	}
	l, ok := h.refused[address]
	if !ok {
		l = rate.NewLimiter(1, maxRefused)
		h.refused[address] = l
	}
	return l
}

// ServeHTTP answers one delivery. What is refused starts nothing.
func (h *Webhooks) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	left := h.limiter(r)
	if left.Tokens() < 1 {
		w.Header().Set("Retry-After", "30")
		problem.Write(w, http.StatusTooManyRequests, "Refused too often", "Put right what the last answers said, and send again in half a minute.")
		return
	}
	snapshot := h.Workspace.Now()
	path := chi.URLParam(r, "path")
	trigger, ok := snapshot.Webhooks[path]
	if !ok {
		left.Allow()
		problem.Write(w, http.StatusNotFound, "Nothing listens here", "No workflow has a webhook with the path "+path+".")
		return
	}
	signal, refusal := h.read(trigger, w, r)
	if refusal != nil {
		left.Allow()
		refusal.Write(w)
		return
	}
	ticket, err := h.Engine.Receive(r.Context(), trigger.Workflow, signal)
	if err != nil {
		if !errors.Is(err, engine.ErrBusy) {
			h.Log.Error("a delivery could not be taken in", "workflow", trigger.Workflow, "delivery", signal.ID, "error", err)
		}
		w.Header().Set("Retry-After", "5")
		problem.Write(w, http.StatusServiceUnavailable, "Not taken in", "Send the same delivery again in a few seconds; nothing was started.")
		return
	}
	if !trigger.Webhook.Computed || ticket.Run == "" {
		later(w, ticket.Run, "accepted")
		return
	}
	ctx, cancel := context.WithTimeout(r.Context(), trigger.Webhook.AnswerWithin)
	defer cancel()
	_ = ticket.Answered(ctx) // past the time the caller gets the run's address
	answer, err := ticket.Response(r.Context())
	if err != nil || answer == nil {
		later(w, ticket.Run, "under way")
		return
	}
	respond(w, answer)
}

// read checks a delivery from the outside in: method, type, size, signature,
// JSON, schema.
func (h *Webhooks) read(t workspace.Webhook, w http.ResponseWriter, r *http.Request) (*run.Signal, *problem.Details) {
	if r.Method != http.MethodPost {
		w.Header().Set("Allow", http.MethodPost)
		return nil, &problem.Details{Status: http.StatusMethodNotAllowed, Title: "Wrong method", Detail: "Send this delivery with POST, not " + r.Method + "."}
	}
	kind, params, err := mime.ParseMediaType(r.Header.Get("Content-Type"))
	if err != nil || kind != "application/json" && !strings.HasSuffix(kind, "+json") {
		return nil, &problem.Details{Status: http.StatusUnsupportedMediaType, Title: "Wrong content type", Detail: "Send JSON with Content-Type: application/json."}
	}
	if c := params["charset"]; c != "" && !strings.EqualFold(c, "utf-8") {
		return nil, &problem.Details{Status: http.StatusUnsupportedMediaType, Title: "Wrong character set", Detail: "JSON is sent as UTF-8, not " + c + "."}
	}
	body, err := io.ReadAll(http.MaxBytesReader(w, r.Body, maxBody))
	var large *http.MaxBytesError
	if errors.As(err, &large) {
		return nil, &problem.Details{Status: http.StatusRequestEntityTooLarge, Title: "Too large", Detail: fmt.Sprintf("A delivery may have %d bytes.", maxBody)}
	} else if err != nil {
		return nil, &problem.Details{Status: http.StatusBadRequest, Title: "The body broke off", Detail: "Send the whole delivery again."}
	}
	if refusal := h.verify(t.Trigger, r.Header, body); refusal != nil {
		return nil, refusal
	}
	value, err := expr.DecodeJSON(body)
	if err != nil {
		return nil, &problem.Details{Status: http.StatusBadRequest, Title: "This is not JSON", Detail: jsonDetail(err)}
	}
	if t.Accepts != nil {
		var invalid *schema.Error
		if err := t.Accepts.Validate(value); errors.As(err, &invalid) {
			return nil, &problem.Details{Status: http.StatusUnprocessableEntity, Title: "The delivery does not fit its schema",
				Detail: invalid.Error(), More: map[string]any{"errors": invalid.Mismatches}}
		} else if err != nil {
			return nil, &problem.Details{Status: http.StatusUnprocessableEntity, Title: "The delivery does not fit its schema", Detail: err.Error()}
		}
	}
	signal := &run.Signal{ID: r.Header.Get("webhook-id"), Source: t.Source(), Type: "webhook." + t.Webhook.Path,
		Time: time.Now().UTC().Truncate(time.Millisecond), Kind: "webhook", Trigger: t.ID, Body: value}
	if t.Webhook.Subject != nil {
		if signal.Subject, err = t.Definition.About(t.Webhook.Subject, signal); err != nil {
			return nil, &problem.Details{Status: http.StatusUnprocessableEntity, Title: "The delivery does not say what it is about", Detail: err.Error()}
		}
	}
	return signal, nil
}

func jsonDetail(err error) string {
	var syntax *json.SyntaxError
	if errors.As(err, &syntax) {
		return fmt.Sprintf("At byte %d: %v.", syntax.Offset, err)
	}
	return err.Error() + "."
}

func (h *Webhooks) verify(t flow.Trigger, header http.Header, body []byte) *problem.Details {
	var missing []string
	for _, name := range []string{"webhook-id", "webhook-timestamp", "webhook-signature"} {
		if header.Get(name) == "" {
			missing = append(missing, name)
		}
	}
	refuse := func(detail string) *problem.Details {
		return &problem.Details{Status: http.StatusUnauthorized, Title: "The signature does not hold", Detail: detail}
	}
	if len(missing) > 0 {
		return refuse("Sign the delivery as Standard Webhooks says; missing: " + strings.Join(missing, ", ") + ".")
	}
	if id := header.Get("webhook-id"); len(id) > 200 {
		return refuse("The webhook-id is longer than 200 characters.")
	}
	secret, err := h.Secrets.Get(t.Webhook.Verify)
	if err != nil {
		return &problem.Details{Status: http.StatusServiceUnavailable, Title: "No key to check with", Detail: "The owner has not given the signing key " + t.Webhook.Verify + " yet."}
	}
	hook, err := webhooks.NewWebhook(secret)
	if err != nil {
		return &problem.Details{Status: http.StatusServiceUnavailable, Title: "No key to check with", Detail: "The signing key " + t.Webhook.Verify + " is not base64 behind whsec_; its owner must replace it."}
	}
	if err := hook.Verify(body, header); err != nil {
		return refuse("Check the key, sign the exact bytes of the body, and keep the timestamp within five minutes of now (" + err.Error() + ").")
	}
	return nil
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
