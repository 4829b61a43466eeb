// Package bench measures speed and memory as ratios in one run: an absolute
// time means little on a shared machine.
package bench

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"log/slog"
	"net"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"runtime/debug"
	"slices"
	"strings"
	"sync/atomic"
	"syscall"
	"testing"
	"time"

	"github.com/go-chi/chi/v5"

	"woolsignal/client"
	"woolsignal/demo"
	"woolsignal/e2e/harness"
	"woolsignal/server"
	"woolsignal/server/access"
	"woolsignal/server/store"
	"woolsignal/server/workspace"
	"woolsignal/wire"
)

const signing = "whsec_d29vbC1zaWduYWwtYmVuY2gta2V5LTAwMDAwMDAw"

// service is the real service in this process, with the demo's workspace and
// peers that answer at once.
type service struct {
	url, token string
	data       string
	stop       func()
}

func start(b *testing.B, models http.Handler) *service {
	b.Helper()
	ctx, cancel := context.WithCancel(context.Background())
	s := &service{data: b.TempDir()}
	log := slog.New(slog.DiscardHandler)
	model := httptest.NewServer(models)
	srv, err := server.Open(ctx, server.Options{Data: s.data, Log: log,
		Peers: peer{strings.TrimPrefix(model.URL, "http://")}})
	check(b, err)
	for _, p := range demo.People { // whom the demo's workflows name
		_, err = srv.Access.AddPerson(ctx, p.Email, p.Name, access.Role(p.Role), p.Password)
		check(b, err)
	}
	files, err := demo.Files()
	check(b, err)
	files["workflows/bench.yaml"], files["workflows/bench-tool.yaml"] = pure, withTool
	for path, text := range files {
		files[path] = strings.NewReplacer("http://127.0.0.1:7421", model.URL).Replace(text)
	}
	_, err = srv.Workspace.Apply(ctx, workspace.Change{Files: files, By: "bench"})
	check(b, err)
	for connection, secret := range map[string]string{"clip-register": "bench-key", "weighbridge-key": signing,
		"models": "bench-key", "depot-calendar": "bench-key"} {
		check(b, srv.Secrets.Put(ctx, connection,
			srv.Workspace.Now().Connections[connection].SecretFor(), secret))
	}
	for id := range srv.Workspace.Now().Workflows {
		_, _, err = srv.Workspace.Publish(ctx, id, "", "bench")
		check(b, err)
	}
	person, err := srv.Access.AddPerson(ctx, "bench@larkrigg.example", "Bench", access.Builder, "bench-password")
	check(b, err)
	s.token, err = srv.Access.NewToken(ctx, person, "bench")
	check(b, err)
	listener, err := net.Listen("tcp", "127.0.0.1:0")
	check(b, err)
	s.url = "http://" + listener.Addr().String()
	served := make(chan error, 1)
	up := make(chan struct{})
	go func() { served <- srv.Serve(ctx, listener, func() { close(up) }) }()
	<-up
	s.stop = func() {
		cancel()
		<-served
		srv.Close()
		model.Close()
	}
	return s
}

// pure is a workflow of three steps without any call; withTool has one.
const pure = `workflow: bench
title: Bench
triggers:
  - id: scale
    webhook: {path: bench, verify: weighbridge-key, accepts: schemas/delivery.json, answer: computed}
steps:
  - id: net
    compute:
      kg: signal.body.gross_kg - signal.body.tare_kg
      shrinkage: round((signal.body.farm_kg - kg) / signal.body.farm_kg * 100, 1)
  - id: sort
    decide:
      cases:
        - when: net.shrinkage > 8
          gives:
            lane: check by hand
      otherwise:
        gives:
          lane: clean
  - answer_caller:
      status: 201
      body:
        net_kg: ${net.kg}
        lane: ${sort.lane}
`

var withTool = strings.NewReplacer("workflow: bench", "workflow: bench-tool",
	"path: bench", "path: bench-tool", "  - answer_caller:", `  - id: row
    tool: clip-register/add_delivery
    args:
      grower: ${signal.body.grower}
      kg: ${net.kg}
      lane: ${sort.lane}
      notes: ${signal.body.?notes.orValue("")}
  - answer_caller:`).Replace(pure)

