package e2e_test

import (
	"fmt"
	"math/rand/v2"
	"net/http"
	"sync"
	"testing"
	"time"

	"woolsignal/client"
	"woolsignal/demo"
	"woolsignal/e2e/harness"
)

// TestKilledAgainAndAgainUnderLoad kills the service at random moments while
// deliveries pour in and slots are booked. The callers do what callers do:
// they send again until they are answered. Then every delivery has one row in
// the register, every booking its run, and every run has ended.
func TestKilledAgainAndAgainUnderLoad(t *testing.T) {
	t.Parallel()
	s := harness.Demo(t)
	state, err := demo.LoadState(s.Data)
	if err != nil {
		t.Fatal(err)
	}
	const deliveries, talks, kills = 120, 12, 6
	seed := uint64(time.Now().UnixNano())
	t.Logf("seed %d", seed)
	random := rand.New(rand.NewPCG(seed, 0))
	url, ines := s.URL, s.As("Ines")
	var wg sync.WaitGroup
	work := make(chan int)
	for range 8 {
		wg.Go(func() {
			for i := range work {
				for {
					response, err := demo.Post(harness.Context(t), url, "weighbridge", state.Signing,
						fmt.Sprint("d-", i), delivery())
					if err == nil {
						response.Body.Close()
						if response.StatusCode == http.StatusCreated || response.StatusCode == http.StatusAccepted {
							break
						}
					}
					time.Sleep(10 * time.Millisecond) // the service is starting again
				}
			}
		})
	}
	for i := range talks {
		wg.Go(func() {
			text := fmt.Sprintf("Can I bring %d fleeces from Hollin Bank on %s?", 10+i,
				[]string{"Tuesday", "Wednesday", "Thursday", "Friday"}[i%4])
			for {
				if _, err := ines.Say(harness.Context(t), "depot-slots", fmt.Sprint("t", i), text); err == nil {
					return
				}
				time.Sleep(10 * time.Millisecond)
			}
		})
	}
	done := make(chan struct{})
	go func() {
		for i := range deliveries {
			work <- i
			time.Sleep(5 * time.Millisecond) // spread over the kills
		}
		close(work)
		wg.Wait()
		close(done)
	}()
	for range kills {
		time.Sleep(time.Duration(random.IntN(150)) * time.Millisecond)
		s.Kill()
	}
	<-done
	harness.Eventually(t, "every run ends", func() bool {
		for _, status := range []string{"queued", "running", "waiting"} {
			if page, err := ines.Runs(harness.Context(t), client.Filter{Status: status}); err != nil ||
				len(page.Runs) > 0 {
				return false
			}
		}
		return true
	})
	if n := s.Count("clip-register", "POST", 201); n != deliveries {
		t.Errorf("%d deliveries made %d rows in the register", deliveries, n)
	}
	runs, err := ines.Runs(harness.Context(t), client.Filter{Workflow: "weighbridge", Limit: 200})
	if err != nil || len(runs.Runs) != deliveries {
		t.Errorf("%d deliveries started %d runs (%v)", deliveries, len(runs.Runs), err)
	}
	booked := map[string]bool{}
	talk, err := ines.Runs(harness.Context(t), client.Filter{Workflow: "depot-slots", Limit: 200})
	if err != nil {
		t.Fatal(err)
	}
	for _, r := range talk.Runs {
		d, err := ines.Run(harness.Context(t), r.ID)
		if err != nil || d.Status != "done" {
			t.Fatalf("run %s: %s %s (%v)", r.ID, d.Status, d.Because, err)
		}
		for _, c := range stepOf(t, d, "answer").Agent.Calls {
			// Two at once may want one window: the slower is told so, and asks.
			event, _ := c.Result.(map[string]any)
			if id, _ := event["id"].(string); id != "" {
				if booked[id] {
					t.Errorf("the event %s belongs to two runs", id)
				}
				booked[id] = true
			}
		}
	}
	if n := s.Count("almanac", "PUT", 200, 201, 204); n != len(booked) || n == 0 {
		t.Errorf("the runs tell of %d bookings, Almanac of %d", len(booked), n)
	}
}
