package bench

import (
	"context"
	"encoding/json"
	"fmt"
	"io"
	"log/slog"
	"net"
	"runtime"
	"runtime/pprof"
	"strings"
	"sync/atomic"
	"testing"
	"time"

	"woolsignal/core/flow"
	"woolsignal/server/engine"
	"woolsignal/server/intake"
	"woolsignal/server/testbed"
	"woolsignal/server/tool"
	"woolsignal/standin/postbag"
)

// described is an OpenAPI description of so many operations, each with
// parameters, a body and answers that share schemas.
func described(operations int) string {
	paths := map[string]any{}
	object := func(fields map[string]any) map[string]any {
		return map[string]any{"type": "object", "properties": fields}
	}
	ref := func(name string) map[string]any { return map[string]any{"$ref": "#/components/schemas/" + name} }
	content := func(schema any) map[string]any {
		return map[string]any{"description": "An answer",
			"content": map[string]any{"application/json": map[string]any{"schema": schema}}}
	}
	text := map[string]any{"type": "string", "maxLength": 200}
	for n := range operations {
		paths[fmt.Sprintf("/holdings/{number}/part%d", n)] = map[string]any{"post": map[string]any{
			"operationId": fmt.Sprintf("change_part_%d", n), "summary": fmt.Sprintf("Changes part %d of a holding", n),
			"description": "What is left out stays as it is. The fold, the fields and the sheds of a holding are " +
				"parts of it.",
			"parameters": []any{map[string]any{"name": "number", "in": "path", "required": true, "schema": text},
				map[string]any{"name": "note", "in": "query", "schema": text}},
			"requestBody": content(ref("Part")), "responses": map[string]any{"200": content(ref("Holding"))}}}
	}
	address := object(map[string]any{"street": text, "place": text, "country": text})
	data, _ := json.Marshal(map[string]any{"openapi": "3.1.0",
		"info": map[string]any{"title": "Holdings", "version": "1"}, "paths": paths,
		"components": map[string]any{"schemas": map[string]any{"Address": address,
			"Person": object(map[string]any{"name": text, "email": text, "address": ref("Address")}),
			"Part": object(map[string]any{"title": text, "keeper": ref("Person"),
				"sheep": map[string]any{"type": "integer"}}),
			"Holding": object(map[string]any{"number": text, "owner": ref("Person"),
				"parts": map[string]any{"type": "array", "items": ref("Part")}})}}})
	return string(data)
}

// BenchmarkCatalogue makes tools of a description with a thousand operations,
// and searches five thousand tools.
func BenchmarkCatalogue(b *testing.B) {
	bed := testbed.Open(b, nil)
	files := map[string]string{flow.MainFile: "name: Larkrigg\nzone: Europe/London\n"}
	add := func(id string) {
		files["connections/"+id+".yaml"] = "connection: " + id +
			"\ntitle: Holdings\naddress: https://holdings.example\nopenapi:\n  description: schemas/holdings.json\n"
	}
	files["schemas/holdings.json"] = described(1000)
	build := func() (c tool.Catalogue, took time.Duration, grown int64) {
		var before, after runtime.MemStats
		runtime.GC()
		runtime.ReadMemStats(&before)
		began := time.Now()
		w, _ := flow.Decode(files)
		c, problems := tool.Build(w, bed.Kit)
		took = time.Since(began)
		if len(problems) > 0 {
			b.Fatal(problems[0])
		}
		runtime.GC() // what is kept, not what was thrown away on the way
		runtime.ReadMemStats(&after)
		return c, took, int64(after.HeapAlloc) - int64(before.HeapAlloc)
	}
	add("h0")
	one, took, grown := build()
	if len(one) < 1000 {
		b.Fatalf("%d tools", len(one))
	}
	b.ReportMetric(took.Seconds(), "s-for-1000-operations")
	b.ReportMetric(float64(grown)/1e6, "MB-of-heap-kept")
	for n := range 4 {
		add(fmt.Sprintf("h%d", n+1))
	}
	all, _, _ := build()
	var worst time.Duration
	for _, words := range []string{"", "part 777", "change sheds", "of a", "nothing has this"} {
		var times []time.Duration
		for range 15 {
			began := time.Now()
			all.Search(words, "", 50)
			times = append(times, time.Since(began))
		}
		worst = max(worst, median(times))
	}
	b.ReportMetric(float64(worst.Microseconds())/1000, "ms-worst-search-of-5000")
	b.ReportMetric(0, "ns/op")
}

// counted counts the connections a listener takes.
type counted struct {
	net.Listener
	n *atomic.Int64
}

func (c counted) Accept() (net.Conn, error) {
	conn, err := c.Listener.Accept()
	c.n.Add(1)
	return conn, err
}

// BenchmarkMailboxes polls two hundred mailboxes every two seconds. The CPU is
// that of the mail server too, which answers in the same process.
func BenchmarkMailboxes(b *testing.B) {
	const boxes, every, rounds = 200, 2 * time.Second, 4
	bag := postbag.New("pw")
	l, err := net.Listen("tcp", "127.0.0.1:0")
	check(b, err)
	defer l.Close()
	var looks atomic.Int64
	go func() { _ = bag.IMAP().Serve(counted{l, &looks}) }() // it ends with the listener
	files := map[string]string{}
	var triggers strings.Builder
	for n := range boxes {
		id := fmt.Sprintf("mail-%d", n)
		files["connections/"+id+".yaml"] = "connection: " + id + "\ntitle: Mail\naddress: imap://" + l.Addr().String() +
			"\nauth: {basic: office@larkrigg.example}\nnetworks: [loopback]\n" +
			"mailbox: {email: office@larkrigg.example, smtp: smtp://127.0.0.1:1}\n"
		fmt.Fprintf(&triggers, "  - id: m%d\n    mail: {connection: %s, every: %s}\n", n, id, every)
	}
	files["workflows/post.yaml"] = "workflow: post\ntitle: Post\ntriggers:\n" + triggers.String() +
		"steps:\n  - compute: {x: signal.subject}\n"
	bed := testbed.Open(b, files)
	for n := range boxes {
		bed.Give(b, bed.Workspace.Now().Workspace, fmt.Sprintf("mail-%d", n), "pw")
	}
	log := slog.New(slog.NewTextHandler(io.Discard, nil))
	e := engine.New(bed.Store, bed.Workspace, bed.Kit, bed.Secrets, bed.Scripts, log)
	defer e.Stop(context.Background())
	ctx, cancel := context.WithCancel(context.Background())
	done := make(chan struct{})
	began, cpu := time.Now(), cpuTime()
	go func() {
		(&intake.Watches{Workspace: bed.Workspace, Engine: e, Store: bed.Store, Kit: bed.Kit,
			Secrets: bed.Secrets, Log: log}).Run(ctx)
		close(done)
	}()
	most := 0
	for looks.Load() < boxes*rounds && time.Since(began) < time.Minute {
		var stacks strings.Builder
		check(b, pprof.Lookup("goroutine").WriteTo(&stacks, 2))
		most = max(most, strings.Count(stacks.String(), "trigger.(*Watches).visit("))
		time.Sleep(20 * time.Millisecond)
	}
	b.ReportMetric(float64(looks.Load())/time.Since(began).Seconds(), "looks/s")
	b.ReportMetric(float64((cpuTime()-cpu).Microseconds())/1000/float64(looks.Load()), "ms-CPU/look")
	b.ReportMetric(float64(most), "goroutines-looking")
	cancel()
	<-done
	b.ReportMetric(0, "ns/op")
}
