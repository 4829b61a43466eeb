package intake

import (
	"bytes"
	"context"
	"errors"
	"io"
	"net/http"

	"woolsignal/core/run"
	"woolsignal/server/engine"
	"woolsignal/server/problem"
	"woolsignal/server/workspace"
)

// reaches brings a delivery to a run that waits for it, and tells whether the
// delivery is answered with that. Where it would start something else as well, only
// what a run waits for by what it is about is brought there; where nothing is
// started at a path, all that is sent is kept for who may come to wait.
func (h *Webhooks) reaches(w http.ResponseWriter, r *http.Request, hook workspace.Webhook, starts bool,
	path string) (bool, error) {
	doors := h.Workspace.Now().Doors(path)
	if len(doors) == 0 {
		return false, nil
	}
	body, tooLarge := whole(w, r)
	if tooLarge != nil {
		h.Limits.of(r).Allow()
		tooLarge.Write(w)
		return true, nil
	}
	var first *run.Signal
	var refused *problem.Details
	r.Body = again(body)
	for _, door := range doors {
		if starts && door.Definition == hook.Definition {
			continue // its own trigger reads what is sent
		}
		signal, refusal := h.read(door, w, r)
		r.Body = again(body)
		if refusal == nil {
			expected, err := h.Engine.Expects(r.Context(), signal)
			if err != nil {
				return false, err
			} else if expected {
				return h.enters(r.Context(), w, signal)
			}
		}
		if starts {
			continue
		}
		if goes, err := h.Workspace.Goes(r.Context(), door); err != nil {
			return false, err
		} else if !goes {
			continue
		}
		if first == nil {
			first = signal
		}
		refused = refusal
	}
	switch {
	case first != nil:
		return h.enters(r.Context(), w, first)
	case refused != nil:
		h.Limits.of(r).Allow()
		refused.Write(w)
		return true, nil
	}
	return false, nil
}

// enters brings a delivery to those who wait. It is not answered where nobody does,
// and nobody may come to.
func (h *Webhooks) enters(ctx context.Context, w http.ResponseWriter, signal *run.Signal) (bool, error) {
	ticket, err := h.Engine.Receive(ctx, "", signal)
	if errors.Is(err, engine.ErrNobodyWaits) {
		return false, nil
	} else if err != nil {
		return false, err
	}
	later(w, ticket.Run, "accepted")
	return true, nil
}

// again lets a body be read once more.
func again(body []byte) io.ReadCloser { return io.NopCloser(bytes.NewReader(body)) }

// onlyHeard takes in what is said where nothing is started any more. The error is
// [engine.ErrNobodyWaits] where no run waits for it.
func onlyHeard(ctx context.Context, e *engine.Engine, signal *run.Signal) (*engine.Ticket, error) {
	expected, err := e.Expects(ctx, signal)
	if err != nil {
		return nil, err
	} else if !expected {
		return nil, engine.ErrNobodyWaits
	}
	return e.Receive(ctx, "", signal)
}
