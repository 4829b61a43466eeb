package model

import (
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"slices"
	"strconv"
	"strings"
	"time"

	"woolsignal/core/flow"
	"woolsignal/server/egress"
)

// longestPause is how long a busy server is waited for; a step's retry may wait
// longer.
const longestPause = time.Minute

// overloaded is a status some servers answer with where they are.
const overloaded = 529

// failure is what an answer that is none comes to.
func (q *question) failure(r *http.Response) error {
	text, _ := io.ReadAll(io.LimitReader(r.Body, 64<<10)) // as much as came says why
	said := saidIn(text)
	switch code := r.StatusCode; {
	case code == http.StatusBadRequest || code == http.StatusUnprocessableEntity:
		for _, field := range optional {
			if strings.Contains(string(text), field) && !q.without(field) {
				return &refusedError{field}
			}
		}
	case code == http.StatusUnauthorized || code == http.StatusForbidden:
		return fmt.Errorf("it answered %s: %s; its key is wrong or missing: replace it with woolsignal connect",
			r.Status,
			said)
	case code == http.StatusNotFound:
		return fmt.Errorf("it answered %s: %s; look at the address and the model's name in the connection's file",
			r.Status, said)
	case slices.Contains([]int{http.StatusRequestTimeout, http.StatusTooManyRequests, http.StatusInternalServerError,
		http.StatusBadGateway, http.StatusServiceUnavailable, http.StatusGatewayTimeout, overloaded}, code):
		after := patience(r.Header)
		if after > longestPause {
			return fmt.Errorf("it answered %s and asks to be left alone for %s: %s", r.Status,
				flow.Span{Duration: after.Round(time.Second)}.String(), said)
		}
		return &busyError{after, fmt.Errorf("it answered %s: %s", r.Status, said)}
	}
	return fmt.Errorf("it answered %s: %s", r.Status, said)
}

// patience is how long a server asks to be left alone, in whichever way it says so.
func patience(h http.Header) time.Duration {
	if ms, err := strconv.ParseFloat(strings.TrimSpace(h.Get("Retry-After-Ms")), 64); err == nil && ms > 0 && ms < 1e9 {
		return time.Duration(ms * float64(time.Millisecond))
	}
	if after := egress.RetryAfter(h); after > 0 {
		return after
	}
	return 500 * time.Millisecond
}

// wireError is how both protocols say what is wrong; some servers send the words
// alone.
type wireError struct{ Message string }

// UnmarshalJSON reads either form.
func (e *wireError) UnmarshalJSON(data []byte) error {
	if json.Unmarshal(data, &e.Message) == nil {
		return nil
	}
	var whole struct {
		Message string `json:"message"`
		Type    string `json:"type"`
	}
	if err := json.Unmarshal(data, &whole); err != nil {
		return err
	}
	if e.Message = whole.Message; e.Message == "" {
		e.Message = whole.Type
	}
	return nil
}

// err is the error itself, with words in any case.
func (e *wireError) err() error {
	if e.Message == "" {
		return errors.New("it says that something went wrong, and not what")
	}
	return errors.New(e.Message)
}

// longestSaid bounds what is kept of a server's own words about an error.
const longestSaid = 1000

// saidIn finds what a server says is wrong.
func saidIn(text []byte) string {
	var body struct {
		Error   *wireError `json:"error"`
		Message string     `json:"message"`
	}
	said := strings.TrimSpace(string(text))
	if json.Unmarshal(text, &body) == nil {
		if body.Error != nil && body.Error.Message != "" {
			said = body.Error.Message
		} else if body.Message != "" {
			said = body.Message
		}
	}
	if len(said) > longestSaid {
		said = strings.ToValidUTF8(said[:longestSaid], "") + " …"
	}
	return said
}
