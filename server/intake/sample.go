package intake

import (
	"mime"
	"net/http"

	"woolsignal/core/run"
	"woolsignal/server/problem"
	"woolsignal/server/workspace"
)

// keep keeps as a sample what is sent to the draft of a webhook somebody waits
// at: from anybody, in any shape, and without starting anything.
func (h *Webhooks) keep(t workspace.Webhook, w http.ResponseWriter, r *http.Request) {
	signal, unsigned, refusal := h.readAny(t, w, r)
	if refusal != nil {
		refusal.Write(w)
		return
	}
	kept, err := h.Workspace.Caught(r.Context(), t.Workflow, signal, unsigned)
	switch {
	case err != nil:
		h.Log.Error("a sample could not be kept", "workflow", t.Workflow, "error", err)
		notTaken(w)
	case !kept:
		problem.Write(w, http.StatusConflict, "Another came first",
			"One delivery was waited for, and it is here; send this again once the workflow is live.")
	default:
		later(w, "", "kept as a sample")
	}
}

// readAny reads a delivery whoever it is from and whether or not it fits.
func (h *Webhooks) readAny(t workspace.Webhook, w http.ResponseWriter, r *http.Request) (signal *run.Signal,
	unsigned bool, refusal *problem.Details) {
	kind, params, err := mime.ParseMediaType(r.Header.Get("Content-Type"))
	if err != nil || !readable(kind) {
		kind, params = "text/plain", nil
	}
	body, refusal := whole(w, r)
	if refusal != nil {
		return nil, false, refusal
	}
	signal = &run.Signal{Kind: "webhook", Trigger: t.ID}
	if _, refusal := fill(r, signal, kind, params, body); refusal != nil {
		return nil, false, refusal
	}
	key := h.Workspace.Now().Connections[t.Hook.Verify]
	if signingKey(key) == nil {
		return signal, true, nil
	}
	_, wrong := verify(h.Secrets, key, r.Header, body)
	return signal, wrong != nil, nil
}
