package e2e_test

import (
	"bufio"
	"encoding/json"
	"net/http"
	"strings"
	"testing"

	"woolsignal/client"
	"woolsignal/core/run"
	"woolsignal/e2e/harness"
	"woolsignal/wire"
)

// TestAReaderReadsNobodysConversation holds a conversation whose agent wants an
// approval, and has a reader try every door to it.
func TestAReaderReadsNobodysConversation(t *testing.T) {
	t.Parallel()
	s := harness.Demo(t)
	ctx := harness.Context(t)
	request, err := http.NewRequestWithContext(ctx, http.MethodGet, s.URL+"/api/v1/live", nil)
	if err != nil {
		t.Fatal(err)
	}
	request.Header.Set("Authorization", "Bearer "+s.Person("Owen").Token)
	live, err := http.DefaultClient.Do(request)
	if err != nil {
		t.Fatal(err)
	}
	defer live.Body.Close()

	book(t, s, "whispers")
	d := s.Talk("whispers", "Cancel it")
	if d.Status != run.Waiting {
		t.Fatalf("%s %s", d.Status, d.Because)
	}
	c := s.As("Owen")
	for what, err := range map[string]error{
		"the run":     problemOf(c.Run(ctx, d.ID)),
		"its journal": problemOf(c.Journal(ctx, d.ID)),
		"its review":  problemOf(c.Review(ctx, s.OpenReview(d).ID)),
	} {
		if err == nil || !strings.Contains(err.Error(), "Not yours to read") {
			t.Errorf("%s: %v", what, err)
		}
	}
	for what, f := range map[string]client.Filter{"the list": {}, "its words": {Text: "Cancel"},
		"its id": {Text: d.ID}, "its workflow": {Workflow: d.Workflow}} {
		if page, err := c.Runs(ctx, f); err != nil || len(page.Runs) > 0 {
			t.Errorf("a reader finds it by %s: %v %v", what, page.Runs, err)
		}
	}
	var today wire.Today
	if err := c.Do(ctx, http.MethodGet, "/today", nil, &today); err != nil ||
		len(today.Running) > 0 || len(today.Reviews) > 0 {
		t.Errorf("today: %+v %v", today, err)
	}
	for _, decided := range []bool{false, true} {
		if all, err := c.Reviews(ctx, decided); err != nil || len(all) > 0 {
			t.Errorf("reviews: %+v %v", all, err)
		}
	}
	open, err := s.As("Ines").Start(ctx, "payout-week", wire.Start{Inputs: map[string]any{"price_per_kg": 0.4}})
	if err != nil {
		t.Fatal(err)
	}
	for lines := bufio.NewScanner(live.Body); lines.Scan(); {
		if strings.Contains(lines.Text(), d.ID) {
			t.Fatalf("the stream tells of it: %s", lines.Text())
		}
		if strings.Contains(lines.Text(), open) {
			break // what came before it would have come by now
		}
	}
	if _, err := c.Run(ctx, open); err != nil {
		t.Errorf("a run that is no conversation: %v", err)
	}
	if _, err := s.As("Tobias").Run(ctx, d.ID); err != nil {
		t.Errorf("a reviewer: %v", err)
	}
}

func problemOf[T any](_ T, err error) error { return err }

// TestTwoCallersKeysAreApart has two people use one idempotency key, and one of
// them use it twice.
func TestTwoCallersKeysAreApart(t *testing.T) {
	t.Parallel()
	s := harness.Demo(t)
	add := func(first, key string) (status int, row int64) {
		t.Helper()
		request, err := http.NewRequestWithContext(harness.Context(t), http.MethodPost,
			s.URL+"/api/v1/tables/mishaps/rows", strings.NewReader(`{"values": {"workflow": "x", "state": "open"}}`))
		if err != nil {
			t.Fatal(err)
		}
		request.Header.Set("Authorization", "Bearer "+s.Person(first).Token)
		request.Header.Set("Idempotency-Key", key)
		response, err := http.DefaultClient.Do(request)
		if err != nil {
			t.Fatal(err)
		}
		defer response.Body.Close()
		var made wire.Row
		_ = json.NewDecoder(response.Body).Decode(&made) // a refusal has no row
		return response.StatusCode, made.Row
	}
	_, ines := add("Ines", "one-key")
	_, tobias := add("Tobias", "one-key")
	_, again := add("Ines", "one-key")
	if ines == 0 || tobias == 0 || ines == tobias || again != ines {
		t.Errorf("the rows are %d, %d and %d", ines, tobias, again)
	}
	if status, _ := add("Ines", strings.Repeat("k", 256)); status != http.StatusBadRequest {
		t.Errorf("a key of 256 characters: %d", status)
	}
}
