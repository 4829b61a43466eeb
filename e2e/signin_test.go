package e2e_test

import (
	"bytes"
	"context"
	"encoding/json"
	"net/http"
	"net/url"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"woolsignal/core/run"
	"woolsignal/e2e/harness"
	"woolsignal/standin/postbag"
	"woolsignal/standin/shieling"
	"woolsignal/wire"
)

// reader is a workflow that needs a connection nobody has signed in to.
const reader = `workflow: reader
title: Reader
purpose: Reads the list of templates.
inputs: {type: object}
gives: {n: '${size(list.entries)}'}
steps:
  - id: list
    tool: minutes/list
    args: {folder: templates}
`

// withReader puts the workflow in and makes it live.
func withReader(t *testing.T, s *harness.Service) {
	t.Helper()
	if err := with(t, s, "reader", reader); err != nil {
		t.Fatal(err)
	}
}

// signedIn is a browser in which one of the demo's people is signed in; "" is
// nobody's.
func signedIn(t *testing.T, s *harness.Service, name string) *http.Client {
	t.Helper()
	c := person(t)
	if name == "" {
		return c
	}
	p := s.Person(name)
	in, err := json.Marshal(wire.SignIn{Email: p.Email, Password: p.Password})
	if err != nil {
		t.Fatal(err)
	}
	response, err := c.Post(s.URL+"/api/v1/session", "application/json", bytes.NewReader(in))
	if err != nil || response.StatusCode != http.StatusOK {
		t.Fatal(response, err)
	}
	response.Body.Close()
	return c
}

// returns goes where Gatehouse sends Ines back to, and gives what the service
// says of it.
func returns(t *testing.T, s *harness.Service, back string) url.Values {
	t.Helper()
	return returnsTo(t, signedIn(t, s, "Ines"), back)
}

func returnsTo(t *testing.T, browser *http.Client, back string) url.Values {
	t.Helper()
	response, err := browser.Get(back)
	if err != nil {
		t.Fatal(err)
	}
	response.Body.Close()
	if response.StatusCode != http.StatusSeeOther || strings.Contains(response.Header.Get("Location"), "?") {
		t.Fatalf("%s %s", response.Status, response.Header.Get("Location"))
	}
	for _, c := range response.Cookies() {
		if c.Name == "woolsignal_outcome" {
			said, err := url.ParseQuery(c.Value)
			if err != nil {
				t.Fatal(err)
			}
			return said
		}
	}
	t.Fatalf("nothing is said of it: %v", response.Header)
	return nil
}

// TestASignInIsWhoBeganIts sends the way back to others: to somebody who is
// signed in as another, to nobody, and to another connection's address.
func TestASignInIsWhoBeganIts(t *testing.T) {
	t.Parallel()
	s := harness.Demo(t)
	back := allows(t, authorize(t, s), "yes", "files.read")
	for _, other := range []string{"Elin", "Owen", ""} {
		if said := returnsTo(t, signedIn(t, s, other), back); said.Get("fine") == "true" ||
			!strings.Contains(said.Get("said"), "begun by somebody else") {
			t.Errorf("in the browser of %q: %v", other, said)
		}
	}
	elsewhere := strings.Replace(back, "/oauth/return/minutes", "/oauth/return/loft", 1)
	if said := returns(t, s, elsewhere); !strings.Contains(said.Get("said"), "not begun here") {
		t.Errorf("at another connection's address: %v", said)
	}
	if c, err := s.As("Ines").Connection(harness.Context(t), "minutes"); err != nil || c.SignIn.Signed {
		t.Errorf("somebody signed in: %+v %v", c.SignIn, err)
	}
	if said := returns(t, s, back); said.Get("fine") != "true" {
		t.Errorf("in her own: %v", said)
	}
}

func authorize(t *testing.T, s *harness.Service) string {
	t.Helper()
	at, err := s.As("Ines").SignInElsewhere(harness.Context(t), "minutes")
	if err != nil {
		t.Fatal(err)
	}
	return at
}