// peer answers every call of a tool inside this process, at once, and lets
// those to the model server through.
type peer struct{ models string }

func (p peer) RoundTrip(r *http.Request) (*http.Response, error) {
	if r.URL.Host == p.models {
		return http.DefaultTransport.RoundTrip(r)
	}
	if r.Body != nil {
		_, _ = io.Copy(io.Discard, r.Body)
		r.Body.Close()
	}
	status, body := http.StatusCreated, `{"id":"D-20401","grower":"Hollin `+
		`Bank","kg":381.5,"shrinkage_percent":0.7,"bales":2,"lane":"clean","notes":"dry"}`
	if r.Method == http.MethodGet {
		status, body = http.StatusOK, `["Hollin Bank","Skell Top"]`
	}
	return &http.Response{StatusCode: status, Header: http.Header{"Content-Type": {"application/json"}},
		Body: io.NopCloser(strings.NewReader(body)), Request: r}, nil
}

func TestMain(m *testing.M) {
	if asked := os.Getenv(callerEnv); asked != "" {
		beCallers(asked)
		return
	}
	debug.SetGCPercent(400) // as woolsignal serve does
	os.Exit(m.Run())
}

func check(b *testing.B, err error) {
	b.Helper()
	if err != nil {
		b.Fatal(err)
	}
}

// bare is what the service is held against: a chi handler that decodes JSON
// and inserts one row, with the same driver, settings and grouping.
func bare(b *testing.B) (url string, stop func()) {
	b.Helper()
	s, err := store.Open(context.Background(), b.TempDir())
	check(b, err)
	var n atomic.Int64
	r := chi.NewRouter()
	r.Post("/in/{path}", func(w http.ResponseWriter, r *http.Request) {
		var body map[string]any
		if err := json.NewDecoder(r.Body).Decode(&body); err != nil {
			http.Error(w, err.Error(), http.StatusBadRequest)
			return
		}
		text, _ := json.Marshal(body)
		var batch store.Batch
		batch.Do("INSERT INTO journal (run, seq, entry) VALUES (?, 1, ?)", fmt.Sprint(n.Add(1)), text)
		if err := s.Write(r.Context(), batch); err != nil {
			http.Error(w, err.Error(), http.StatusInternalServerError)
			return
		}
		w.Header().Set("Content-Type", "application/json")
		w.WriteHeader(http.StatusCreated)
		_ = json.NewEncoder(w).Encode(map[string]any{"id": n.Load()})
	})
	web := httptest.NewServer(r)
	return web.URL, func() { web.Close(); s.Close() }
}

// saturate posts as fast as `at` callers can and gives posts a second and the
// CPU time the service takes for one.
func saturate(b *testing.B, url, path string, at, posts int) (perSecond float64, cpu time.Duration) {
	b.Helper()
	used := cpuTime()
	m := call(b, load{URL: url, Path: path, Posts: posts, Callers: at})
	return m.PerSecond, time.Duration(float64(cpuTime()-used) / float64(posts))
}

func cpuTime() time.Duration {
	var u syscall.Rusage
	if err := syscall.Getrusage(syscall.RUSAGE_SELF, &u); err != nil {
		panic(err)
	}
	return time.Duration(u.Utime.Nano() + u.Stime.Nano())
}

func median[T int64 | float64 | time.Duration](values []T) T {
	slices.Sort(values)
	return values[len(values)/2]
}

