package bench

import (
	"bufio"
	"context"
	"fmt"
	"io"
	"net/http"
	"net/http/httptest"
	"strings"
	"sync/atomic"
	"testing"
	"time"

	"woolsignal/e2e/harness"
	"woolsignal/wire"
)

// streaming is how many conversations stream at once, and words how many words each
// answer has.
const (
	streaming = 1000
	words     = 200
)

// talker is a model peer that says a word every fiftieth of a second, once all are
// asked.
type talker struct {
	asked atomic.Int64
	all   chan struct{}
}

func (p *talker) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	_, _ = io.Copy(io.Discard, r.Body)
	if p.asked.Add(1) == streaming {
		close(p.all)
	}
	<-p.all
	w.Header().Set("Content-Type", "text/event-stream")
	flush := http.NewResponseController(w)
	for range words {
		fmt.Fprint(w, `data: {"choices":[{"delta":{"content":"wool "}}]}`+"\n\n")
		_ = flush.Flush()
		time.Sleep(20 * time.Millisecond)
	}
	fmt.Fprint(w, `data: {"choices":[{"delta":{},"finish_reason":"stop"}]}`+"\n\ndata: [DONE]\n\n")
}

// BenchmarkStreaming has a thousand conversations stream at the same moment, with
// somebody who watches all of them, and gives what the service's process holds.
func BenchmarkStreaming(b *testing.B) {
	p := &talker{all: make(chan struct{})}
	peer := httptest.NewServer(p)
	defer peer.Close()
	s := harness.Demo(b)
	c, ctx := s.As("Ines"), context.Background()
	files, err := c.Files(ctx)
	check(b, err)
	files["connections/models.yaml"] = strings.Replace(files["connections/models.yaml"], s.Standins["bellwether"]+"/v1",
		peer.URL, 1)
	files["woolsignal.yaml"], _, _ = strings.Cut(files["woolsignal.yaml"], "budget:")
	_, err = c.Apply(ctx, wire.Files{Files: files})
	check(b, err)
	before := resident(b, s.PID)
	pieces := watches(b, s)
	var runs [streaming]string
	for i := range streaming { // none is answered before all have asked
		runs[i], err = c.StartTask(ctx, "depot-desk", wire.Task{Task: "Talk.", Thread: fmt.Sprint("t", i)})
		check(b, err)
	}
	<-p.all
	most := 0
	for began := time.Now(); time.Since(began) < words*20*time.Millisecond; time.Sleep(100 * time.Millisecond) {
		most = max(most, resident(b, s.PID))
	}
	for _, id := range runs {
		d, err := c.Settled(ctx, id)
		check(b, err)
		if d.Status != "done" {
			b.Fatalf("%s: %s", d.Status, d.Because)
		}
	}
	b.ReportMetric(float64(before)/1e6, "MB-before")
	b.ReportMetric(float64(most)/1e6, "MB-most")
	b.ReportMetric(float64(pieces.Load())/streaming/words, "heard/said")
	b.ReportMetric(0, "ns/op")
}

// watches counts the pieces that somebody hears who watches everything.
func watches(b *testing.B, s *harness.Service) *atomic.Int64 {
	b.Helper()
	request, err := http.NewRequest(http.MethodGet, s.URL+"/api/v1/live", nil)
	check(b, err)
	request.Header.Set("Authorization", "Bearer "+s.Person("Ines").Token)
	response, err := http.DefaultClient.Do(request)
	check(b, err)
	b.Cleanup(func() { response.Body.Close() })
	var heard atomic.Int64
	go func() {
		for in := bufio.NewScanner(response.Body); in.Scan(); {
			if strings.HasPrefix(in.Text(), "event: piece") {
				heard.Add(1)
			}
		}
	}()
	return &heard
}