func TestARunWaitsForASignInAndGoesOnByItself(t *testing.T) {
	t.Parallel()
	s := harness.Demo(t)
	withReader(t, s)
	ctx := harness.Context(t)
	id, err := s.As("Ines").Start(ctx, "reader", wire.Start{})
	if err != nil {
		t.Fatal(err)
	}
	d := s.RunOf("reader", "waits", func(d wire.Detail) bool { return d.Status == run.Waiting })
	r := s.OpenReview(d)
	if r.Kind != run.OfConnection || r.Needs != "minutes" || !strings.Contains(r.Why, "signed in") {
		t.Fatalf("it asks %+v", r)
	}
	s.Kill()
	if said := returns(t, s, allows(t, authorize(t, s), "yes", "files.read")); said.Get("fine") != "true" {
		t.Fatalf("it said %v", said)
	}
	if d = s.Ended(id); d.Status != run.Done || d.Result.(map[string]any)["n"] != int64(1) &&
		d.Result.(map[string]any)["n"] != float64(1) {
		t.Errorf("%s %s: %v", d.Status, d.Because, d.Result)
	}
	c, err := s.As("Ines").Connection(ctx, "minutes")
	if err != nil || !c.SignIn.Signed || c.SignIn.Expires == nil || c.Worked == nil {
		t.Errorf("the connection is %+v, %v", c, err)
	}
}

func TestTokensAreRenewedUntilTheyAreRevoked(t *testing.T) {
	t.Parallel()
	s := harness.Demo(t)
	withReader(t, s)
	// every token is old at once
	s.Outside(http.MethodPost, "gatehouse", "/_life", map[string]string{"life": "1s"}, nil)
	returns(t, s, allows(t, authorize(t, s), "yes", "files.read"))
	for range 3 {
		id, err := s.As("Ines").Start(harness.Context(t), "reader", wire.Start{})
		if err != nil {
			t.Fatal(err)
		}
		if d := s.Ended(id); d.Status != run.Done {
			t.Fatalf("%s %s", d.Status, d.Because)
		}
	}
	s.Outside(http.MethodPost, "gatehouse", "/_revoke", nil, nil)
	if _, err := s.As("Ines").Start(harness.Context(t), "reader", wire.Start{}); err != nil {
		t.Fatal(err)
	}
	d := s.RunOf("reader", "waits", func(d wire.Detail) bool { return d.Status == run.Waiting })
	if r := s.OpenReview(d); !strings.Contains(r.Why, "revoked") || !strings.Contains(r.Why, "Sign in again") {
		t.Errorf("it says %q", r.Why)
	}
	s.Outside(http.MethodPost, "gatehouse", "/_life", map[string]string{"life": "1h"}, nil)
	returns(t, s, allows(t, authorize(t, s), "yes", "files.read"))
	if d = s.Ended(d.ID); d.Status != run.Done {
		t.Errorf("%s %s", d.Status, d.Because)
	}
}

