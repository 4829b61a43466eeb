package e2e_test

import (
	"errors"
	"net/http"
	"strings"
	"testing"

	"woolsignal/client"
	"woolsignal/demo"
	"woolsignal/e2e/harness"
	"woolsignal/wire"
)

// TestAConnectionIsMadeFromADescription connects to an API from nothing but its
// description's address: the file, the secret and the verdict come of one
// request, and a step can call it at once.
func TestAConnectionIsMadeFromADescription(t *testing.T) {
	t.Parallel()
	s := harness.Demo(t)
	ctx, c := harness.Context(t), s.As("Ines")
	state, err := demo.LoadState(s.Data)
	if err != nil {
		t.Fatal(err)
	}
	register := addressOf(t, c, "clip-register")
	if _, err := c.Describe(ctx, wire.Describing{Address: register + "/openapi.json"}); !says(err, "loopback") {
		t.Errorf("without a tick this machine is reached: %v", err)
	}
	about, err := c.Describe(ctx, wire.Describing{Address: register + "/openapi.json", Networks: []string{"loopback"}})
	if err != nil || about.Title != "Clip Register" || about.Address != register || len(about.Operations) < 5 {
		t.Fatalf("%+v, %v", about, err)
	}
	file := "connection: register-two\ntitle: Second register\naddress: " + register +
		"\nauth:\n  header: X-Register-Key\n" +
		"networks: [loopback]\nopenapi:\n  description: schemas/register-two.json\n"
	in := wire.Redefine{Text: file, Beside: map[string]string{"schemas/register-two.json": about.Text}}
	read, err := c.ReadDefinition(ctx, "connection", "register-two", in)
	if err != nil || len(read.Problems) > 0 || len(read.Tools) != len(about.Operations) || !read.Needs || read.Has {
		t.Fatalf("%+v, %v", read, err)
	}
	in.Secret = "wrong key of it"
	made, err := c.Define(ctx, "connection", "register-two", in)
	if err != nil || made.Verdict == nil || made.Verdict.Fine {
		t.Fatalf("with a wrong key: %+v, %v", made, err)
	}
	if v, err := c.PutSecret(ctx, "register-two", state.Keys.Register); err != nil || !v.Fine {
		t.Errorf("with the right one: %+v, %v", v, err)
	}
	if tools, err := c.Tools(ctx, "add delivery", "register-two", 5); err != nil || len(tools.Tools) == 0 {
		t.Errorf("its tools are not to be found: %+v, %v", tools, err)
	}
}

// says tells whether an error says some words.
func says(err error, words string) bool { return err != nil && strings.Contains(err.Error(), words) }

// addressOf is where a connection leads.
func addressOf(t *testing.T, c *client.Client, connection string) string {
	t.Helper()
	one, err := c.Connection(harness.Context(t), connection)
	if err != nil {
		t.Fatal(err)
	}
	return one.Address
}

// send sends a delivery with some body in place of its own, and gives the status
// of the answer.
func send(t *testing.T, d wire.Delivery, body string) int {
	t.Helper()
	request, err := http.NewRequestWithContext(harness.Context(t), http.MethodPost, d.Address, strings.NewReader(body))
	if err != nil {
		t.Fatal(err)
	}
	for name, value := range d.Headers {
		request.Header.Set(name, value)
	}
	response, err := http.DefaultClient.Do(request)
	if err != nil {
		t.Fatal(err)
	}
	_ = response.Body.Close()
	return response.StatusCode
}

// sendPlain sends what nobody signed.
func sendPlain(t *testing.T, s *harness.Service, path, body string) int {
	return send(t, wire.Delivery{Address: s.URL + path, Headers: map[string]string{"Content-Type": "application/json"}},
		body)
}

// TestWhatActsAtOnceIsNotBrokenByAPress refuses a change that would make
// something else wrong, one made from an old text, and what is no such file.
func TestWhatActsAtOnceIsNotBrokenByAPress(t *testing.T) {
	t.Parallel()
	s := harness.Demo(t)
	ctx, c := harness.Context(t), s.As("Ines")
	now, err := c.Definition(ctx, "connection", "clip-register")
	if err != nil || !strings.Contains(strings.Join(now.Used, " "), "weighbridge") {
		t.Fatalf("%+v, %v", now, err)
	}
	fewer := strings.Replace(now.Text, "description:", "offer: [list_growers]\n  description:", 1)
	read, err := c.ReadDefinition(ctx, "connection", "clip-register", wire.Redefine{Text: fewer})
	if err != nil || len(read.Problems) == 0 || !strings.HasPrefix(read.Problems[0].File, "workflows/") {
		t.Errorf("what it would break: %+v, %v", read.Problems, err)
	}
	for _, refused := range []struct {
		kind, id string
		in       wire.Redefine
		status   int
	}{
		{"connection", "clip-register", wire.Redefine{Text: fewer, From: now.Text}, http.StatusUnprocessableEntity},
		{"connection", "clip-register", wire.Redefine{Text: now.Text + "# more\n"}, http.StatusConflict},
		{"connection", "clip-register", wire.Redefine{Text: "connection: other\n", From: now.Text},
			http.StatusUnprocessableEntity},
		{"connection", "Not an id", wire.Redefine{Text: "x"}, http.StatusUnprocessableEntity},
		{"workflow", "weighbridge", wire.Redefine{Text: "x"}, http.StatusNotFound},
		{"workspace", "elsewhere", wire.Redefine{Text: "x"}, http.StatusNotFound},
		{"connection", "gate", wire.Redefine{Text: "connection: gate\ntitle: Gate\nsigning_key: {}\n",
			Beside: map[string]string{"workflows/weighbridge.yaml": ""}}, http.StatusUnprocessableEntity},
		{"connection", "gate", wire.Redefine{Text: "connection: gate\ntitle: Gate\nsigning_key: {}\n",
			Beside: map[string]string{"schemas/delivery.json": "{}"}}, http.StatusConflict},
		{"connection", "gate", wire.Redefine{Text: "connection: gate\ntitle: Gate\nsigning_key: {}\n", Secret: "x"},
			http.StatusUnprocessableEntity},
	} {
		_, err := c.Define(ctx, refused.kind, refused.id, refused.in)
		var p *client.Problem
		if !errors.As(err, &p) || p.Status != refused.status {
			t.Errorf("%s %s: %v, want %d", refused.kind, refused.id, err, refused.status)
		}
	}
	if after, err := c.Definition(ctx, "connection", "clip-register"); err != nil || after.Text != now.Text {
		t.Errorf("it was changed: %q, %v", after.Text, err)
	}
	if _, err := s.As("Tobias").Definition(ctx, "connection", "clip-register"); err == nil {
		t.Error("a reviewer reads it")
	}
}

