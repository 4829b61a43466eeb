package tool

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"

	"woolsignal/server/egress"
)

// IdempotencyHeader is the header a peer names in its description when it
// honours a key for calls that would otherwise happen twice.
const IdempotencyHeader = "Idempotency-Key"

// Answered reads the answer to a request whole. Where it says that the call
// took effect, and what it gave cannot be kept, the error is a
// *[HappenedError].
func Answered(title string, r *http.Response) ([]byte, error) {
	data, err := io.ReadAll(r.Body)
	if refused := AnswerError(title, r, data); refused != nil {
		return nil, refused // whatever could be read of why
	}
	switch {
	case errors.Is(err, egress.ErrTooLarge):
		return nil, &HappenedError{Message: fmt.Sprintf("%s answered %d, with more than the %d MiB that can be kept",
			title, r.StatusCode, egress.MaxAnswer>>20)}
	case err != nil:
		return nil, fmt.Errorf("%s: its answer broke off: %w", title, err)
	}
	return data, nil
}

// AnswerError sorts an HTTP answer by what it says of the effect; nil where
// it is no error.
func AnswerError(title string, r *http.Response, data []byte) error {
	switch s := r.StatusCode; {
	case s < 400:
		return nil
	case s == http.StatusTooManyRequests:
		return &BusyError{Message: title + " is asked too often (429): " + Reason(data),
			After: egress.RetryAfter(r.Header)}
	case s == http.StatusServiceUnavailable && r.Header.Get("Retry-After") != "":
		return &AwayError{Message: title + " is not there at the moment (503): " + Reason(data),
			After: egress.RetryAfter(r.Header)}
	case s >= 500:
		return fmt.Errorf("%s answered %s: %s", title, r.Status, Reason(data))
	case s == http.StatusUnauthorized:
		return &RefusedError{Message: title + " does not accept the key (401): " + Reason(data)}
	default:
		return &RefusedError{Message: fmt.Sprintf("%s refused (%d): %s", title, s, Reason(data)),
			NotFound: s == http.StatusNotFound || s == http.StatusGone}
	}
}

// Reason finds the words in an error's body: problem details (RFC 9457) or
// the usual fields, else the start of the text.
func Reason(data []byte) string {
	var body map[string]any
	if json.Unmarshal(data, &body) == nil {
		for _, field := range []string{"detail", "message", "error_description", "error", "title"} {
			if s, ok := body[field].(string); ok && s != "" {
				return s
			}
		}
	}
	text := string(bytes.TrimSpace(data))
	if runes := []rune(text); len(runes) > 300 {
		text = string(runes[:300]) + "…"
	}
	return text
}
