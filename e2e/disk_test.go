package e2e_test

import (
	"fmt"
	"net/http"
	"os"
	"path/filepath"
	"testing"

	"golang.org/x/sys/unix"

	"woolsignal/client"
	"woolsignal/demo"
	"woolsignal/e2e/harness"
)

// fileLimit bounds how large a file the service may write: at its present
// size, that is what a full disk looks like from inside.
func fileLimit(t *testing.T, s *harness.Service, bytes uint64) {
	t.Helper()
	var before unix.Rlimit
	if err := unix.Prlimit(s.PID, unix.RLIMIT_FSIZE, nil, &before); err != nil {
		t.Fatal(err)
	}
	if err := unix.Prlimit(s.PID, unix.RLIMIT_FSIZE, &unix.Rlimit{Cur: bytes, Max: before.Max}, nil); err != nil {
		t.Fatal(err)
	}
}

// TestAFullDiskLosesNothing fills the disk while runs are open: nothing is
// taken in that cannot be kept, and once there is room all goes on.
func TestAFullDiskLosesNothing(t *testing.T) {
	t.Parallel()
	s := harness.Demo(t)
	state, err := demo.LoadState(s.Data)
	if err != nil {
		t.Fatal(err)
	}
	post := func(id string) int {
		response, err := demo.Post(harness.Context(t), s.URL, "weighbridge", state.Signing, id, delivery())
		if err != nil {
			t.Fatal(err)
		}
		response.Body.Close()
		return response.StatusCode
	}
	if code := post("before"); code != http.StatusCreated {
		t.Fatalf("with room it answers %d", code)
	}
	waiting := s.Talk("t1", "Can I bring 30 fleeces from Hollin Bank on Thursday morning?")
	wal, err := os.Stat(filepath.Join(s.Data, "woolsignal.db-wal"))
	if err != nil {
		t.Fatal(err)
	}
	fileLimit(t, s, uint64(wal.Size()))
	for i := range 5 {
		if code := post(fmt.Sprint("full-", i)); code != http.StatusServiceUnavailable {
			t.Errorf("with a full disk a delivery is answered %d", code)
		}
	}
	if _, err := s.As("Ines").Run(harness.Context(t), waiting.ID); err != nil {
		t.Errorf("with a full disk nothing can be read: %v", err)
	}
	fileLimit(t, s, unix.RLIM_INFINITY)
	for i := range 5 {
		id := fmt.Sprint("full-", i)
		harness.Eventually(t, "the delivery is taken in", func() bool { return post(id) == http.StatusCreated })
	}
	page, err := s.As("Ines").Runs(harness.Context(t), client.Filter{Workflow: "weighbridge"})
	if err != nil || len(page.Runs) != 6 {
		t.Errorf("%d runs for 6 deliveries (%v)", len(page.Runs), err)
	}
	if n := s.Count("clip-register", "POST", 201); n != 6 {
		t.Errorf("%d rows for 6 deliveries", n)
	}
}
