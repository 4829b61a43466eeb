package e2e_test

import (
	"bufio"
	"context"
	"net/http"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/chromedp"

	"woolsignal/e2e/browser"
	"woolsignal/e2e/harness"
)

// TestARevokedTokenOpensNothingFromThenOn lists a token, follows the service
// with it, and revokes it: the stream ends, and so does everything else.
func TestARevokedTokenOpensNothingFromThenOn(t *testing.T) {
	t.Parallel()
	s := harness.Demo(t)
	c, owen := harness.Context(t), s.Person("Owen")
	made, err := s.As("Owen").NewToken(c, owen.Email, owen.Password)
	if err != nil {
		t.Fatal(err)
	}
	request, err := http.NewRequestWithContext(c, http.MethodGet, s.URL+"/api/v1/live", nil)
	if err != nil {
		t.Fatal(err)
	}
	request.Header.Set("Authorization", "Bearer "+made.Token)
	stream, err := http.DefaultClient.Do(request)
	if err != nil {
		t.Fatal(err)
	}
	defer stream.Body.Close()
	if line, err := bufio.NewReader(stream.Body).ReadString('\n'); err != nil || !strings.HasPrefix(line, "retry") {
		t.Fatalf("%q %v", line, err)
	}
	listed, err := s.As("Owen").Tokens(c)
	if err != nil || len(listed) != 2 { // the demo's and this
		t.Fatalf("%v %v", listed, err)
	}
	if err := s.As("Tobias").Revoke(c, listed[0].ID); err == nil {
		t.Error("another reader's token was revoked by a reviewer")
	}
	if out := does(t, s, "opens nothing any more", "tokens", "-revoke", newest(t, s)); out == "" {
		t.Error("nothing was said")
	}
	for _, l := range listed {
		if l.Name == "command line" {
			if err := s.As("Elin").Revoke(c, l.ID); err != nil { // an owner may
				t.Fatal(err)
			}
		}
	}
	ended := make(chan struct{})
	go func() {
		defer close(ended)
		rest := bufio.NewReader(stream.Body)
		for {
			if _, err := rest.ReadString('\n'); err != nil {
				return
			}
		}
	}()
	select {
	case <-ended:
	case <-time.After(15 * time.Second):
		t.Error("the stream goes on")
	}
	request = request.Clone(context.WithoutCancel(c))
	if answer, err := http.DefaultClient.Do(request); err != nil || answer.StatusCode != http.StatusUnauthorized {
		t.Errorf("the token opens the stream again: %v %v", answer, err)
	}
}

// newest makes another token of Ines's and gives its id.
func newest(t *testing.T, s *harness.Service) string {
	t.Helper()
	ines := s.Person("Ines")
	if _, err := s.As("Ines").NewToken(harness.Context(t), ines.Email, ines.Password); err != nil {
		t.Fatal(err)
	}
	all, err := s.As("Ines").Tokens(harness.Context(t))
	if err != nil {
		t.Fatal(err)
	}
	return all[0].ID
}

// TestConsoleAccount changes a password and revokes a token in the browser.
func TestConsoleAccount(t *testing.T) {
	t.Parallel()
	s := harness.Demo(t)
	ctx, owen := page(t), s.Person("Owen")
	do(t, ctx, browser.SignIn(s.URL, owen.Email, owen.Password), chromedp.Navigate(s.URL+"/account"),
		browser.HasText("Tokens"), browser.HasText("demo"),
		chromedp.SendKeys(labelledInput("The one you have"), "a guess"),
		chromedp.SendKeys(labelledInput("The next"), "another lorry"), chromedp.Click(button("Change it")),
		browser.HasText("The password you have now is another one."),
		chromedp.Navigate(s.URL+"/account"), browser.HasText("Tokens"),
		chromedp.SendKeys(labelledInput("The one you have"), owen.Password),
		chromedp.SendKeys(labelledInput("The next"), "another lorry"), chromedp.Click(button("Change it")),
		browser.HasText("Changed. Other browsers"))
	accessible(t, ctx, "the account page")
	do(t, ctx, chromedp.Click(button("Revoke")), browser.HasText("No program acts as you."))
	if _, err := s.As("Owen").Tokens(harness.Context(t)); err == nil {
		t.Error("the revoked token lists tokens")
	}
}

// labelledInput finds an input by its label.
func labelledInput(label string) chromedp.JSPath {
	return chromedp.JSPath(`[...document.querySelectorAll('label')].find(l => l.textContent === '` +
		label + `').control`)
}

// TestWhatTouchesSafetyIsLogged does what an owner would want to know of, and
// reads the service's log; no password, token or secret stands in it.
func TestWhatTouchesSafetyIsLogged(t *testing.T) {
	t.Parallel()
	before := harness.Demo(t)
	before.Stop()
	s := harness.Start(t, before.Data, "serve") // not -quiet, as the demo is
	s.People = before.People
	c, ines := harness.Context(t), s.Person("Ines")
	made, err := s.As("Owen").NewToken(c, ines.Email, ines.Password)
	if err != nil {
		t.Fatal(err)
	}
	if _, err := s.As("Owen").NewToken(c, "nobody@larkrigg.example\nlevel=ERROR", "a wrong guess"); err == nil {
		t.Error("nobody was given a token")
	}
	if _, err := s.As("Owen").Tools(c, "", "", 5); err == nil {
		t.Error("a reader read the catalogue")
	}
	if _, err := s.As("Ines").PutSecret(c, "clip-register", "a-new-secret-8812"); err != nil {
		t.Fatal(err)
	}
	for _, line := range []string{
		`"did":"make a token","who":"ines@larkrigg.example","from":"127.0.0.1","about":"","refused":false}`,
		`"did":"make a token","who":"nobody@larkrigg.example\nlevel=ERROR","from":"127.0.0.1","about":"the e-mail or`,
		`"did":"ask for what needs another role","who":"owen@larkrigg.example","from":"127.0.0.1","about":"GET /tools`,
		`"did":"give a secret","who":"ines@larkrigg.example","from":"127.0.0.1",` +
			`"about":"/connections/clip-register/secret","refused":false}`} {
		harness.Eventually(t, line, func() bool { return strings.Contains(s.Output(), line) })
	}
	out, errs, code := s.Command("Elin", "", "audit")
	for _, words := range []string{"give a secret", "make a token (refused)", "/connections/clip-register/secret"} {
		if code != 0 || !strings.Contains(out, words) {
			t.Errorf("woolsignal audit does not tell %q:\n%s%s", words, out, errs)
		}
	}
	if out, _, _ := s.Command("Elin", "", "audit", "-who", "owen@larkrigg.example"); strings.Count(out, "\n") != 2 ||
		!strings.Contains(out, "GET /tools as reader") {
		t.Errorf("of one person it tells\n%s", out)
	}
	if _, _, code := s.Command("Ines", "", "audit"); code == 0 {
		t.Error("a builder reads the audit trail")
	}
	for _, hidden := range []string{made.Token, ines.Password + "\"", "a wrong guess", "a-new-secret-8812"} {
		if strings.Contains(s.Output(), hidden) {
			t.Errorf("the log tells %q", hidden)
		}
	}
}
