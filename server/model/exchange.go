package model

import (
	"bufio"
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"strings"
	"time"

	sse "github.com/tmaxmax/go-sse"

	"woolsignal/server/vault"
)

// once asks one time. A field that the server refuses is left out, and it is asked
// again at once: that is remembered, and no other try.
func (s *Server) once(ctx context.Context, q *question, say func(string)) (Reply, error) {
	for {
		reply, err := s.exchange(ctx, q, say)
		var refused *refusedError
		if !errors.As(err, &refused) {
			if err != nil && ctx.Err() != nil {
				return reply, ctx.Err()
			}
			return reply, err
		}
		s.without.Store(q.model.Name+" "+refused.field, true)
	}
}

// refusedError says that a server does not know a field of the request it can be
// asked without.
type refusedError struct{ field string }

func (e *refusedError) Error() string { return "it does not understand " + e.field }

// optional are the fields a server can be asked without.
var optional = []string{"stream_options", "response_format", "max_tokens", "output_config"}

// breath is how long a server whose answer broke off is left alone.
const breath = 200 * time.Millisecond

func (s *Server) exchange(ctx context.Context, q *question, say func(string)) (Reply, error) {
	d := dialectOf(s.Connection)
	response, err := s.send(ctx, d.path(), d.body(q), "text/event-stream", d)
	if err != nil {
		return Reply{}, err
	}
	defer response.Body.Close()
	if response.StatusCode != http.StatusOK {
		return Reply{}, q.failure(response)
	}
	w := &writing{say: say}
	body := bufio.NewReader(response.Body)
	if whole(body) {
		err = readWhole(d, w, body)
	} else {
		err = readStream(d, w, body)
	}
	if err != nil {
		return Reply{Turn: w.turn}, err
	}
	reply, err := w.reply(q)
	if err != nil {
		return Reply{Turn: w.turn}, &busyError{breath, err}
	}
	return reply, nil
}

// whole tells whether an answer comes in one piece, whatever was asked for and
// whatever it calls itself: no line of a stream begins as JSON does.
func whole(body *bufio.Reader) bool {
	for {
		next, err := body.ReadByte()
		if err != nil {
			return false
		}
		if !strings.ContainsRune(" \r\n\t", rune(next)) {
			return body.UnreadByte() == nil && next == '{'
		}
	}
}

// send posts a request.
func (s *Server) send(ctx context.Context, path string, body any, accept string, d dialect) (*http.Response, error) {
	text, err := json.Marshal(body)
	if err != nil {
		return nil, err
	}
	request, err := http.NewRequestWithContext(ctx, http.MethodPost, s.Connection.Address+path, bytes.NewReader(text))
	if err != nil {
		return nil, err
	}
	request.Header.Set("Content-Type", "application/json")
	request.Header.Set("Accept", accept)
	d.dress(request.Header)
	response, err := s.Client.Do(request)
	var moved *vault.MovedError
	switch {
	case errors.As(err, &moved):
		return nil, fmt.Errorf("%w; give it one for there with woolsignal connect %s", moved, s.Connection.ID)
	case errors.Is(err, vault.ErrNoSecret):
		return nil, fmt.Errorf("nobody has given its key yet; do so with woolsignal connect %s", s.Connection.ID)
	case err != nil:
		return nil, &busyError{time.Second, fmt.Errorf("it cannot be reached: %w", err)}
	}
	return response, nil
}

// longestEvent bounds one event of a stream, in bytes.
const longestEvent = 4 << 20

// readStream puts the pieces of a streamed message together.
func readStream(d dialect, w *writing, body io.Reader) error {
	// Some servers leave out the empty line behind the last event.
	whole := io.MultiReader(body, strings.NewReader("\n\n"))
	for event, err := range sse.Read(whole, &sse.ReadConfig{MaxEventSize: longestEvent}) {
		if errors.Is(err, bufio.ErrTooLong) {
			return errTooMuch
		}
		if err != nil {
			return &busyError{breath, fmt.Errorf("its answer broke off: %w", err)}
		}
		data := strings.TrimSpace(event.Data)
		if data == "" {
			continue
		}
		if last, err := d.chunk(w, data); err != nil || last {
			return err
		}
	}
	return nil
}

// readWhole reads an answer that came in one piece.
func readWhole(d dialect, w *writing, body io.Reader) error {
	data, err := io.ReadAll(io.LimitReader(body, 2*longestReply+1))
	if err != nil {
		return &busyError{breath, fmt.Errorf("its answer broke off: %w", err)}
	}
	if len(data) > 2*longestReply {
		return errTooMuch
	}
	return d.whole(w, data)
}

// decode reads a part of an answer.
func decode(data []byte, into any) error {
	if err := json.Unmarshal(data, into); err != nil {
		return &busyError{breath, fmt.Errorf("its answer cannot be read: %w", err)}
	}
	return nil
}
