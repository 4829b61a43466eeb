package client_test

import (
	"context"
	"errors"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"woolsignal/client"
)

func TestAnswersThatAreNoSuccess(t *testing.T) {
	for name, c := range map[string]struct {
		status     int
		body, want string
	}{
		"a problem": {403, `{"title":"Not allowed","status":403,"detail":"This needs the role owner."}`,
			"Not allowed: This needs the role owner."},
		"only a title":     {404, `{"title":"Not here"}`, "Not here"},
		"a proxy's page":   {502, `<html>bad gateway</html>`, "502 Bad Gateway: <html>bad gateway</html>"},
		"success, no JSON": {200, `<html>`, "cannot be read"},
	} {
		server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
			if r.Header.Get("Authorization") != "Bearer token" {
				t.Errorf("%s: the token was not sent", name)
			}
			w.WriteHeader(c.status)
			_, _ = w.Write([]byte(c.body))
		}))
		_, err := (&client.Client{URL: server.URL + "/", Token: "token"}).Session(context.Background())
		server.Close()
		if err == nil || !strings.Contains(err.Error(), c.want) {
			t.Errorf("%s: %v, want %q", name, err, c.want)
		}
		var p *client.Problem
		if errors.As(err, &p) != (c.status >= 400) {
			t.Errorf("%s: %T", name, err)
		}
	}
}

func TestNobodyAnswers(t *testing.T) {
	server := httptest.NewServer(http.NotFoundHandler())
	server.Close()
	_, err := (&client.Client{URL: server.URL}).Workflows(context.Background())
	if !errors.Is(err, client.ErrUnreachable) || !strings.Contains(err.Error(), "WOOLSIGNAL_URL") {
		t.Errorf("a service that is not there: %v", err)
	}
}

func TestFoldersAreReadWholeButForWhatIsHidden(t *testing.T) {
	folder := t.TempDir()
	for path, text := range map[string]string{"woolsignal.yaml": "a", "workflows/one.yaml": "b\r\n", ".git/config": "c",
		".hidden": "d", "agents/.x.swp": "e"} {
		at := filepath.Join(folder, path)
		if err := os.MkdirAll(filepath.Dir(at), 0o755); err != nil {
			t.Fatal(err)
		}
		if err := os.WriteFile(at, []byte(text), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	files, err := client.ReadFolder(folder)
	if err != nil || len(files) != 2 || files["workflows/one.yaml"] != "b\r\n" {
		t.Errorf("%v, %v", files, err)
	}
	if _, err := client.ReadFolder(filepath.Join(folder, "missing")); !errors.Is(err, os.ErrNotExist) {
		t.Errorf("a folder that is not there: %v", err)
	}
}

func TestAFolderMayBeALink(t *testing.T) {
	folder := t.TempDir()
	if err := os.WriteFile(filepath.Join(folder, "woolsignal.yaml"), []byte("name: X\n"), 0o644); err != nil {
		t.Fatal(err)
	}
	link := filepath.Join(t.TempDir(), "link")
	if err := os.Symlink(folder, link); err != nil {
		t.Fatal(err)
	}
	files, err := client.ReadFolder(link)
	if err != nil || files["woolsignal.yaml"] != "name: X\n" || len(files) != 1 {
		t.Errorf("%v %v", files, err)
	}
}
