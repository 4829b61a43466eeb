package simulation

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"math/rand/v2"
	"net/http"
	"strings"
	"sync"
	"time"
)

// book is what the peers know of what was done, whichever life of the service
// asked for it.
type book struct {
	mu      sync.Mutex
	random  *rand.Rand
	effects map[string]int             // by token
	keys    map[string]json.RawMessage // answers, by idempotency key
	asked   int                        // tokens models made up
	charged charges                    // for what was written and done
	told    charges                    // of these, those the service was told of in full
	calm    bool                       // peers answer as they should from now on
	lossy   bool                       // answers come late or get lost often
}

// charges are what was charged, in millionths of the currency.
type charges struct{ models, mill int64 }

func newBook(seed uint64, lossy bool) *book {
	return &book{random: rand.New(rand.NewPCG(seed, 7)), effects: map[string]int{},
		keys: map[string]json.RawMessage{}, lossy: lossy}
}

// done tells whether the effect of a token stands in the book.
func (b *book) done(token string) bool {
	b.mu.Lock()
	defer b.mu.Unlock()
	return b.effects[token] > 0
}

// mood is how a peer behaves this once.
type mood struct {
	delay  time.Duration
	effect bool
	answer int // an HTTP status; 0 cuts the connection, -1 never answers, -2 answers garbage
	chance float64
	number int
	calm   bool
}

// price is what the mill charges for one of the things it does.
const price = 6

// sums are what the peers charged, and what they told of that.
func (b *book) sums() (charged, told charges) {
	b.mu.Lock()
	defer b.mu.Unlock()
	return b.charged, b.told
}

// tell notes that an answer came with what it costs.
func (b *book) tell(c charges) {
	b.mu.Lock()
	defer b.mu.Unlock()
	b.told.models += c.models
	b.told.mill += c.mill
}

// settle has peers answer as they should from now on.
func (b *book) settle() {
	b.mu.Lock()
	defer b.mu.Unlock()
	b.calm = true
}

func (b *book) mood() mood {
	b.mu.Lock()
	defer b.mu.Unlock()
	b.asked++
	m := mood{effect: true, answer: 200, number: b.asked, chance: b.random.Float64()}
	m.delay = time.Duration(b.random.IntN(3000)) * time.Millisecond
	if m.calm = b.calm; m.calm {
		return m
	}
	kind := b.random.IntN(14)
	if b.lossy && kind > 10 {
		kind = []int{4, 6, 8}[kind-11]
	}
	switch kind {
	case 0:
		m.effect, m.answer = false, 400
	case 1:
		m.effect, m.answer = false, 429
	case 2:
		m.answer = 500
	case 3:
		m.effect, m.answer = false, 502
	case 4:
		m.answer = 0
	case 5:
		m.effect, m.answer = false, 0
	case 6:
		m.answer = -1
	case 7:
		m.answer = -2
	case 8:
		m.delay = time.Duration(b.random.IntN(100)) * time.Second
	}
	return m
}

// peers answers the calls of one life of the service. Once that has ended,
// nothing it still sends arrives.
type peers struct {
	book *book
	dead <-chan struct{}
}

var errCut = errors.New("the connection was cut")

func (p *peers) RoundTrip(r *http.Request) (*http.Response, error) {
	var body []byte
	if r.Body != nil {
		body, _ = io.ReadAll(r.Body)
		_ = r.Body.Close()
	}
	select {
	case <-p.dead:
		return nil, errCut
	default:
	}
	m := p.book.mood()
	var answer string
	var cost charges
	switch r.URL.Host {
	case "mill.example":
		answer, cost.mill = p.book.mill(r, body, m)
	case "elsewhere.example":
		answer = p.book.elsewhere(r, body, m)
	default:
		answer, cost.models = p.book.model(body, m)
	}
	if m.answer == -1 {
		return nil, wait(r.Context(), p.dead, 200*time.Second)
	}
	if err := wait(r.Context(), p.dead, m.delay); err != nil {
		return nil, err
	}
	switch m.answer {
	case 0:
		return nil, errCut
	case -2:
		return response(200, "good day"), nil
	}
	if m.answer != 200 {
		return response(m.answer, `{"detail": "not today"}`), nil
	}
	p.book.tell(cost)
	return response(m.answer, answer), nil
}

// wait lets virtual time pass.
func wait(ctx context.Context, dead <-chan struct{}, d time.Duration) error {
	select {
	case <-time.After(d):
		return nil
	case <-dead:
		return errCut
	case <-ctx.Done():
		return ctx.Err()
	}
}

func response(status int, body string) *http.Response {
	return &http.Response{StatusCode: status, Status: fmt.Sprint(status, " ", http.StatusText(status)),
		Header: http.Header{"Content-Type": {"application/json"}},
		Body:   io.NopCloser(strings.NewReader(body))}
}

// mill does what it is asked, or does not, and writes it down, with what it charges.
func (b *book) mill(r *http.Request, body []byte, m mood) (answer string, cost int64) {
	var thing struct{ Token string }
	_ = json.Unmarshal(body, &thing)
	if r.Method == http.MethodGet || !m.effect {
		return `{}`, 0
	}
	b.mu.Lock()
	defer b.mu.Unlock()
	key := r.Header.Get("Idempotency-Key")
	if known, ok := b.keys[key]; ok && key != "" {
		return string(known), 0
	}
	if r.Method == http.MethodPost { // what is put may be put again
		b.effects[thing.Token]++
	}
	if r.URL.Path == "/never" {
		cost = price
		b.charged.mill += cost
	}
	done, _ := json.Marshal(map[string]any{"token": thing.Token, "number": b.effects[thing.Token]})
	b.keys[key] = done
	return string(done), cost
}

