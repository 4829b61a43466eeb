package e2e_test

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"math/rand/v2"
	"net/http"
	"os"
	"strconv"
	"strings"
	"sync"
	"testing"
	"time"

	"woolsignal/client"
	"woolsignal/core/run"
	"woolsignal/demo"
	"woolsignal/e2e/harness"
	"woolsignal/standin/register"
	"woolsignal/wire"
)

// churn is a workflow of every kind of step that a signal can go through.
const churn = `workflow: churn
title: Churn
triggers:
  - id: in
    webhook:
      path: churn
      verify: weighbridge-key
      answer: computed
      answer_within: 50ms
steps:
  - id: n
    compute:
      of: string(signal.body.n)
  - id: look
    decide:
      cases:
        - when: signal.body.n % 7 == 6
          gives:
            lane: clean
        - judge: The notes mention wet fleece.
          going_by: ${signal.body.notes}
          gives:
            lane: quarantine
      unsure:
        gives:
          lane: check by hand
      otherwise:
        gives:
          lane: clean
  - id: row
    tool: clip-register/add_delivery
    retry: {tries: 4, first: 100ms}
    args:
      grower: Hollin Bank
      kg: 10
      lane: ${look.lane}
      notes: churn-${n.of}
    fill:
      condition: Dry, damp or wet, going by "${signal.body.notes}"
  - id: once
    tool: plain-register/post_offer
    if_fails: carry_on
    args:
      mill: Tarn Mill
      lot: never-${n.of}
      price_per_kg: 1
      words: once
  - id: posted
    each:
      of: lists.range(3)
      at_once: 2
      do:
        - id: offer
          tool: clip-register/post_offer
          retry: {tries: 4, first: 100ms}
          args:
            mill: Almery Spinning
            lot: keyed-${n.of}-${item}
            price_per_kg: 1
            words: keyed
        - wait: {for: 20ms}
      gives:
        id: ${offer.id}
  - id: race
    together:
      finish: first
      enough: value.way != ""
      branches:
        - id: slow
          do:
            - wait: {for: 20s}
          gives:
            way: slow
        - id: quick
          do:
            - wait: {for: 50ms}
          gives:
            way: quick
  - id: both
    together:
      branches:
        - id: script
          do:
            - id: s
              javascript:
                inputs:
                  n: ${signal.body.n}
                code: 'return {double: n * 2}'
          gives:
            double: ${s.double}
        - id: called
          do:
            - id: c
              call: churn-child
              inputs:
                n: ${signal.body.n}
          gives:
            half: ${c.half}
  - id: rounds
    repeat:
      do:
        - id: said
          model: small
          prompt: Round ${index}
      gives:
        said: ${said.text}
      till: index >= 1
      rounds_at_most: 3
  - id: guarded
    within: 100ms
    if_fails:
      gives:
        why: ${failure.message}
    section:
      do:
        - wait: {for: 10s}
  - id: ear
    wait:
      hear:
        webhook:
          path: churn-answers
          verify: weighbridge-key
          subject: ${string(signal.body.n)}
        answering: ${n.of}
      give_up_after: 1h
  - remember:
      about: churn
      name: last
      fact: ${n.of}
  - label:
      as: ["heard ${ear.came}"]
  - answer_caller:
      status: 201
      body:
        n: ${n.of}
`

const churnChild = `workflow: churn-child
title: Churn, the child
inputs:
  type: object
  required: [n]
  properties:
    n:
      type: number
gives:
  half: ${half.n}
steps:
  - wait: {for: 80ms}
  - id: half
    compute:
      n: inputs.n / 2
`

// size reads how large a soak is to be; what make test runs is small.
func size(name string, otherwise int) int {
	if n, err := strconv.Atoi(os.Getenv(name)); err == nil && n > 0 {
		return n
	}
	return otherwise
}

