package client_test

import (
	"context"
	"fmt"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"

	"woolsignal/client"
)

// asked is a run whose agent waits for the run of a helper.
const asked = `{"id":"desk","status":%q,"steps":[{"status":"running","agent":{"calls":[
	{"id":"1","state":"done","child":"gone"},{"id":"2","state":"running","child":"helper"}]}}]}`

// TestARunIsAsFarAsTheRunsItWaitsFor has a service where a run waits for one it called,
// that is at work, ends, or waits for a person itself.
func TestARunIsAsFarAsTheRunsItWaitsFor(t *testing.T) {
	for name, c := range map[string]struct {
		desk, helper []string // what each is found to be, one time after another
		want         string
	}{
		"a helper at work":             {[]string{"waiting", "waiting", "done"}, []string{"running", "done"}, "done"},
		"a helper that asks a person":  {[]string{"waiting"}, []string{"running", "waiting"}, "waiting"},
		"a helper nobody has any more": {[]string{"waiting"}, nil, "waiting"},
	} {
		t.Run(name, func(t *testing.T) {
			seen := map[string]int{}
			server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
				id := r.URL.Path[strings.LastIndex(r.URL.Path, "/")+1:]
				states, form := c.desk, asked
				if id != "desk" {
					states, form = c.helper, `{"id":"helper","status":%q}`
				}
				if id == "gone" || states == nil {
					w.WriteHeader(http.StatusNotFound)
					return
				}
				fmt.Fprintf(w, form, states[min(seen[id], len(states)-1)])
				seen[id]++
			}))
			defer server.Close()
			d, err := (&client.Client{URL: server.URL}).Settled(context.Background(), "desk")
			if err != nil || string(d.Status) != c.want || c.helper != nil && seen["helper"] < 2 {
				t.Errorf("%s, %v, the helper was looked at %d times", d.Status, err, seen["helper"])
			}
		})
	}
}
