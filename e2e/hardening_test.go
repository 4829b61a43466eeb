package e2e_test

import (
	"net/http"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"woolsignal/e2e/harness"
)

// TestTheDataFolderIsItsOwnersAlone begins in a folder others may look into, with
// files as a careless copy leaves them.
func TestTheDataFolderIsItsOwnersAlone(t *testing.T) {
	t.Parallel()
	data := t.TempDir()
	if err := os.Chmod(data, 0o755); err != nil {
		t.Fatal(err)
	}
	s := harness.Start(t, data, "serve")
	s.Stop()
	for _, name := range []string{"woolsignal.db", "vault.key"} {
		if err := os.Chmod(filepath.Join(data, name), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	harness.Start(t, data, "serve")
	files, err := os.ReadDir(data)
	if err != nil {
		t.Fatal(err)
	}
	for _, f := range files {
		info, err := f.Info()
		if err != nil {
			t.Fatal(err)
		}
		if info.Mode().Perm()&0o077 != 0 {
			t.Errorf("%s may be read by others: %v", f.Name(), info.Mode())
		}
	}
	if len(files) < 3 {
		t.Errorf("the folder has only %v", files)
	}
}

// TestAPublicHTTPSAddressStaysHTTPS asks by plain HTTP, as a proxy does.
func TestAPublicHTTPSAddressStaysHTTPS(t *testing.T) {
	t.Parallel()
	for public, want := range map[string]string{"https://wool.example": "max-age=31536000", "http://wool.example": ""} {
		s := harness.Start(t, t.TempDir(), "serve", "-public-url", public)
		for _, path := range []string{"/", "/api/v1/session", "/slip/nothing"} {
			response, err := http.Get(s.URL + path)
			if err != nil {
				t.Fatal(err)
			}
			response.Body.Close()
			if got := response.Header.Get("Strict-Transport-Security"); got != want {
				t.Errorf("%s under %s: %q", path, public, got)
			}
		}
	}
}

// TestStreamsAPersonAreBounded opens the most, one more, and one of somebody else.
func TestStreamsAPersonAreBounded(t *testing.T) {
	t.Parallel()
	s := harness.Demo(t)
	open := func(first string) *http.Response {
		t.Helper()
		request, err := http.NewRequestWithContext(harness.Context(t), http.MethodGet, s.URL+"/api/v1/live", nil)
		if err != nil {
			t.Fatal(err)
		}
		request.Header.Set("Authorization", "Bearer "+s.Person(first).Token)
		response, err := http.DefaultClient.Do(request)
		if err != nil {
			t.Fatal(err)
		}
		t.Cleanup(func() { response.Body.Close() })
		return response
	}
	var all []*http.Response
	for i := range 50 {
		all = append(all, open("Owen"))
		if all[i].StatusCode != http.StatusOK {
			t.Fatalf("stream %d: %s", i+1, all[i].Status)
		}
	}
	if r := open("Owen"); r.StatusCode != http.StatusTooManyRequests || r.Header.Get("Retry-After") == "" {
		t.Errorf("one more: %s", r.Status)
	}
	if r := open("Elin"); r.StatusCode != http.StatusOK {
		t.Errorf("somebody else's: %s", r.Status)
	}
	all[0].Body.Close()
	harness.Eventually(t, "one that ended makes room", func() bool { return open("Owen").StatusCode == http.StatusOK })
}

// TestNobodyPutsWordsIntoOurMouth makes an address that says something.
func TestNobodyPutsWordsIntoOurMouth(t *testing.T) {
	t.Parallel()
	s := harness.Demo(t)
	browser := signedIn(t, s, "Ines")
	said := returnsTo(t, browser, s.URL+"/oauth/return/minutes?state=made-up&error_description="+
		"Call+this+number+and+tell+your+password")
	if strings.Contains(said.Get("said"), "number") || said.Get("said") == "" {
		t.Errorf("it says %v", said)
	}
}