// withChurn puts the churn workflow into a demo.
func withChurn(t *testing.T, s *harness.Service) string {
	t.Helper()
	state, err := demo.LoadState(s.Data)
	if err != nil {
		t.Fatal(err)
	}
	c, ctx := s.As("Ines"), harness.Context(t)
	files, err := c.Files(ctx)
	if err != nil {
		t.Fatal(err)
	}
	files["workflows/churn.yaml"], files["workflows/churn-child.yaml"] = churn, churnChild
	// The same register, described as one that honours no idempotency keys.
	var plain map[string]any
	if err := json.Unmarshal([]byte(files["schemas/clip-register.json"]), &plain); err != nil {
		t.Fatal(err)
	}
	delete(plain["paths"].(map[string]any)["/offers"].(map[string]any)["post"].(map[string]any), "parameters")
	text, err := json.Marshal(plain)
	if err != nil {
		t.Fatal(err)
	}
	files["schemas/plain-register.json"] = string(text)
	files["connections/plain-register.yaml"] = strings.NewReplacer("clip-register",
		"plain-register").Replace(files["connections/clip-register.yaml"])
	if _, err := c.Apply(ctx, wire.Files{Files: files}); err != nil {
		t.Fatal(err)
	}
	if _, err := c.PutSecret(ctx, "plain-register", state.Keys.Register); err != nil {
		t.Fatal(err)
	}
	if _, err := c.Publish(ctx, wire.Publish{}); err != nil {
		t.Fatal(err)
	}
	return state.Signing
}

// TestEveryKindOfStepSurvivesKills sends signals through every kind of step
// while the service is killed at random moments again and again. Two callers
// send everything, and some of them leave before they are answered.
func TestEveryKindOfStepSurvivesKills(t *testing.T) {
	t.Parallel()
	runs, kills := size("SOAK_RUNS", 40), size("SOAK_KILLS", 6)
	s := harness.Demo(t)
	signing := withChurn(t, s)
	url, ines := s.URL, s.As("Ines")
	seed := uint64(time.Now().UnixNano())
	t.Logf("%d runs, %d kills, seed %d", runs, kills, seed)
	random := rand.New(rand.NewPCG(seed, 1))
	// send sends once and tells whether it was taken in.
	send := func(ctx context.Context, path, id string, body any) bool {
		response, err := demo.Post(ctx, url, path, signing, id, body)
		if err != nil {
			return false
		}
		response.Body.Close()
		return response.StatusCode < 300
	}
	// deliver sends again until it is taken in, as callers do, while another
	// sends the same and leaves.
	deliver := func(path, id string, body any) {
		var both sync.WaitGroup
		for after := range 3 {
			both.Go(func() {
				ctx, leave := context.WithTimeout(harness.Context(t), time.Duration(1+5*after)*time.Millisecond)
				defer leave()
				send(ctx, path, id, body)
			})
		}
		for !send(harness.Context(t), path, id, body) {
			time.Sleep(10 * time.Millisecond) // the service is starting again
		}
		both.Wait()
	}
	var wg sync.WaitGroup
	work := make(chan int)
	for range 6 {
		wg.Go(func() {
			for i := range work {
				deliver("churn", fmt.Sprint("churn-", i),
					map[string]any{"n": i, "notes": []string{"dry", "wet through", "maybe a bit wet", ""}[i%4]})
				deliver("churn-answers", fmt.Sprint("answer-", i), map[string]any{"n": i})
			}
		})
	}
	go func() {
		for i := range runs {
			work <- i
		}
		close(work)
	}()
	for range kills {
		time.Sleep(time.Duration(50+random.IntN(400)) * time.Millisecond)
		s.Kill()
	}
	wg.Wait()
	settleUncertain(t, s, runs)
	wanted := map[string]int{}
	for status, n := range endings(t, ines, "churn") {
		if wanted[status] = n; status != string(run.Done) {
			t.Errorf("%d runs ended %s", n, status)
		}
	}
	if wanted[string(run.Done)] != runs {
		t.Errorf("%d signals, %v runs", runs, wanted)
	}
	deliveries, lots := board(t, s)
	for i := range runs {
		if n := deliveries[fmt.Sprint("churn-", i)]; n != 1 {
			t.Errorf("delivery %d stands %d times in the register", i, n)
		}
		for item := range 3 {
			if n := lots[fmt.Sprintf("keyed-%d-%d", i, item)]; n != 1 {
				t.Errorf("offer %d of run %d was made %d times", item, i, n)
			}
		}
		if n := lots[fmt.Sprint("never-", i)]; n > 1 {
			t.Errorf("an offer that must not be repeated was made %d times", n)
		}
	}
}

