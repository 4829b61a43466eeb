package a2a

import (
	"bufio"
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"mime"
	"net/http"
	"strings"
	"time"

	"woolsignal/core/flow"
	"woolsignal/server/tool"
)

// What every request says (section 3.6): the version of the protocol.
const (
	versionHeader = "A2A-Version"
	version       = "1.0"
)

// peer is an agent that is spoken with.
type peer struct {
	client *http.Client
	c      *flow.Connection
	at     face
}

// rpcError is an error of JSON-RPC 2.0 or of the protocol (section 5.4).
type rpcError struct {
	Code    int    `json:"code"`
	Message string `json:"message"`
}

// Codes of the protocol's own errors.
const (
	noTask        = -32001
	notCancelable = -32002
)

func (r *rpcError) Error() string { return fmt.Sprintf("%s (%d)", r.Message, r.Code) }

type envelope struct {
	Result json.RawMessage `json:"result"`
	Error  *rpcError       `json:"error"`
}

// ask makes a call and reads its result. For a call that streams, more is told of every
// result but the last, and stops the reading by being false.
func (p *peer) ask(ctx context.Context, method, id string, params map[string]any,
	more func(json.RawMessage) bool) error {
	if p.at.Tenant != "" {
		params["tenant"] = p.at.Tenant
	}
	body, err := json.Marshal(map[string]any{"jsonrpc": "2.0", "id": id, "method": method, "params": params})
	if err != nil {
		return &tool.RefusedError{Message: err.Error()}
	}
	request, err := http.NewRequestWithContext(ctx, http.MethodPost, p.at.URL, bytes.NewReader(body))
	if err != nil {
		return &tool.RefusedError{Message: err.Error()}
	}
	request.Header.Set("Content-Type", "application/json")
	request.Header.Set(versionHeader, version)
	request.Header.Set("Accept", "application/json, text/event-stream")
	response, err := p.client.Do(request)
	if err != nil {
		return fmt.Errorf("%s: %w", p.c.Title, err)
	}
	defer response.Body.Close()
	if kind, _, _ := mime.ParseMediaType(response.Header.Get("Content-Type")); kind == "text/event-stream" {
		return p.stream(response.Body, more)
	}
	data, err := tool.Answered(p.c.Title, response)
	if err != nil {
		return err
	}
	return p.result(data, more)
}

func (p *peer) result(data []byte, more func(json.RawMessage) bool) error {
	var e envelope
	if err := json.Unmarshal(data, &e); err != nil {
		return fmt.Errorf("%s answered with what is no JSON-RPC: %w", p.c.Title, err)
	}
	if e.Error != nil {
		return e.Error
	}
	if len(e.Result) == 0 {
		return fmt.Errorf("%s answered with neither a result nor an error", p.c.Title)
	}
	more(e.Result)
	return nil
}

// largestEvent bounds one event of a stream, in bytes.
const largestEvent = 8 << 20

// stream reads results as server-sent events.
func (p *peer) stream(body io.Reader, more func(json.RawMessage) bool) error {
	lines := bufio.NewScanner(body)
	lines.Buffer(make([]byte, 64<<10), largestEvent)
	var data bytes.Buffer
	for lines.Scan() {
		line := lines.Text()
		if part, is := strings.CutPrefix(line, "data:"); is {
			data.WriteString(strings.TrimPrefix(part, " "))
			continue
		}
		if line != "" || data.Len() == 0 {
			continue
		}
		goOn := true
		err := p.result(data.Bytes(), func(r json.RawMessage) bool { goOn = more(r); return goOn })
		if data.Reset(); err != nil || !goOn {
			return err
		}
	}
	if err := lines.Err(); err != nil {
		return fmt.Errorf("%s: its stream broke off: %w", p.c.Title, err)
	}
	return nil
}

// pauses between two questions about a task that takes long: soon at first, then rarely.
func pause(asked int) time.Duration {
	steps := []time.Duration{time.Second, 2 * time.Second, 5 * time.Second, 15 * time.Second, time.Minute}
	if asked < len(steps) {
		return steps[asked]
	}
	return 5 * time.Minute
}

// refusal tells whether the agent itself said no, for good.
func refusal(err error) (*rpcError, bool) {
	var rpc *rpcError
	return rpc, errors.As(err, &rpc)
}
