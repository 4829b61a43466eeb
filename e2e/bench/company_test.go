package bench

import (
	"bytes"
	"context"
	"fmt"
	"io"
	"net/http"
	"runtime"
	"strings"
	"testing"
	"time"

	"woolsignal/client"
	"woolsignal/wire"
)

// inCompany is a model peer, and an agent elsewhere that never ends. Its model asks for
// the gauge's reading twice, or for the helper once where it has one.
func inCompany(w http.ResponseWriter, r *http.Request) {
	body, _ := io.ReadAll(r.Body)
	switch {
	case strings.HasSuffix(r.URL.Path, "agent-card.json"):
		fmt.Fprintf(w, `{"name": "E", "supportedInterfaces": [{"url": "http://%s/rpc", "protocolBinding": "JSONRPC", `+
			`"protocolVersion": "1.0"}], "skills": [{"id": "book", "description": "Books."}]}`, r.Host)
		return
	case r.URL.Path == "/rpc" && bytes.Contains(body, []byte("SendMessage")):
		fmt.Fprint(w, `{"result": {"task": {"id": "t", "status": {"state": "TASK_STATE_WORKING"}}}}`)
		return
	case r.URL.Path == "/rpc":
		fmt.Fprint(w, `{"result": {"id": "t", "status": {"state": "TASK_STATE_WORKING"}}}`)
		return
	}
	time.Sleep(modelDelay)
	done, call := bytes.Count(body, []byte(`"role":"tool"`)), ""
	switch {
	case bytes.Contains(body, []byte("helper__answerer")) && done < 1:
		call = `{"index":0,"id":"a","function":{"name":"helper__answerer","arguments":"{\"task\":\"How many?\"}"}}`
	case bytes.Contains(body, []byte("clip-register__list_growers")) && done < 2:
		call = `{"index":0,"id":"a","function":{"name":"clip-register__list_growers","arguments":"{}"}}`
	}
	w.Header().Set("Content-Type", "text/event-stream")
	if call != "" {
		fmt.Fprint(w, `data: {"choices":[{"delta":{"tool_calls":[`+call+`]},"finish_reason":"tool_calls"}]}`+"\n\n")
	} else {
		fmt.Fprint(w, `data: {"choices":[{"delta":{"content":"Eight growers."},"finish_reason":"stop"}]}`+"\n\n")
	}
	fmt.Fprint(w, `data: {"choices":[],"usage":{"prompt_tokens":100,"completion_tokens":10}}`+"\n\ndata: [DONE]\n\n")
}

// companyFiles are an agent with a tool, one with a helper, and workflows that wait: for
// a time, and for a task elsewhere.
func companyFiles(b *testing.B, s *service) *client.Client {
	b.Helper()
	c := &client.Client{URL: s.url, Token: s.token}
	ctx := context.Background()
	files, err := c.Files(ctx)
	check(b, err)
	_, address, _ := strings.Cut(files["connections/models.yaml"], "address: ")
	address, _, _ = strings.Cut(address, "\n")
	agent := func(id, more string) string {
		return "agent: " + id + "\ntitle: " + id + "\npurpose: Counts.\nmodel: medium\ninstructions: Count.\n" + more
	}
	files["agents/plain.yaml"] = agent("plain", "tools: [clip-register/list_growers]\n")
	files["agents/asker.yaml"] = agent("asker", "helpers: [answerer]\n")
	files["agents/answerer.yaml"] = agent("answerer", "")
	files["connections/elsewhere.yaml"] = "connection: elsewhere\ntitle: Elsewhere\naddress: " +
		strings.TrimSuffix(strings.TrimSuffix(address, "/"), "/v1") + "\nnetworks: [loopback]\na2a: {offer: [book]}\n"
	for id, step := range map[string]string{"waits": "wait: {for: 1h}",
		"books": "tool: elsewhere/book\n    args: {message: a}"} {
		files["workflows/"+id+".yaml"] = "workflow: " + id + "\ntitle: " + id +
			"\ninputs: {type: object}\nsteps:\n  - " + step + "\n"
	}
	_, err = c.Apply(ctx, wire.Files{Files: files})
	check(b, err)
	_, err = c.Publish(ctx, wire.Publish{Workflows: []string{"waits", "books"}})
	check(b, err)
	return c
}

// BenchmarkHelperTurn holds the CPU of a turn in a run with a helper against that of a
// turn with a tool: three turns each, in rounds that take turns themselves.
func BenchmarkHelperTurn(b *testing.B) {
	s := start(b, http.HandlerFunc(inCompany))
	defer s.stop()
	c := companyFiles(b, s)
	each := func(agent string) time.Duration {
		used := cpuTime()
		for range 20 {
			id, err := c.StartTask(context.Background(), agent, wire.Task{Task: "How many growers are there?"})
			check(b, err)
			for ended := false; !ended; {
				time.Sleep(8 * modelDelay) // asking earlier would only measure the asking
				d, err := c.Run(context.Background(), id)
				check(b, err)
				ended = d.Status.Ended()
			}
		}
		return (cpuTime() - used) / (20 * 3)
	}
	each("plain") // what is made once is made
	each("asker")
	var plain, asker []time.Duration
	for i := range b.N * 6 {
		if i%2 == 0 { // so that neither always pays for what the other left behind
			plain, asker = append(plain, each("plain")), append(asker, each("asker"))
		} else {
			asker, plain = append(asker, each("asker")), append(plain, each("plain"))
		}
	}
	b.ReportMetric(float64(median(asker))/float64(median(plain)), "cpu-ratio")
	b.ReportMetric(float64(median(plain).Microseconds())/1000, "ms-cpu/turn-tool")
	b.ReportMetric(float64(median(asker).Microseconds())/1000, "ms-cpu/turn-helper")
	b.ReportMetric(0, "ns/op")
}

// BenchmarkTasksElsewhere holds a hundred runs that wait for tasks elsewhere against a
// hundred that wait for a time: the heap they take, and the CPU of ten seconds.
func BenchmarkTasksElsewhere(b *testing.B) {
	s := start(b, http.HandlerFunc(inCompany))
	defer s.stop()
	c := companyFiles(b, s)
	rest := func(workflow string) (heap int64, cpu time.Duration) {
		before := heapInUse()
		for range 100 {
			_, err := c.Start(context.Background(), workflow, wire.Start{Inputs: map[string]any{}})
			check(b, err)
		}
		time.Sleep(10 * time.Second) // so that tasks are asked about rarely, as they are once they take long
		heap = heapInUse() - before
		used := cpuTime()
		time.Sleep(10 * time.Second)
		return heap / 100, cpuTime() - used
	}
	rest("books") // what is made once is made
	waits, idle := rest("waits")
	books, busy := rest("books")
	b.ReportMetric(float64(waits), "bytes/waiting")
	b.ReportMetric(float64(books), "bytes/task")
	b.ReportMetric(float64(busy-idle)/float64(10*time.Second), "cpus-of-100-tasks")
	b.ReportMetric(0, "ns/op")
}

func heapInUse() int64 {
	runtime.GC()
	var m runtime.MemStats
	runtime.ReadMemStats(&m)
	return int64(m.HeapAlloc)
}
