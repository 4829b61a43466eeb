package bench

import (
	"bytes"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"os"
	"os/exec"
	"runtime/debug"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	webhooks "github.com/standard-webhooks/standard-webhooks/libraries/go"

	"woolsignal/demo"
)

// Callers are a process of their own: what they cost in memory and garbage is
// not the service's, and a service that stands still does not keep them from
// noticing.

// load is what a process of callers is to post.
type load struct {
	URL, Path string
	Posts     int
	Callers   int     // who post as fast as they are answered
	Rate      float64 // or posts a second, whether or not the ones before were answered
}

// measured is what the callers saw.
type measured struct {
	PerSecond float64
	Took      []time.Duration // from when each was to be posted to its answer, the shortest first
	Failed    string
}

// callerEnv asks this program to be a process of callers.
const callerEnv = "WOOLSIGNAL_BENCH_CALLER"

// call has a process of callers post.
func call(b *testing.B, l load) measured {
	b.Helper()
	data, err := json.Marshal(l)
	check(b, err)
	self := exec.Command(os.Args[0])
	self.Env = append(os.Environ(), callerEnv+"="+string(data))
	self.Stderr = os.Stderr
	out, err := self.Output()
	check(b, err)
	var m measured
	check(b, json.Unmarshal(out, &m))
	if m.Failed != "" {
		b.Fatal(m.Failed)
	}
	return m
}

// beCallers posts what the environment says, and prints what was measured.
func beCallers(asked string) {
	debug.SetGCPercent(-1) // what they would wait for then is not the service
	var l load
	if err := json.Unmarshal([]byte(asked), &l); err != nil {
		panic(err)
	}
	all, err := deliveries(l.Posts)
	if err != nil {
		panic(err)
	}
	m := l.post(all)
	slices.Sort(m.Took)
	if err := json.NewEncoder(os.Stdout).Encode(m); err != nil {
		panic(err)
	}
}

// delivery is a signed request, made before anything is measured.
type delivery struct {
	body   []byte
	header http.Header
}

func deliveries(n int) ([]delivery, error) {
	hook, err := webhooks.NewWebhook(signing)
	if err != nil {
		return nil, err
	}
	now, run := time.Now(), time.Now().UnixNano()
	out := make([]delivery, n)
	for i := range out {
		body, err := json.Marshal(demo.Delivery{Grower: "Hollin Bank", GrossKg: 412.5, TareKg: 31, FarmKg: 384,
			Bales: 2, Notes: strings.Repeat("dry, tied loosely ", 8)})
		if err != nil {
			return nil, err
		}
		id := fmt.Sprintf("b-%d-%d", run, i)
		signature, err := hook.Sign(id, now, body)
		if err != nil {
			return nil, err
		}
		out[i] = delivery{body, http.Header{"Content-Type": {"application/json"}, "Webhook-Id": {id},
			"Webhook-Timestamp": {fmt.Sprint(now.Unix())}, "Webhook-Signature": {signature}}}
	}
	return out, nil
}

// post posts all deliveries, in either way.
func (l load) post(all []delivery) measured {
	connections := max(l.Callers, 512)
	web := &http.Client{Transport: &http.Transport{MaxIdleConnsPerHost: connections, MaxConnsPerHost: connections}}
	took := make([]time.Duration, len(all))
	var failed atomic.Pointer[string]
	one := func(i int, due time.Time) {
		request, err := http.NewRequest(http.MethodPost, l.URL+"/in/"+l.Path, bytes.NewReader(all[i].body))
		var response *http.Response
		if err == nil {
			request.Header = all[i].header
			response, err = web.Do(request)
		}
		if err == nil {
			_, err = io.Copy(io.Discard, response.Body)
			response.Body.Close()
		}
		if took[i] = time.Since(due); err == nil && response.StatusCode != http.StatusCreated {
			err = fmt.Errorf("answered %d", response.StatusCode)
		}
		if err != nil {
			text := err.Error()
			failed.Store(&text)
		}
	}
	began := time.Now()
	if l.Rate > 0 {
		l.steadily(len(all), began, one)
	} else {
		l.atOnce(len(all), one)
	}
	m := measured{PerSecond: float64(len(all)) / time.Since(began).Seconds(), Took: took}
	if text := failed.Load(); text != nil {
		m.Failed = *text
	}
	return m
}

// atOnce posts as fast as so many callers are answered.
func (l load) atOnce(n int, one func(int, time.Time)) {
	var next atomic.Int64
	var callers sync.WaitGroup
	for range l.Callers {
		callers.Go(func() {
			for i := int(next.Add(1)) - 1; i < n; i = int(next.Add(1)) - 1 {
				one(i, time.Now())
			}
		})
	}
	callers.Wait()
}

// steadily posts at a rate, each at its time, however long the ones before
// take: a service that stands still makes all of them late.
func (l load) steadily(n int, began time.Time, one func(int, time.Time)) {
	var posts sync.WaitGroup
	for i := range n {
		due := began.Add(time.Duration(float64(i) / l.Rate * float64(time.Second)))
		time.Sleep(time.Until(due))
		posts.Go(func() { one(i, due) })
	}
	posts.Wait()
}

// at gives the latency so many of a thousand are below.
func (m measured) at(perMille int) time.Duration {
	return m.Took[min(len(m.Took)*perMille/1000, len(m.Took)-1)]
}

// histogram draws how long the posts took, each line twice as long as the one
// above.
func (m measured) histogram(title string) string {
	var out strings.Builder
	fmt.Fprintf(&out, "%s, %d posts at %.0f/s: p50 %s, p90 %s, p99 %s, p99.9 %s, the longest %s\n", title, len(m.Took),
		m.PerSecond, short(m.at(500)), short(m.at(900)), short(m.at(990)), short(m.at(999)),
		short(m.Took[len(m.Took)-1]))
	from := 0
	for bound := 125 * time.Microsecond; from < len(m.Took); bound *= 2 {
		to, _ := slices.BinarySearch(m.Took, bound)
		if to > from {
			fmt.Fprintf(&out, "  under %8s %7d %s\n", short(bound), to-from,
				strings.Repeat("#", 1+60*(to-from)/len(m.Took)))
		}
		from = to
	}
	return out.String()
}

func short(d time.Duration) string { return d.Round(10 * time.Microsecond).String() }
