package bench

import (
	"context"
	"fmt"
	"net/http"
	"slices"
	"strings"
	"testing"
	"time"

	"woolsignal/client"
	"woolsignal/demo"
)

// BenchmarkRead reads weighbridge's steps repeated to 300 as they are edited: each
// time with another word changed. It reports the middle and the slowest twentieth.
func BenchmarkRead(b *testing.B) {
	s := start(b, http.NotFoundHandler())
	defer s.stop()
	c := &client.Client{URL: s.url, Token: s.token}
	text := repeated(b, 300)
	const reads = 60
	took := make([]time.Duration, reads)
	for i := range reads {
		edited := strings.Replace(text, "Weigh the empty trailer", fmt.Sprint("Weigh the trailer ", i), 1)
		begin := time.Now()
		m, err := c.Read(context.Background(), "bench-read", edited)
		took[i] = time.Since(begin)
		check(b, err)
		if len(m.Lines) < 300 {
			b.Fatalf("%d lines, %v", len(m.Lines), m.Problems[0])
		}
	}
	middle, slow := percentiles(took)
	b.ReportMetric(float64(middle.Microseconds())/1000, "p50-ms")
	b.ReportMetric(float64(slow.Microseconds())/1000, "p95-ms")
	b.ReportMetric(0, "ns/op")
}

// repeated is weighbridge with its steps said again until there are so many, each
// time under other names.
func repeated(b *testing.B, steps int) string {
	b.Helper()
	files, err := demo.Files()
	check(b, err)
	head, body, _ := strings.Cut(files["workflows/weighbridge.yaml"], "steps:\n")
	out := strings.Replace(head, "workflow: weighbridge", "workflow: bench-read", 1)
	out = strings.Replace(out, "path: weighbridge", "path: bench-read", 1) + "steps:\n"
	for n := 0; n*5 < steps; n++ {
		again := body
		if n > 0 {
			again = strings.Split(body, "  - answer_caller:")[0]
		}
		for _, name := range []string{"net", "sort", "row"} {
			again = strings.NewReplacer("id: "+name+"\n", fmt.Sprintf("id: %s%d\n", name, n), name+".",
				fmt.Sprintf("%s%d.", name, n)).Replace(again)
		}
		out += again
	}
	return out
}

// percentiles gives the middle and the slowest twentieth.
func percentiles(took []time.Duration) (middle, slow time.Duration) {
	slices.Sort(took)
	return took[len(took)/2], took[len(took)*95/100]
}
