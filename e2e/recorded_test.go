package e2e_test

import (
	"net/http"
	"strings"
	"testing"

	"woolsignal/demo"
	"woolsignal/e2e/harness"
	"woolsignal/server/audit"
	"woolsignal/wire"
)

// recordedOf counts what stands in the audit trail of somebody, by what was done, with words
// that stand in what it was done to.
func recordedOf(t *testing.T, s *harness.Service, who, did, about string, refused bool) (n int) {
	t.Helper()
	all, err := s.As("Elin").Audit(harness.Context(t), who, 500)
	if err != nil {
		t.Fatal(err)
	}
	for _, e := range all {
		if e.Did == did && e.Refused == refused && strings.Contains(e.About, about) {
			n++
		}
	}
	return n
}

// TestWhatIsDoneIsRecorded does what left no record once: typing is noted once an hour,
// a try says that it was real, files by their names, and guesses as refused.
func TestWhatIsDoneIsRecorded(t *testing.T) {
	t.Parallel()
	s := harness.Demo(t)
	ctx, ines := harness.Context(t), s.As("Ines")
	who := s.Person("Ines").Email
	for range 3 {
		w, err := ines.Workflow(ctx, "weighbridge")
		if err != nil {
			t.Fatal(err)
		}
		if _, err := ines.Edit(ctx, "weighbridge", wire.Draft{Text: w.Text + "\n", From: w.Text}); err != nil {
			t.Fatal(err)
		}
	}
	if n := recordedOf(t, s, who, audit.EditDraft, "/workflows/weighbridge/draft", false); n != 1 {
		t.Errorf("three changes to a draft are %d entries, not one", n)
	}
	if err := with(t, s, "spender", strings.Replace(spender, "BUDGET", "day: 1", 1)); err != nil {
		t.Fatal(err)
	}
	if n := recordedOf(t, s, who, audit.PutFiles, "workflows/spender.yaml", false); n != 1 {
		t.Errorf("%d entries name the file that was put", n)
	}
	given := map[string]any{"inputs": map[string]any{"text": "Wool."}}
	if _, err := ines.Try(ctx, "spender", wire.Try{Send: true, Given: given}); err != nil {
		t.Fatal(err)
	}
	if n := recordedOf(t, s, who, audit.Try, "with real effects", false); n != 1 {
		t.Errorf("a try with real effects is %d entries", n)
	}
	guess(t, s)
	if n := recordedOf(t, s, "", audit.WrongToken, "GET /runs", true); n != 1 {
		t.Errorf("five wrong tokens within a minute are %d entries, not one", n)
	}
	if n := recordedOf(t, s, "", audit.BadSignature, "/in/", true); n != 1 {
		t.Errorf("five wrong signatures within a minute are %d entries, not one", n)
	}
}

// guessed is a key that no sender was given.
const guessed = "whsec_Z3Vlc3NlZGd1ZXNzZWRndWVzc2Vk"

// guess shows tokens that are none, and delivers with signatures that do not hold.
func guess(t *testing.T, s *harness.Service) {
	t.Helper()
	ctx := harness.Context(t)
	for range 5 {
		request, err := http.NewRequestWithContext(ctx, http.MethodGet, s.URL+"/api/v1/runs", nil)
		if err != nil {
			t.Fatal(err)
		}
		request.Header.Set("Authorization", "Bearer ws_guessed")
		response, err := http.DefaultClient.Do(request)
		if err != nil {
			t.Fatal(err)
		}
		response.Body.Close()
		response, err = demo.Post(ctx, s.URL, "weighbridge", guessed, "guess", map[string]any{})
		if err != nil {
			t.Fatal(err)
		}
		if response.Body.Close(); response.StatusCode != http.StatusUnauthorized {
			t.Errorf("a delivery with a guessed key is answered %s", response.Status)
		}
	}
}
