package bench

import (
	"context"
	"fmt"
	"net/http"
	"slices"
	"sync"
	"testing"
	"time"

	"woolsignal/demo"
	"woolsignal/e2e/harness"
	"woolsignal/e2e/hostile"
)

// BenchmarkBesideHostile posts honest deliveries at a steady rate, first in calm,
// then while others send what nobody should, and reports the slowest hundredth
// of the second against that of the first.
func BenchmarkBesideHostile(b *testing.B) {
	s := harness.Demo(b)
	state, err := demo.LoadState(s.Data)
	check(b, err)
	const each, every = 2400, 25 * time.Millisecond
	slowest := func(phase string) time.Duration {
		took := make([]time.Duration, each)
		var all sync.WaitGroup
		begin := time.Now()
		for i := range each {
			meant := begin.Add(time.Duration(i) * every)
			time.Sleep(time.Until(meant))
			all.Go(func() {
				response, err := demo.Post(context.Background(), s.URL, "weighbridge", state.Signing,
					fmt.Sprint(phase, "-", i),
					demo.Delivery{Grower: "Hollin Bank", GrossKg: 412.5, TareKg: 31, FarmKg: 384, Bales: 2})
				if err != nil {
					b.Error(err)
					return
				}
				response.Body.Close()
				if took[i] = time.Since(meant); response.StatusCode != http.StatusCreated {
					b.Errorf("%s: %s", phase, response.Status)
				}
			})
		}
		all.Wait()
		slices.Sort(took)
		b.ReportMetric(float64(took[each/2].Microseconds())/1000, phase+"-p50-ms")
		b.ReportMetric(float64(took[each*99/100].Microseconds())/1000, phase+"-p99-ms")
		return took[each*99/100]
	}
	calm := slowest("calm")
	ctx, stop := context.WithCancel(context.Background())
	var hostiles sync.WaitGroup
	hostiles.Go(func() { hostile.Senders(ctx, s.URL) })
	beside := slowest("beside")
	stop()
	hostiles.Wait()
	b.ReportMetric(float64(beside)/float64(calm), "p99-ratio")
	b.ReportMetric(0, "ns/op")
}