// BenchmarkWebhook accepts deliveries durably and finishes the whole run
// before answering, against the bare handler: a run of three steps without a
// call, and the same with a tool that another process would answer. They take
// turns, so that a drifting machine hits all.
func BenchmarkWebhook(b *testing.B) {
	for _, at := range []int{64, 256} {
		for _, path := range []string{"bench", "bench-tool"} {
			b.Run(fmt.Sprintf("%s/callers=%d", path, at), func(b *testing.B) {
				s := start(b, http.NotFoundHandler())
				defer s.stop()
				base, stop := bare(b)
				defer stop()
				saturate(b, base, path, at, 2000)
				saturate(b, s.url, path, at, 2000)
				var ratios, ours, theirs []float64
				var cpu, bareCPU []time.Duration
				for range b.N * 5 {
					them, their := saturate(b, base, path, at, 8000)
					us, used := saturate(b, s.url, path, at, 6000)
					ratios, ours, theirs, cpu, bareCPU = append(ratios, us/them), append(ours, us), append(theirs,
						them), append(cpu, used), append(bareCPU, their)
				}
				b.ReportMetric(median(ratios), "ratio")
				b.ReportMetric(median(ours), "runs/s")
				b.ReportMetric(median(theirs), "bare/s")
				b.ReportMetric(float64(median(cpu).Microseconds()), "µs-cpu/run")
				b.ReportMetric(float64(median(bareCPU).Microseconds()), "µs-cpu/bare")
				b.ReportMetric(0, "ns/op")
			})
		}
	}
}

// BenchmarkLatency posts at half of the service's saturation rate, and the same
// to the bare handler, in turns, and holds what the slowest hundredth and
// thousandth take against each other.
func BenchmarkLatency(b *testing.B) {
	s := start(b, http.NotFoundHandler())
	defer s.stop()
	base, stop := bare(b)
	defer stop()
	saturate(b, base, "bench", 64, 4000)
	saturate(b, s.url, "bench", 64, 4000)
	rate, _ := saturate(b, s.url, "bench", 64, 12000)
	var slow, slowest []float64
	var ours, theirs measured
	for range b.N * 3 {
		steady := load{Path: "bench", Posts: int(rate / 2 * 5), Rate: rate / 2}
		steady.URL = base
		theirs = call(b, steady)
		steady.URL = s.url
		ours = call(b, steady)
		slow = append(slow, float64(ours.at(990))/float64(theirs.at(990)))
		slowest = append(slowest, float64(ours.at(999))/float64(theirs.at(999)))
	}
	fmt.Print(theirs.histogram("the bare handler"), ours.histogram("a run of three steps"))
	b.ReportMetric(median(slow), "p99-ratio")
	b.ReportMetric(median(slowest), "p99.9-ratio")
	b.ReportMetric(float64(ours.at(500).Microseconds())/1000, "ms-p50")
	b.ReportMetric(float64(ours.at(990).Microseconds())/1000, "ms-p99")
	b.ReportMetric(float64(ours.at(999).Microseconds())/1000, "ms-p99.9")
	b.ReportMetric(0, "ns/op")
}

// modelDelay is how long the model peer thinks, each turn.
const modelDelay = 20 * time.Millisecond

// thinking is a model peer of fixed delay that asks for the gauge's reading
// three times and then answers.
func thinking(w http.ResponseWriter, r *http.Request) {
	body, _ := io.ReadAll(r.Body)
	time.Sleep(modelDelay)
	w.Header().Set("Content-Type", "text/event-stream")
	if bytes.Count(body, []byte(`"role":"tool"`)) < 3 {
		fmt.Fprint(w,
			`data: `+
				`{"choices":[{"delta":{"tool_calls":[{"index":0,"id":"a","function":`+
				`{"name":"clip-register__list_growers","arguments":"{}"}}]},"finish_reason":"tool_calls"}]}`+"\n\n")
	} else {
		fmt.Fprint(w, `data: {"choices":[{"delta":{"content":"Eight growers."},"finish_reason":"stop"}]}`+"\n\n")
	}
	fmt.Fprint(w, `data: {"choices":[],"usage":{"prompt_tokens":100,"completion_tokens":10}}`+"\n\ndata: [DONE]\n\n")
}

