package e2e_test

import (
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"net/http"
	"net/http/httptest"
	"sync"
	"testing"
	"time"

	"woolsignal/core/money"
	"woolsignal/e2e/harness"
	"woolsignal/wire"
)

// meter is a model server that keeps its own books of what it was asked and charged.
type meter struct {
	mu            sync.Mutex
	random        *rand.Rand
	input, output int
	cost          money.Micros
}

// sums are what it charged so far.
func (m *meter) sums() (input, output int, cost money.Micros) {
	m.mu.Lock()
	defer m.mu.Unlock()
	return m.input, m.output, m.cost
}

// charge makes up what an answer takes, and how it ends.
func (m *meter) charge() (input, output int, ends string, chance int) {
	m.mu.Lock()
	defer m.mu.Unlock()
	input, output = 1+m.random.IntN(900), 1+m.random.IntN(300)
	m.input, m.output = m.input+input, m.output+output
	m.cost += money.Micros(input + 2*output) // at 1 and 2 for a million
	ends = []string{"stop", "stop", "stop", "stop", "length", "content_filter"}[m.random.IntN(6)]
	return input, output, ends, m.random.IntN(4)
}

// ServeHTTP answers as models do: with words, with what was asked for, with what does not
// fit it, with a wish to use a tool, or with half an answer. It charges for each.
func (m *meter) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	var asked struct {
		Tools  []any `json:"tools"`
		Format any   `json:"response_format"`
	}
	if err := json.NewDecoder(r.Body).Decode(&asked); err != nil {
		http.Error(w, err.Error(), http.StatusBadRequest)
		return
	}
	input, output, ends, chance := m.charge()
	delta := map[string]any{"role": "assistant", "content": "Forty fleeces."}
	switch {
	case asked.Format != nil && chance > 0:
		delta["content"] = `{"word": "clean"}`
	case len(asked.Tools) > 0 && chance < 2:
		delta["content"] = ""
		delta["tool_calls"] = []any{map[string]any{"index": 0, "id": "a", "type": "function",
			"function": map[string]any{"name": "self__label", "arguments": `{"label": "counted"}`}}}
	}
	for _, chunk := range []any{
		map[string]any{"model": "meter", "choices": []any{map[string]any{"delta": delta, "finish_reason": ends}}},
		map[string]any{"choices": []any{}, "usage": map[string]any{"prompt_tokens": input,
			"completion_tokens": output}},
	} {
		text, _ := json.Marshal(chunk)
		fmt.Fprintf(w, "data: %s\n\n", text)
	}
	fmt.Fprint(w, "data: [DONE]\n\n")
}

const counted = `workflow: counted
title: Counted
inputs: {type: object, required: [n], properties: {n: {type: number}}}
budget: {day: 1000}
steps:
  - id: one
    if_fails: carry_on
    retry: {tries: 2, first: 1s}
    model: meter
    prompt: "Say how many. ${string(inputs.n)}"
  - id: two
    if_fails: carry_on
    model: meter
    prompt: What is it like?
    answer: {type: object, required: [word], properties: {word: {type: string}}}
  - id: three
    if_fails: carry_on
    agent: counter
    task: Count them.
`

// withMeter gives a service the model server and a workflow that asks it.
func withMeter(t *testing.T, s *harness.Service) *meter {
	t.Helper()
	m := &meter{random: rand.New(rand.NewPCG(uint64(time.Now().UnixNano()), 1))}
	server := httptest.NewServer(m)
	t.Cleanup(server.Close)
	withFiles(t, s, map[string]string{
		"connections/metered.yaml": "connection: metered\ntitle: Metered\naddress: " + server.URL + "/v1\n" +
			"networks: [loopback]\nmodel_server:\n  protocol: chat-completions\n  models:\n" +
			"    meter: {name: meter, input_price: 1, output_price: 2, abilities: [tools, schemas]}\n",
		"agents/counter.yaml": "agent: counter\ntitle: Counter\npurpose: Counts.\nmodel: meter\n" +
			"instructions: Count.\ntools: [self/label]\n"})
	if err := with(t, s, "counted", counted); err != nil {
		t.Fatal(err)
	}
	return m
}

// TestThreeBooksAgree has a model server charge for answers, for half ones and for such as
// do not fit: its own sums, the runs' and the budget's agree to the last token, and after
// kills the runs' and the budget's do, and hold no more than it charged.
func TestThreeBooksAgree(t *testing.T) {
	t.Parallel()
	runs, kills := size("SOAK_RUNS", 40), size("SOAK_KILLS", 3)
	s := harness.Demo(t)
	m := withMeter(t, s)
	var input, output int
	var cost money.Micros
	sum := func(d wire.Detail) { input, output, cost = input+d.Input, output+d.Output, cost+d.Cost }
	start := func(n int) string {
		id, err := s.As("Ines").Start(harness.Context(t), "counted", wire.Start{Inputs: map[string]any{"n": n}})
		if err != nil {
			t.Fatal(err)
		}
		return id
	}
	var ids []string
	for n := range runs {
		ids = append(ids, start(n))
	}
	for _, id := range ids {
		sum(s.Ended(id))
	}
	if i, o, c := m.sums(); i != input || o != output || c != cost || budgeted(t, s) != cost || cost == 0 {
		t.Errorf("the server charged %d, %d, %d; the runs say %d, %d, %d, and the budget %d", i, o, c, input, output,
			cost, budgeted(t, s))
	}
	for n := range kills {
		ids = []string{start(runs + 2*n), start(runs + 2*n + 1)}
		s.Kill()
		for _, id := range ids {
			sum(s.Ended(id))
		}
	}
	if i, o, c := m.sums(); i < input || o < output || c < cost || budgeted(t, s) != cost {
		t.Errorf("after kills the server charged %d, %d, %d; the runs say %d, %d, %d, and the budget %d", i, o, c,
			input, output, cost, budgeted(t, s))
	}
}

// budgeted is what a day of the workflow spent, as the book of spending has it.
func budgeted(t *testing.T, s *harness.Service) money.Micros {
	t.Helper()
	told, err := s.As("Owen").Spending(harness.Context(t))
	if err != nil {
		t.Fatal(err)
	}
	for _, one := range told {
		if one.Workflow == "counted" && one.Period == "day" {
			return one.Spent
		}
	}
	t.Fatalf("no budget of a day is told of: %+v", told)
	return 0
}