func TestEveryWayASignInGoesWrongIsExplained(t *testing.T) {
	t.Parallel()
	s := harness.Demo(t)
	if said := returns(t, s, allows(t, authorize(t, s), "no")); !strings.Contains(said.Get("said"), "said no") {
		t.Errorf("refused: %v", said)
	}
	if said := returns(t, s, allows(t, authorize(t, s), "yes")); !strings.Contains(said.Get("said"),
		"did not give: files.read (Read the files you may read)") {
		t.Errorf("a scope short: %v", said)
	}
	back := allows(t, authorize(t, s), "yes", "files.read")
	returns(t, s, back)
	if said := returns(t, s, back); !strings.Contains(said.Get("said"), "begin it again") {
		t.Errorf("the same code twice: %v", said)
	}
	if said := returns(t, s, s.URL+"/oauth/return/minutes?state=made-up&code=x"); !strings.Contains(said.Get("said"),
		"not begun here") {
		t.Errorf("a state somebody made up: %v", said)
	}
	if said := returns(t, s, s.URL+"/oauth/return/minutes?error=access_denied&state="+
		url.QueryEscape("<script>alert(1)</script>")); said.Get("fine") == "true" {
		t.Errorf("a forged error: %v", said)
	}
	// The address is no longer written down at Gatehouse: it says so itself.
	s.Outside(http.MethodPost, "gatehouse", "/_clients",
		map[string]any{"id": "woolsignal",
			"redirects": []string{"https://elsewhere.example/oauth/return/minutes"}}, nil)
	response, err := person(t).Get(authorize(t, s))
	if err != nil || response.StatusCode != http.StatusBadRequest {
		t.Errorf("a redirect mismatch: %v %v", response, err)
	}
	// A wrong client secret.
	s.Outside(http.MethodPost, "gatehouse", "/_clients",
		map[string]any{"id": "woolsignal", "redirects": []string{s.URL + "/oauth/return/minutes"}}, nil)
	back = allows(t, authorize(t, s), "yes", "files.read")
	if v, err := s.As("Ines").PutSecret(harness.Context(t), "minutes", "gh-quite-another-secret"); err != nil {
		t.Fatal(v, err)
	}
	if said := returns(t, s, back); !strings.Contains(said.Get("said"),
		"does not know the client woolsignal, or the client's secret is wrong") {
		t.Errorf("a wrong secret: %v", said)
	}
}

func TestTheVerdictNamesTheRemedy(t *testing.T) {
	t.Parallel()
	s := harness.Demo(t)
	ctx := harness.Context(t)
	c := s.As("Ines")
	for _, id := range []string{"shieling", "office-mail", "loft", "clip-register", "depot-calendar", "models",
		"barn-sensors", "gazette", "gazette-search", "weighbridge-key"} {
		if v, err := c.TestConnection(ctx, id); err != nil || !v.Fine {
			t.Errorf("%s: %+v %v", id, v, err)
		}
	}
	for id, want := range map[string]string{"clip-register": "Replace the secret", "office-mail": "Replace the secret",
		"depot-calendar": "Replace the password", "shieling": "Replace the secret", "weighbridge-key": "base64"} {
		if v, err := c.PutSecret(ctx, id, "not-the-right-one"); err != nil || v.Fine ||
			!strings.Contains(v.Remedy, want) {
			t.Errorf("%s with a wrong secret: %+v %v", id, v, err)
		}
	}
	if v, err := c.TestConnection(ctx, "minutes"); err != nil || v.Fine || !strings.Contains(v.Remedy, "Sign in") {
		t.Errorf("minutes: %+v %v", v, err)
	}
	files, err := c.Files(ctx)
	if err != nil {
		t.Fatal(err)
	}
	files["workflows/gang.yaml"] = "workflow: gang\ntitle: Gang log\ntriggers:\n  - id: room\n" +
		"    chat: {connection: shieling, room: gang}\nsteps:\n  - say: {text: Noted.}\n"
	files["connections/depot-calendar.yaml"] = strings.Replace(files["connections/depot-calendar.yaml"], "dock-2",
		"dock-9", 1)
	if _, err := c.Apply(ctx, wire.Files{Files: files}); err != nil {
		t.Fatal(err)
	}
	keys := demoKeys(t, s)
	for id, k := range map[string]string{"shieling": keys.Shieling, "depot-calendar": keys.Almanac} {
		want := map[string]string{"shieling": "Invite the bot to the room gang",
			"depot-calendar": "Correct calendars:"}[id]
		if v, err := c.PutSecret(ctx, id, k); err != nil || v.Fine || !strings.Contains(v.Remedy, want) {
			t.Errorf("%s: %+v %v", id, v, err)
		}
	}
	s.Outside(http.MethodPost, "shieling", "/_invite", map[string]string{"room": "gang"}, nil)
	if v, err := c.TestConnection(ctx, "shieling"); err != nil || !v.Fine {
		t.Errorf("once it is invited: %+v %v", v, err)
	}
	files["connections/clip-register.yaml"] = strings.Replace(files["connections/clip-register.yaml"],
		"networks: [loopback]", "", 1)
	if _, err := c.Apply(ctx, wire.Files{Files: files}); err != nil {
		t.Fatal(err)
	}
	if v, err := c.TestConnection(ctx, "clip-register"); err != nil || v.Fine ||
		!strings.Contains(v.Remedy, "networks: [loopback]") {
		t.Errorf("an address on this machine: %+v %v", v, err)
	}
}