// BenchmarkAgentTurn gives the time and CPU the service adds to one turn of
// an agent, beside the median durable commit of the same run.
func BenchmarkAgentTurn(b *testing.B) {
	s := start(b, http.HandlerFunc(thinking))
	defer s.stop()
	c := &client.Client{URL: s.url, Token: s.token}
	ctx := context.Background()
	files, err := c.Files(ctx)
	check(b, err)
	files["agents/depot-desk.yaml"] = strings.Replace(files["agents/depot-desk.yaml"], "tools:\n",
		"tools:\n  - clip-register/list_growers\n", 1)
	_, err = c.Apply(ctx, wire.Files{Files: files})
	check(b, err)
	_, err = c.Publish(ctx, wire.Publish{})
	check(b, err)
	var added []time.Duration
	used := cpuTime()
	turns := 0
	for i := range b.N * 60 {
		heard, err := c.Say(ctx, "depot-slots", fmt.Sprint("t", i), "How many growers are there?")
		check(b, err)
		time.Sleep(5 * modelDelay) // asking earlier would only measure the asking
		d, err := c.Settled(ctx, heard.Run)
		check(b, err)
		agent := d.Steps[len(d.Steps)-2].Agent
		if len(agent.Turns) != 4 {
			b.Fatalf("%d turns: %s", len(agent.Turns), d.Because)
		}
		turns += 4
		// From one turn's beginning to the next one's is the model's time, the
		// tool's, and what the service adds.
		for t := range 3 {
			added = append(added, agent.Turns[t+1].Asked.Sub(agent.Turns[t].Asked)-modelDelay)
		}
	}
	cpu := (cpuTime() - used) / time.Duration(turns)
	commit := commits(b)
	b.ReportMetric(float64(median(added).Microseconds())/1000, "ms-added/turn")
	b.ReportMetric(float64(cpu.Microseconds())/1000, "ms-cpu/turn")
	b.ReportMetric(float64(commit.Microseconds())/1000, "ms-commit")
	b.ReportMetric(0, "ns/op")
}

// commits gives the median durable commit of one row.
func commits(b *testing.B) time.Duration {
	b.Helper()
	s, err := store.Open(context.Background(), b.TempDir())
	check(b, err)
	defer s.Close()
	var all []time.Duration
	for i := range 200 {
		var batch store.Batch
		batch.Do("INSERT INTO journal (run, seq, entry) VALUES (?, 1, 'x')", fmt.Sprint(i))
		began := time.Now()
		check(b, s.Write(context.Background(), batch))
		all = append(all, time.Since(began))
	}
	return median(all)
}

// BenchmarkStart starts the real binary on an empty folder until it answers.
func BenchmarkStart(b *testing.B) {
	binary, err := harness.Binary()
	check(b, err)
	var all []time.Duration
	for range b.N * 7 {
		folder := b.TempDir()
		file := filepath.Join(folder, "ready.json")
		began := time.Now()
		process, err := os.StartProcess(binary,
			[]string{binary, "serve", "-quiet", "-data", filepath.Join(folder, "data"), "-addr", "127.0.0.1:0",
				"-ready-file", file}, &os.ProcAttr{})
		check(b, err)
		for {
			if _, err := os.Stat(file); err == nil {
				break
			}
			time.Sleep(time.Millisecond)
		}
		all = append(all, time.Since(began))
		check(b, process.Signal(syscall.SIGTERM))
		_, err = process.Wait()
		check(b, err)
	}
	b.ReportMetric(float64(median(all).Milliseconds()), "ms-to-answer")
	b.ReportMetric(0, "ns/op")
}

// BenchmarkDisk gives the bytes one run of three steps takes, index included.
func BenchmarkDisk(b *testing.B) {
	const n = 4000
	s := start(b, http.NotFoundHandler())
	saturate(b, s.url, "bench", 64, n)
	s.stop()
	var size int64
	files, err := filepath.Glob(filepath.Join(s.data, store.FileName+"*"))
	check(b, err)
	for _, f := range files {
		info, err := os.Stat(f)
		check(b, err)
		size += info.Size()
	}
	b.ReportMetric(float64(size)/n, "bytes/run")
	b.ReportMetric(0, "ns/op")
}