// TestASigningKeyIsMadeHere makes a key, sends what is signed with it, and sends
// the same with a byte changed.
func TestASigningKeyIsMadeHere(t *testing.T) {
	t.Parallel()
	s := harness.Demo(t)
	ctx, c := harness.Context(t), s.As("Ines")
	for id, scheme := range map[string]string{"gate-one": "standard-webhooks", "gate-two": "hmac-sha256",
		"gate-three": "bearer"} {
		text := "connection: " + id + "\ntitle: Gate\nsigning_key:\n  scheme: " + scheme + "\n"
		if _, err := c.Define(ctx, "connection", id, wire.Redefine{Text: text}); err != nil {
			t.Fatal(err)
		}
		key, err := c.NewKey(ctx, id)
		if err != nil || len(key.Secret) < 40 {
			t.Fatalf("%s: %+v, %v", scheme, key, err)
		}
		workflow := "workflow: " + id + "\ntitle: Gate\ntriggers:\n  - id: scale\n    webhook:\n      path: " + id +
			"\n      verify: " + id + "\nsteps:\n  - id: kg\n    compute:\n      kg: signal.body.kg\n"
		if _, err := c.Edit(ctx, id, wire.Draft{Text: workflow}); err != nil {
			t.Fatal(err)
		}
		d, err := c.Delivery(ctx, id, wire.Deliver{Trigger: "scale", Body: map[string]any{"kg": 3, "by": "O'Neath"}})
		if err != nil {
			t.Fatal(err)
		}
		if scheme == "bearer" {
			if d.Lacks == "" || strings.Contains(d.Curl, key.Secret) {
				t.Errorf("the key of a bearer is shown: %+v", d)
			}
			continue
		}
		if status := send(t, d, d.Body); status != http.StatusAccepted {
			t.Errorf("%s: a signed delivery is answered %d", scheme, status)
		}
		if status := send(t, d, strings.Replace(d.Body, "3", "4", 1)); status != http.StatusUnauthorized {
			t.Errorf("%s: a changed delivery is answered %d", scheme, status)
		}
		ran := s.RunOf(id, "ends", func(d wire.Detail) bool { return d.Status.Ended() })
		if kg, is := ran.Steps[1].Output.(map[string]any); !is || kg["kg"] != float64(3) {
			t.Errorf("%s: gave %v", scheme, ran.Steps[1].Output)
		}
	}
	if _, err := c.NewKey(ctx, "clip-register"); !says(err, "signing key") {
		t.Errorf("a key is made of what is none: %v", err)
	}
}

// TestTheNextDeliveryIsCaughtBeforeThereIsAKey waits at the draft of a webhook
// that has neither a key nor a schema: the first that comes is kept, whoever sent
// it, and starts nothing; the second is refused.
func TestTheNextDeliveryIsCaughtBeforeThereIsAKey(t *testing.T) {
	t.Parallel()
	s := harness.Demo(t)
	ctx, c := harness.Context(t), s.As("Ines")
	text := "workflow: gate\ntitle: Gate\ntriggers:\n  - id: scale\n    webhook:\n      path: gate\n" +
		"      verify: \"\"\nsteps: []\n"
	if _, err := c.Edit(ctx, "gate", wire.Draft{Text: text}); err != nil {
		t.Fatal(err)
	}
	body := `{"kg": 3}`
	if status := sendPlain(t, s, "/in/gate/draft", body); status < 400 {
		t.Errorf("nobody waits, and it is taken: %d", status)
	}
	for name, address := range map[string]string{"one": "/in/gate/draft", "two": "/in/gate"} {
		if err := c.KeepSample(ctx, "gate", name, wire.KeepSample{Next: true}); err != nil {
			t.Fatal(err)
		}
		if status := sendPlain(t, s, address, body); status != http.StatusAccepted {
			t.Errorf("%s answers %d", address, status)
		}
		if status := sendPlain(t, s, address, body); status < 400 {
			t.Errorf("%s takes a second: %d", address, status)
		}
	}
	samples, err := c.Samples(ctx, "gate")
	if err != nil || len(samples) != 2 || !samples[0].Signal.Unsigned || samples[0].Signal.Trigger != "scale" {
		t.Errorf("%+v, %v", samples, err)
	}
	runs, err := c.Runs(ctx, client.Filter{Workflow: "gate"})
	if err != nil || len(runs.Runs) != 0 {
		t.Errorf("it started %+v, %v", runs, err)
	}
	if err := c.KeepSample(ctx, "store-watch", "one", wire.KeepSample{Next: true}); err != nil {
		t.Errorf("of a live workflow: %v", err)
	}
}