// settleUncertain says, of every call nobody knows about, that it happened,
// until every run has ended.
func settleUncertain(t *testing.T, s *harness.Service, runs int) {
	t.Helper()
	ines, asked := s.As("Ines"), 0
	deadline := time.Now().Add(time.Duration(60+runs/4) * time.Second)
	for {
		open, err := ines.Reviews(harness.Context(t), false)
		if err != nil {
			t.Fatal(err)
		}
		for _, r := range open {
			if r.Kind != run.OfDoubt {
				t.Fatalf("somebody is asked about %q", r.Title)
			}
			asked++
			decideTwice(t, ines, r.ID)
		}
		// One listing has every run once; asked status by status, one that
		// moves meanwhile could stand in none.
		now := endings(t, ines, "")
		left := now["queued"] + now["running"] + now["waiting"]
		if time.Now().After(deadline) && left > 0 {
			t.Fatalf("runs that do not end: %v", now)
		}
		if left == 0 && len(open) == 0 {
			t.Logf("%d uncertain calls were put to a person", asked)
			return
		}
		time.Sleep(50 * time.Millisecond)
	}
}

// decideTwice has two people decide the same at once: one does, and the other
// is told so.
func decideTwice(t *testing.T, c *client.Client, review string) {
	t.Helper()
	outcomes := make(chan error)
	for range 2 {
		go func() {
			_, err := c.Decide(harness.Context(t), review, wire.Decision{Choice: run.Happened})
			outcomes <- err
		}()
	}
	decided := 0
	for range 2 {
		var refused *client.Problem
		if err := <-outcomes; err == nil {
			decided++
		} else if !errors.As(err, &refused) || refused.Status != http.StatusConflict {
			t.Error(err)
		}
	}
	if decided != 1 {
		t.Errorf("%d of two decided %s", decided, review)
	}
}

// endings counts the runs of a workflow, "" for all, by how they ended.
func endings(t *testing.T, c *client.Client, workflow string) map[string]int {
	t.Helper()
	out := map[string]int{}
	f := client.Filter{Workflow: workflow, Limit: 200}
	for {
		page, err := c.Runs(harness.Context(t), f)
		if err != nil {
			t.Fatal(err)
		}
		for _, r := range page.Runs {
			out[string(r.Status)]++
		}
		if f.Before = page.Next; page.Next == "" {
			return out
		}
	}
}

// board reads the register itself: how often each delivery and each offer
// stands in it.
func board(t *testing.T, s *harness.Service) (deliveries, lots map[string]int) {
	t.Helper()
	state, err := demo.LoadState(s.Data)
	if err != nil {
		t.Fatal(err)
	}
	read := func(path string, into any) {
		request, err := http.NewRequestWithContext(harness.Context(t), http.MethodGet, s.Standins["clip-register"]+path,
			nil)
		if err != nil {
			t.Fatal(err)
		}
		request.Header.Set("X-Register-Key", state.Keys.Register)
		response, err := http.DefaultClient.Do(request)
		if err != nil {
			t.Fatal(err)
		}
		defer response.Body.Close()
		if err := json.NewDecoder(response.Body).Decode(into); err != nil {
			t.Fatal(err)
		}
	}
	var rows struct{ Deliveries []register.Delivery }
	var offers struct{ Offers []register.Offer }
	read("/deliveries", &rows)
	read("/offers", &offers)
	deliveries, lots = map[string]int{}, map[string]int{}
	for _, d := range rows.Deliveries {
		deliveries[d.Notes]++
	}
	for _, o := range offers.Offers {
		lots[o.Lot]++
	}
	return deliveries, lots
}