// model answers as models do: with words, with what was asked for, or with a
// wish to use a tool. Of what breaks off, nothing is told of its cost.
func (b *book) model(body []byte, m mood) (answer string, told int64) {
	var asked struct {
		Tools []struct {
			Function struct {
				Name       string
				Parameters map[string]any
			}
		}
		Format *struct {
			Schema struct{ Schema map[string]any } `json:"json_schema"`
		} `json:"response_format"`
	}
	_ = json.Unmarshal(body, &asked)
	delta := map[string]any{"role": "assistant", "content": "Done."}
	switch {
	case asked.Format != nil && (len(asked.Tools) == 0 || m.chance > 0.4):
		text, _ := json.Marshal(fitting(asked.Format.Schema.Schema, m.chance))
		delta["content"] = string(text)
	case len(asked.Tools) > 0 && m.chance < 0.6:
		tool := asked.Tools[m.number%len(asked.Tools)].Function
		name := tool.Name
		args, _ := json.Marshal(arguments(name, tool.Parameters, m))
		if m.chance < 0.05 {
			name = "mill__nothing"
		}
		delta["content"] = ""
		delta["tool_calls"] = []any{map[string]any{"index": 0, "id": "a", "type": "function",
			"function": map[string]any{"name": name, "arguments": string(args)}}}
	}
	why := "stop"
	if n := m.number % 20; n < len(cuts) { // its message comes to no proper end
		why = cuts[n]
	}
	const cost = 5*1 + 2*2 // as many tokens at their prices
	b.mu.Lock()
	b.charged.models += cost
	b.mu.Unlock()
	chunk, _ := json.Marshal(map[string]any{"model": "small",
		"choices": []any{map[string]any{"delta": delta, "finish_reason": why}},
		"usage":   map[string]any{"prompt_tokens": 5, "completion_tokens": 2}})
	var out bytes.Buffer
	fmt.Fprintf(&out, "data: %s\n\n", chunk)
	if m.chance < 0.97 { // else it breaks off
		out.WriteString("data: [DONE]\n\n")
		told = cost
	}
	return out.String(), told
}

// arguments are what a model uses a tool with. What has an effect has a token no other
// has.
func arguments(name string, parameters map[string]any, m mood) any {
	token := fmt.Sprint("agent/", m.number)
	switch {
	case strings.HasPrefix(name, "mill__"):
		return map[string]any{"token": token}
	case strings.HasPrefix(name, "elsewhere__"):
		return map[string]any{"message": token}
	case name == "self__follow_up":
		at := time.Now().Add(time.Duration(m.number%90-5) * time.Minute)
		if m.calm { // else they would go on for ever
			at = time.Now().Add(-time.Hour)
		}
		return map[string]any{"at": at.UTC().Format(time.RFC3339), "what": "Look again."}
	}
	out := fitting(parameters, min(m.chance, 0.9))
	if fields, is := out.(map[string]any); is && fields["t"] != nil {
		fields["t"] = token
	}
	return out
}

// elsewhere is an agent elsewhere: it does what it is asked, at once or after a while.
func (b *book) elsewhere(r *http.Request, body []byte, m mood) string {
	if r.Method == http.MethodGet {
		return `{"name": "Elsewhere", "supportedInterfaces": [{"url": "http://elsewhere.example/rpc", ` +
			`"protocolBinding": "JSONRPC", "protocolVersion": "1.0"}], ` +
			`"skills": [{"id": "book", "description": "Books."}]}`
	}
	var in struct {
		Method string
		Params struct {
			ID      string
			Message struct{ Parts []struct{ Text string } }
		}
	}
	if err := json.Unmarshal(body, &in); err != nil || !m.effect {
		return `{}`
	}
	id := in.Params.ID
	b.mu.Lock()
	defer b.mu.Unlock()
	if in.Method == "SendMessage" {
		id = in.Params.Message.Parts[0].Text
		b.effects[id]++
	}
	state := []string{"WORKING", "COMPLETED", "WORKING", "FAILED", "INPUT_REQUIRED", "COMPLETED"}[m.number%6]
	if state == "FAILED" && b.effects[id] > 0 { // what failed was not done, and may be tried again
		b.effects[id]--
	}
	task, _ := json.Marshal(map[string]any{"id": id, "contextId": "c", "status": map[string]any{
		"state": "TASK_STATE_" + state}})
	if in.Method == "SendMessage" {
		return `{"result": {"task": ` + string(task) + `}}`
	}
	return `{"result": ` + string(task) + `}`
}

// cuts are reasons to finish that are no end.
var cuts = []string{"length", "content_filter", "refusal"}

// fitting makes a value that fits a schema, most of the time.
func fitting(schema map[string]any, chance float64) any {
	if chance > 0.95 {
		return "not that"
	}
	if among, chosen := schema["enum"].([]any); chosen {
		return among[0]
	}
	switch schema["type"] {
	case "object":
		out := map[string]any{}
		properties, _ := schema["properties"].(map[string]any)
		for name, s := range properties {
			inner, _ := s.(map[string]any)
			out[name] = fitting(inner, chance)
		}
		return out
	case "array":
		inner, _ := schema["items"].(map[string]any)
		n, _ := schema["minItems"].(float64)
		out := []any{}
		for range int(n) {
			out = append(out, fitting(inner, chance))
		}
		return out
	case "boolean":
		return chance < 0.5
	case "number", "integer":
		return chance
	}
	return "word"
}
