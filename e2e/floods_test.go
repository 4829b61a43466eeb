package e2e_test

import (
	"bytes"
	"context"
	"fmt"
	"io"
	"net"
	"net/http"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"sync"
	"testing"
	"time"

	"woolsignal/client"
	"woolsignal/demo"
	"woolsignal/e2e/harness"
	"woolsignal/e2e/hostile"
	"woolsignal/standin/postbag"
)

// TestHonestDeliveriesLoseNothingBesideHostileOnes sends deliveries while others
// send what nobody should. Each is answered as ever, and has its row.
func TestHonestDeliveriesLoseNothingBesideHostileOnes(t *testing.T) {
	s := harness.Demo(t)
	state, err := demo.LoadState(s.Data)
	if err != nil {
		t.Fatal(err)
	}
	before := s.Count("clip-register", http.MethodPost, http.StatusCreated)
	ctx, stop := context.WithCancel(harness.Context(t))
	var hostiles sync.WaitGroup
	hostiles.Go(func() { hostile.Senders(ctx, s.URL) })
	honest := 100
	if n, err := strconv.Atoi(os.Getenv("SOAK_HONEST")); err == nil {
		honest = n
	}
	for i := range honest {
		response, err := demo.Post(harness.Context(t), s.URL, "weighbridge", state.Signing, fmt.Sprint("honest-", i),
			delivery())
		if err != nil {
			t.Fatal(err)
		}
		response.Body.Close()
		if response.StatusCode != http.StatusCreated {
			t.Errorf("delivery %d is answered %s", i, response.Status)
		}
	}
	stop()
	hostiles.Wait()
	if n := s.Count("clip-register", http.MethodPost, http.StatusCreated) - before; n != honest {
		t.Errorf("%d of %d deliveries have a row", n, honest)
	}
	if c, err := s.As("Ines").Session(harness.Context(t)); err != nil || c.Person.Name != "Ines Faro" {
		t.Errorf("afterwards Ines is %+v, %v", c.Person, err)
	}
}

// mostResident is how much memory the service may hold under any flood, in
// bytes; with the demo's workspace it holds about 60 MB at rest.
const mostResident = 640 << 20

// TestMemoryIsBoundedUnderFloods floods a service of its own, beside the one
// that plays the outside world.
func TestMemoryIsBoundedUnderFloods(t *testing.T) {
	world := harness.Demo(t)
	s := harness.Start(t, copied(t, world), "serve", "-quiet")
	s.People = world.People
	watch := func(flood string, do func()) {
		t.Helper()
		ctx, stop := context.WithCancel(harness.Context(t))
		most := make(chan int64, 1)
		go func() { most <- mostHeld(ctx, s.PID) }()
		do()
		stop()
		held := <-most
		t.Logf("%s: at most %d MB resident", flood, held>>20)
		if held > mostResident {
			t.Errorf("%s: %d MB resident, want at most %d", flood, held>>20, mostResident>>20)
		}
		if _, err := s.As("Ines").Session(harness.Context(t)); err != nil {
			t.Errorf("after %s: %v", flood, err)
		}
	}
	watch("100 MB of mails", func() { floodOfMails(t, world, s) })
	watch("10,000 sign-ins", func() { floodOfSignIns(t, s) })
	watch("1,000 slow streams", func() { floodOfStreams(t, s) })
}

// copied is a copy of a service's data, for another beside it.
func copied(t *testing.T, of *harness.Service) string {
	t.Helper()
	data := t.TempDir()
	out, _, code := of.Command("Elin", "", "backup", filepath.Join(data, "woolsignal.db"))
	if code != 0 {
		t.Fatal(out)
	}
	key, err := os.ReadFile(filepath.Join(of.Data, "vault.key"))
	if err == nil {
		err = os.WriteFile(filepath.Join(data, "vault.key"), key, 0o600)
	}
	if err != nil {
		t.Fatal(err)
	}
	return data
}

// mostHeld looks at how much memory a process holds until the context ends.
func mostHeld(ctx context.Context, pid int) (most int64) {
	for tick := time.NewTicker(20 * time.Millisecond); ; {
		text, err := os.ReadFile(fmt.Sprintf("/proc/%d/statm", pid))
		if fields := strings.Fields(string(text)); err == nil && len(fields) > 1 {
			pages, _ := strconv.ParseInt(fields[1], 10, 64)
			most = max(most, pages*int64(os.Getpagesize()))
		}
		select {
		case <-tick.C:
		case <-ctx.Done():
			tick.Stop()
			return most
		}
	}
}

func floodOfMails(t *testing.T, world, s *harness.Service) {
	t.Helper()
	s.Watching("office-mail", "mails that arrive in INBOX")
	for i := range 10 {
		world.Writes(postbag.Letter{From: "bills@bad-sacks.example", To: "office@larkrigg.example",
			Subject: fmt.Sprint("Invoice ", i), Text: "See the file.",
			Files: map[string][]byte{"large.bin": bytes.Repeat([]byte{byte(i)}, 10<<20)}})
	}
	last := "The last of them"
	world.Writes(postbag.Letter{From: "skell.top@hills.example", To: "office@larkrigg.example", Subject: last,
		Text: "Which grade is it?"})
	harness.Eventually(t, "the last mail is read", func() bool {
		page, err := s.As("Ines").Runs(harness.Context(t), client.Filter{Workflow: "mailroom-grades"})
		return err == nil && len(page.Runs) > 0
	})
}

func floodOfSignIns(t *testing.T, s *harness.Service) {
	t.Helper()
	client := hostile.Client()
	work := make(chan int)
	var all sync.WaitGroup
	for range 100 {
		all.Go(func() {
			for i := range work {
				response, err := client.Post(s.URL+"/api/v1/session", "application/json", strings.NewReader(
					fmt.Sprintf(`{"email": "nobody-%d@larkrigg.example", "password": "guess"}`, i)))
				if err == nil {
					_, _ = io.Copy(io.Discard, response.Body)
					response.Body.Close()
				}
			}
		})
	}
	for i := range 10_000 {
		work <- i
	}
	close(work)
	all.Wait()
}

// floodOfStreams opens live streams that nobody reads, and connections that never
// send their request, while there is much to tell.
func floodOfStreams(t *testing.T, s *harness.Service) {
	t.Helper()
	host := strings.TrimPrefix(s.URL, "http://")
	for i := range 1000 {
		conn, err := net.Dial("tcp", host)
		if err != nil {
			t.Fatal(err)
		}
		defer conn.Close()
		request := "GET /api/v1/live HTTP/1.1\r\nHost: x\r\n"
		if i%2 == 0 {
			request += "Authorization: Bearer " + s.People[i%len(s.People)].Token + "\r\n\r\n"
		}
		if _, err := io.WriteString(conn, request); err != nil {
			t.Fatal(err)
		}
	}
	for i := range 50 {
		if _, err := s.As("Ines").Say(harness.Context(t), "depot-slots", fmt.Sprint("flood-", i), "hello"); err != nil {
			t.Fatal(err)
		}
	}
}
