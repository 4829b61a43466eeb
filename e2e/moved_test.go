package e2e_test

import (
	"net/http"
	"net/http/httptest"
	"strings"
	"sync"
	"testing"

	"woolsignal/core/run"
	"woolsignal/e2e/harness"
	"woolsignal/wire"
)

// listensFor is a server somebody has a connection lead to, which keeps every key it is
// sent.
func listensFor(t *testing.T) (url string, keys func() []string) {
	var mu sync.Mutex
	var seen []string
	s := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		mu.Lock()
		defer mu.Unlock()
		for _, key := range []string{r.Header.Get("Authorization"), r.Header.Get("X-Register-Key"),
			r.FormValue("client_secret")} {
			if key != "" {
				seen = append(seen, key)
			}
		}
		w.Header().Set("Content-Type", "application/json")
		_, _ = w.Write([]byte(`{"data": [], "growers": []}`)) // whoever left reads nothing
	}))
	t.Cleanup(s.Close)
	return s.URL, func() []string {
		mu.Lock()
		defer mu.Unlock()
		return append([]string{}, seen...)
	}
}

// leadsTo has a connection lead elsewhere, and gives what its test says.
func leadsTo(t *testing.T, s *harness.Service, connection, url string) wire.Defined {
	t.Helper()
	return rewritten(t, s, connection, addressOf(t, s.As("Ines"), connection), url)
}

func rewritten(t *testing.T, s *harness.Service, connection, address, url string) wire.Defined {
	t.Helper()
	ctx, ines := harness.Context(t), s.As("Ines")
	one, err := ines.Definition(ctx, "connection", connection)
	if err != nil {
		t.Fatal(err)
	}
	next := strings.Replace(one.Text, address, url, 1)
	read, err := ines.ReadDefinition(ctx, "connection", connection, wire.Redefine{Text: next, From: one.Text})
	if err != nil {
		t.Fatal(err)
	}
	if read.Needs && !read.Has && !strings.Contains(read.Moved, "is not sent to") {
		t.Errorf("before it is moved, nobody is told: %+v", read)
	}
	out, err := ines.Define(ctx, "connection", connection, wire.Redefine{Text: next, From: one.Text})
	if err != nil {
		t.Fatal(err)
	}
	return out
}

// TestASecretDoesNotFollowItsConnection has a builder, who knows no secret, change where
// connections lead: no key arrives there, by a test, a run or a sign-in's token, till it
// is given for there.
func TestASecretDoesNotFollowItsConnection(t *testing.T) {
	t.Parallel()
	s := harness.Demo(t)
	withElinSignedIn(t, s)
	ctx, ines, elin := harness.Context(t), s.As("Ines"), s.As("Elin")
	url, keys := listensFor(t)
	for _, connection := range []string{"models", "clip-register", "minutes"} {
		out := leadsTo(t, s, connection, url)
		if c := connection; c != "minutes" && (out.Verdict == nil || out.Verdict.Fine) { // people sign in there
			t.Errorf("%s leads to a stranger, and its test says %+v", connection, out.Verdict)
		}
		c, err := ines.Connection(ctx, connection)
		if err != nil {
			t.Fatal(err)
		}
		if c.Ready {
			t.Errorf("%s is ready, and has nothing for there: %+v", connection, c.Connection)
		}
		if c.SignIn == nil && !strings.Contains(c.Moved, url) {
			t.Errorf("%s does not say that it was moved: %+v", connection, c.Connection)
		}
	}
	loft, err := ines.Definition(ctx, "connection", "loft")
	if err != nil {
		t.Fatal(err)
	}
	_, token, _ := strings.Cut(loft.Text, "token: ")
	token, _, _ = strings.Cut(token, "\n")
	if out := rewritten(t, s, "loft", token, url+"/token"); out.Verdict == nil || out.Verdict.Fine {
		t.Errorf("a stranger is to give loft's tokens, and its test says %+v", out.Verdict)
	}
	id, err := elin.Start(ctx, "reader", wire.Start{})
	if err != nil {
		t.Fatal(err)
	}
	var last any
	defer func() {
		if t.Failed() {
			t.Logf("her run at last: %+v", last)
		}
	}()
	harness.Eventually(t, "her run waits for a sign-in", func() bool {
		d, err := elin.Run(ctx, id)
		last = []any{d, err}
		return err == nil && d.Status == run.Waiting
	})
	if got := keys(); len(got) != 0 {
		t.Fatalf("the stranger was sent %q", got)
	}
	v, err := ines.PutSecretFor(ctx, "models", "", "the-stranger-s-own")
	if err != nil || !v.Fine || len(keys()) == 0 || keys()[0] != "Bearer the-stranger-s-own" {
		t.Errorf("given for there, it is not used: %+v %v %q", v, err, keys())
	}
}

// TestASecretIsGivenAheadOfAMove gives a key for where a connection is to lead: nothing
// stands still when it does. What is no place is refused.
func TestASecretIsGivenAheadOfAMove(t *testing.T) {
	t.Parallel()
	s := harness.Demo(t)
	url, keys := listensFor(t)
	for _, c := range []struct{ connection, origin, says string }{
		{"models", "models.example", "is no origin"}, {"models", url + "/v1", "is no origin"},
		{"models", addressOf(t, s.As("Ines"), "models"), "is no origin"},
		{"loft", url, "It is signed in to"}, {"weighbridge-key", url, "It is sent nowhere"},
	} {
		stdout, stderr, code := s.Command("Ines", "another-key-4711\n", "connect", c.connection, "-for", c.origin)
		if code == 0 || !strings.Contains(stderr, c.says) {
			t.Errorf("%s for %s: exit %d, %s%s", c.connection, c.origin, code, stdout, stderr)
		}
	}
	stdout, stderr, code := s.Command("Ines", "another-key-4711\n", "connect", "models", "-for", url)
	if code != 0 || !strings.Contains(stdout, "kept for "+url+", and used once") {
		t.Fatalf("exit %d: %s%s", code, stdout, stderr)
	}
	out := leadsTo(t, s, "models", url)
	if out.Verdict == nil || !out.Verdict.Fine || len(keys()) == 0 || keys()[0] != "Bearer another-key-4711" {
		t.Errorf("once it leads there: %+v, %q", out.Verdict, keys())
	}
}
