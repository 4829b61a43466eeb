package engine

import (
	"bytes"
	"encoding/json"
	"fmt"
	"io"
	"maps"
	"net/http"
	"strings"
	"sync"
	"testing"

	"woolsignal/server/testbed"
)

// prompt is what a model was asked.
type prompt struct {
	Messages []struct{ Role, Content string }
	Most     int `json:"max_tokens"`
}

// last is what it reads last.
func (p prompt) last() string { return p.Messages[len(p.Messages)-1].Content }

// all is every message with its role.
func (p prompt) all() string {
	var b strings.Builder
	for _, m := range p.Messages {
		fmt.Fprintf(&b, "%s: %s\n", m.Role, m.Content)
	}
	return b.String()
}

// reply is what a model answers: words, a call of a tool, or both, and the tokens
// it counts.
type reply struct {
	text, tool string
	args       any
	in, out    int
	finish     string // why it ends; "" is "stop"
}

// mind answers in place of a model server, and keeps what it was asked and charged.
type mind struct {
	think   func(prompt) reply
	mu      sync.Mutex // guards the rest
	asked   []prompt
	in, out int
}

func (m *mind) RoundTrip(r *http.Request) (*http.Response, error) {
	body, err := io.ReadAll(r.Body)
	if err != nil {
		return nil, err
	}
	var p prompt
	if err := json.Unmarshal(body, &p); err != nil {
		return nil, err
	}
	m.mu.Lock()
	m.asked = append(m.asked, p)
	m.mu.Unlock()
	answer := m.think(p)
	if err := r.Context().Err(); err != nil {
		return nil, err
	}
	delta := map[string]any{"role": "assistant", "content": answer.text}
	if answer.tool != "" {
		args, err := json.Marshal(answer.args)
		if err != nil {
			return nil, err
		}
		delta["tool_calls"] = []any{map[string]any{"index": 0, "id": "a", "type": "function",
			"function": map[string]any{"name": strings.ReplaceAll(answer.tool, "/", "__"), "arguments": string(args)}}}
	}
	in, out := max(answer.in, 1), max(answer.out, 1)
	if p.Most > 0 {
		out = min(out, p.Most)
	}
	m.mu.Lock()
	m.in, m.out = m.in+in, m.out+out
	m.mu.Unlock()
	finish := answer.finish
	if finish == "" {
		finish = "stop"
	}
	chunk, err := json.Marshal(map[string]any{"model": "small", "choices": []any{map[string]any{"delta": delta,
		"finish_reason": finish}}, "usage": map[string]any{"prompt_tokens": in, "completion_tokens": out}})
	if err != nil {
		return nil, err
	}
	return &http.Response{StatusCode: 200, Status: "200 OK",
		Header: http.Header{"Content-Type": {"text/event-stream"}},
		Body:   io.NopCloser(bytes.NewBufferString("data: " + string(chunk) + "\n\ndata: [DONE]\n\n"))}, nil
}

// billed is what the model's server counted, in millionths of the currency.
func (m *mind) billed() int64 {
	m.mu.Lock()
	defer m.mu.Unlock()
	return int64(m.in)*inputPrice + int64(m.out)*outputPrice
}

// What a token costs that the model reads and writes, in millionths.
const (
	inputPrice  = 1
	outputPrice = 100
)

// thinking is an engine whose models answer by think.
func thinking(t *testing.T, files map[string]string, think func(prompt) reply) (*Engine, *testbed.Bed, *mind) {
	t.Helper()
	m := &mind{think: think}
	e, bed := among(t, m, files)
	return e, bed, m
}

// among is an engine whose connections reach these peers, with a table of things.
func among(t *testing.T, peers http.RoundTripper, files map[string]string) (*Engine, *testbed.Bed) {
	t.Helper()
	bed := testbed.Open(t, nil)
	bed.Kit.Peers = peers
	all := map[string]string{
		"woolsignal.yaml": "name: Larkrigg\nzone: Europe/London\nmodel: small\n",
		"connections/models.yaml": "connection: models\ntitle: Models\naddress: http://models.example/v1\n" +
			"networks: [private]\nmodel_server:\n  protocol: chat-completions\n  models:\n    small: {name: small, " +
			fmt.Sprintf("input_price: %d, output_price: %d, longest_answer: 1000}\n", inputPrice, outputPrice),
		"tables/things.yaml": "table: things\ntitle: Things\npurpose: Things.\ncolumns: [{name: name, type: text}]\n",
	}
	maps.Copy(all, files)
	bed.Add(t, all)
	return restart(t, nil, bed), bed
}

// things counts the rows of the table.
func things(t *testing.T, bed *testbed.Bed) int {
	t.Helper()
	return counted(t, bed, "SELECT count(*) FROM table_rows WHERE tbl = 'things'")
}

// clerk is an agent that may use some tools, as its file lists them.
func clerk(tools string) string {
	return "agent: clerk\ntitle: Clerk\npurpose: Helps.\nmodel: small\ninstructions: You help.\ntools:\n" + tools
}