// TestNoSecretIsFoundAnywhere lives through a day of the demo and then looks
// for every secret in the data folder, in what the API gives and in what is
// exported.
func TestNoSecretIsFoundAnywhere(t *testing.T) {
	t.Parallel()
	s := harness.Demo(t)
	returns(t, s, allows(t, authorize(t, s), "yes", "files.read"))
	keys := demoKeys(t, s)
	s.Talk("t1", "My key is "+keys.Register+", can you use it?")
	if out, _, code := s.Command("Elin", "", "connect", "-rotate-key"); code != 0 ||
		!strings.Contains(out, "sealed with a new key") {
		t.Fatalf("rotating: %d %s", code, out)
	}
	if v, err := s.As("Ines").TestConnection(harness.Context(t), "clip-register"); err != nil || !v.Fine {
		t.Errorf("after rotating: %+v %v", v, err)
	}
	s.Kill() // it opens everything with the new key
	if v, err := s.As("Ines").TestConnection(harness.Context(t), "loft"); err != nil || !v.Fine {
		t.Errorf("after a restart: %+v %v", v, err)
	}
	folder := filepath.Join(t.TempDir(), "copy")
	if _, errs, code := s.Command("Ines", "", "export", folder); code != 0 {
		t.Fatal(errs)
	}
	texts := map[string]string{"the program's words": s.Output()}
	for _, root := range []string{s.Data, folder} {
		err := filepath.WalkDir(root, func(path string, d os.DirEntry, err error) error {
			if err != nil || d.IsDir() || d.Name() == "standins.json" || d.Name() == "vault.key" {
				return err // the outside world's own keys are its own
			}
			data, err := os.ReadFile(path)
			texts[path] = string(data)
			return err
		})
		if err != nil {
			t.Fatal(err)
		}
	}
	for _, path := range []string{"/connections", "/connections/clip-register", "/runs",
		"/workflows/depot-slots/chat/t1", "/files", "/today", "/openapi.json", "/tools?limit=500"} {
		texts[path] = raw(t, s, path)
	}
	for what, text := range texts {
		for name, secret := range map[string]string{"the register's key": keys.Register,
			"the mail password": keys.Postbag, "the bot's token": keys.Shieling, "the client's secret": keys.Gatehouse,
			"the model's key": keys.Bellwether} {
			if strings.Contains(text, secret) {
				t.Errorf("%s holds %s", what, name)
			}
		}
	}
}

func raw(t *testing.T, s *harness.Service, path string) string {
	t.Helper()
	request, err := http.NewRequestWithContext(context.Background(), http.MethodGet, s.URL+"/api/v1"+path, nil)
	if err != nil {
		t.Fatal(err)
	}
	request.Header.Set("Authorization", "Bearer "+s.Person("Ines").Token)
	return readAll(t, request)
}

func TestADraftUsesTheConnectionsThatStandIn(t *testing.T) {
	t.Parallel()
	s := harness.Demo(t)
	ctx := harness.Context(t)
	files, err := s.As("Ines").Files(ctx)
	if err != nil {
		t.Fatal(err)
	}
	files["connections/loft-test.yaml"] = strings.NewReplacer("connection: loft", "connection: loft-test",
		"title: Loft", "title: Test Loft", "/files\n", "/files/incoming\n").Replace(files["connections/loft.yaml"])
	files["connections/loft.yaml"] += "drafts_use: loft-test\n"
	files["workflows/note.yaml"] = "workflow: note\ntitle: Note\ninputs: {type: object}\nsteps:\n" +
		"  - tool: loft/write\n    args: {path: note.txt, text: hello, overwrite: true}\n"
	if problems, err := s.As("Ines").Apply(ctx, wire.Files{Files: files}); err != nil {
		t.Fatal(err, problems)
	}
	if _, err := s.As("Ines").PutSecret(ctx, "loft-test", demoKeys(t, s).Gatehouse); err != nil {
		t.Fatal(err)
	}
	id, err := s.As("Ines").Start(ctx, "note", wire.Start{Draft: true})
	if err != nil {
		t.Fatal(err)
	}
	d := s.Ended(id)
	if d.Status != run.Done || !d.Draft || len(d.InPlace) != 1 || d.InPlace[0].Used != "Test Loft" {
		t.Errorf("%s %s: %+v", d.Status, d.Because, d.InPlace)
	}
	if n := s.CountAt("loft", "PUT", "/files/incoming/note.txt", 201, 204, 200); n != 1 {
		t.Errorf("the stand-in was written to %d times", n)
	}
	if out, _, code := s.Command("Ines", "", "runs", id); code != 0 ||
		!strings.Contains(out, "A draft, with Test Loft in place of Loft") {
		t.Errorf("the command line says\n%s", out)
	}
	if _, err := s.As("Ines").Publish(ctx, wire.Publish{Workflows: []string{"note"}}); err != nil {
		t.Fatal(err)
	}
	if id, err = s.As("Ines").Start(ctx, "note", wire.Start{}); err != nil {
		t.Fatal(err)
	}
	if d = s.Ended(id); d.Status != run.Done || d.Draft ||
		s.CountAt("loft", "PUT", "/files/note.txt", 201, 204, 200) != 1 {
		t.Errorf("live: %s %s", d.Status, d.Because)
	}
}

// TestNobodyIsActedForOnAStrangersWord has Elin signed in at Gatehouse, and
// others say that they are she: by mail, by a signal a builder made up, by going
// through her run again.
func TestNobodyIsActedForOnAStrangersWord(t *testing.T) {
	t.Parallel()
	s := harness.Demo(t)
	withElinSignedIn(t, s)
	ctx, elin := harness.Context(t), s.As("Elin")
	id, err := elin.Start(ctx, "reader", wire.Start{})
	if err != nil {
		t.Fatal(err)
	}
	if d := s.Ended(id); d.Status != run.Done {
		t.Fatalf("her own run is %s %s", d.Status, d.Because)
	}
	again, err := s.As("Ines").Again(ctx, id, wire.Again{})
	if err != nil {
		t.Fatal(err)
	}
	actsForNobody(t, s, "her run, gone through again by Ines", again)
	made, err := s.As("Ines").Start(ctx, "reader", wire.Start{Signal: &wire.Signal{Trigger: "called",
		From: map[string]string{"email": "elin@larkrigg.example"}, Body: map[string]any{}}})
	if err != nil {
		t.Fatal(err)
	}
	actsFor(t, s, "a signal with her name", made, "ines@larkrigg.example: Nobody has signed in")
	s.Watching("office-mail", "mails that arrive in INBOX")
	s.Writes(postbag.Letter{From: "elin@larkrigg.example", To: "office@larkrigg.example", Subject: "The minutes",
		Text: "Please read the minutes."})
	d := s.RunOf("reader", "comes by mail", func(d wire.Detail) bool { return d.Signal.Kind == "mail" })
	actsForNobody(t, s, "a mail in her name", d.ID)
	if mine, err := elin.Again(ctx, id, wire.Again{}); err != nil {
		t.Error(err)
	} else if d := s.Ended(mine); d.Status != run.Done {
		t.Errorf("her run, gone through again by herself: %s %s", d.Status, d.Because)
	}
}

// TestAChatNameActsForWhomItIsLinkedTo has a chat server say that Elin writes:
// that counts once she, signed in here, has written her code there.
func TestAChatNameActsForWhomItIsLinkedTo(t *testing.T) {
	t.Parallel()
	s := harness.Demo(t)
	withElinSignedIn(t, s)
	ctx, elin := harness.Context(t), s.As("Elin")
	asks := func(as, text string) wire.Detail {
		s.Types(shieling.Said{As: as, Room: "market", Text: text})
		return s.RunOf("reader", "asks "+text, func(d wire.Detail) bool { return d.Signal.Text == text })
	}
	actsForNobody(t, s, "a name nobody linked", asks("elin", "first").ID)
	code, err := elin.NewChatCode(ctx, "shieling")
	if err != nil {
		t.Fatal(err)
	}
	if _, err := elin.NewChatCode(ctx, "office-mail"); err == nil {
		t.Error("a mailbox has chat names")
	}
	s.Types(shieling.Said{As: "owen", Direct: true, Text: "link AAAA-BBBB-CCCC"})
	s.BotSays("", "Get another on your account's page")
	s.Types(shieling.Said{As: "elin", Direct: true, Text: code.Write})
	s.BotSays("", "You are linked: what you ask for here is done as Elin Marrack")
	if d := s.Ended(asks("elin", "second").ID); d.Status != run.Done {
		t.Errorf("her linked name: %s %s", d.Status, d.Because)
	}
	s.Types(shieling.Said{As: "owen", Direct: true, Text: code.Write}) // she showed it to somebody
	actsForNobody(t, s, "somebody who saw her code", asks("owen", "third").ID)
	if out, _, _ := s.Command("Elin", "", "link"); !strings.Contains(out, "shieling") ||
		!strings.Contains(out, "elin") {
		t.Errorf("woolsignal link: %s", out)
	}
	if err := s.As("Owen").Unlink(ctx, "shieling", "elin"); err == nil {
		t.Error("another took her name off her")
	}
	if err := elin.Unlink(ctx, "shieling", "elin"); err != nil {
		t.Fatal(err)
	}
	actsForNobody(t, s, "her name, unlinked", asks("elin", "fourth").ID)
}

// actsForNobody waits until a run asks for a sign-in since it serves nobody who
// is known.
func actsForNobody(t *testing.T, s *harness.Service, who, id string) {
	t.Helper()
	actsFor(t, s, who, id, "nobody is known here")
}

// actsFor insists that a run waits for a sign-in, and says of whom.
func actsFor(t *testing.T, s *harness.Service, who, id, says string) {
	t.Helper()
	var d wire.Detail
	harness.Eventually(t, who+" waits", func() bool {
		var err error
		d, err = s.As("Ines").Run(harness.Context(t), id)
		return err == nil && (d.Status == run.Waiting || d.Status.Ended())
	})
	if r := s.OpenReview(d); d.Status != run.Waiting || !strings.Contains(r.Ask+": "+r.Why, says) {
		t.Errorf("%s: the run is %s %s, and asks %+v", who, d.Status, d.Because, d.Reviews)
	}
}

// withElinSignedIn puts a workflow in that reads in the name of whom it serves,
// and has Elin sign in there.
func withElinSignedIn(t *testing.T, s *harness.Service) {
	t.Helper()
	ctx := harness.Context(t)
	files, err := s.As("Ines").Files(ctx)
	if err != nil {
		t.Fatal(err)
	}
	files["connections/minutes.yaml"] = strings.Replace(files["connections/minutes.yaml"], "acts_as: builder",
		"acts_as: person", 1)
	files["workflows/reader.yaml"] = strings.Replace(reader, "inputs: {type: object}",
		"triggers:\n  - id: post\n    mail: {connection: office-mail, has: [minutes], every: 1s}\n"+
			"  - id: room\n    chat: {connection: shieling, room: market}\n"+
			"  - id: page\n    chat: {page: reader}\ninputs: {type: object}", 1)
	if problems, err := s.As("Ines").Apply(ctx, wire.Files{Files: files}); err != nil {
		t.Fatal(err, problems)
	}
	if _, err := s.As("Ines").Publish(ctx, wire.Publish{Workflows: []string{"reader"}}); err != nil {
		t.Fatal(err)
	}
	elin := s.As("Elin")
	at, err := elin.SignInElsewhere(ctx, "minutes")
	if err != nil {
		t.Fatal(err)
	}
	if said := returnsTo(t, signedIn(t, s, "Elin"), allows(t, at, "yes", "files.read")); said.Get("fine") != "true" {
		t.Fatal(said)
	}
}
