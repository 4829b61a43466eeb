package protocol_test

import (
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"golang.org/x/net/webdav"

	"woolsignal/server/tool"
)

// share is a WebDAV server of a folder, with what a test lets go wrong.
func share(t *testing.T, spoil func(http.ResponseWriter, *http.Request) bool) (*bench, string) {
	t.Helper()
	folder := t.TempDir()
	files := &webdav.Handler{FileSystem: webdav.Dir(folder), LockSystem: webdav.NewMemLS()}
	s := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		r.Header.Del("If-None-Match") // a server that does not know the condition
		if spoil == nil || !spoil(w, r) {
			files.ServeHTTP(w, r)
		}
	}))
	t.Cleanup(s.Close)
	return made(t, map[string]string{"connections/share.yaml": "connection: share\ntitle: Share\naddress: " + s.URL +
		"\nauth: {bearer: x}\nnetworks: [loopback]\nwebdav: {}\n"}, map[string]string{"share": "good"}), folder
}

// TestALargeFileIsNotReplaced writes where a file stands that is larger than an
// answer may be: it was taken for missing, and lost.
func TestALargeFileIsNotReplaced(t *testing.T) {
	b, folder := share(t, nil)
	at := filepath.Join(folder, "clip.mov")
	if err := os.WriteFile(at, make([]byte, 9<<20), 0o600); err != nil {
		t.Fatal(err)
	}
	b.refuses("is there already", "share/write", map[string]any{"path": "clip.mov", "text": "x"})
	if _, err := b.try("share/write", map[string]any{"path": "clip.mov", "text": "x"},
		tool.Sending{Again: true}); err == nil {
		t.Error("sent again, it was written over what nobody could compare")
	}
	if info, err := os.Stat(at); err != nil || info.Size() != 9<<20 {
		t.Errorf("the file is %v, %v", info, err)
	}
	b.must("share/write", map[string]any{"path": "clip.mov", "text": "x", "overwrite": true})
}

// TestNothingIsWrittenWhereItCannotBeToldWhatStandsThere has looking fail.
func TestNothingIsWrittenWhereItCannotBeToldWhatStandsThere(t *testing.T) {
	b, folder := share(t, func(w http.ResponseWriter, r *http.Request) bool {
		if r.Method == "PROPFIND" && strings.HasSuffix(r.URL.Path, "sheet.txt") {
			w.WriteHeader(http.StatusInternalServerError)
			return true
		}
		return false
	})
	if err := os.WriteFile(filepath.Join(folder, "sheet.txt"), []byte("old"), 0o600); err != nil {
		t.Fatal(err)
	}
	if v, err := b.try("share/write", map[string]any{"path": "sheet.txt", "text": "new"}, tool.Sending{}); err == nil {
		t.Errorf("it was written: %v", v)
	}
	if data, err := os.ReadFile(filepath.Join(folder, "sheet.txt")); err != nil || string(data) != "old" {
		t.Errorf("%q, %v", data, err)
	}
}

// TestACopyThatIsSentAgainReplacesNothing copies to where somebody else's file
// stands by now.
func TestACopyThatIsSentAgainReplacesNothing(t *testing.T) {
	b, folder := share(t, nil)
	for name, text := range map[string]string{"from.txt": "ours", "to.txt": "theirs", "done.txt": "ours"} {
		if err := os.WriteFile(filepath.Join(folder, name), []byte(text), 0o600); err != nil {
			t.Fatal(err)
		}
	}
	again := tool.Sending{Again: true}
	if v, err := b.try("share/copy", map[string]any{"from": "from.txt", "to": "to.txt"}, again); err == nil {
		t.Errorf("it was replaced: %v", v)
	}
	if _, err := b.try("share/copy", map[string]any{"from": "from.txt", "to": "done.txt"}, again); err != nil {
		t.Errorf("what an earlier try did: %v", err)
	}
	if data, _ := os.ReadFile(filepath.Join(folder, "to.txt")); string(data) != "theirs" {
		t.Errorf("%q", data)
	}
}

// TestPathsThatLeadElsewhereAreRefused asks every tool of a share to leave its
// folder, or to do something with all of it.
func TestPathsThatLeadElsewhereAreRefused(t *testing.T) {
	b, folder := share(t, nil)
	for _, name := range []string{"sales", "minutes"} {
		if err := os.MkdirAll(filepath.Join(folder, name), 0o700); err != nil {
			t.Fatal(err)
		}
		if err := os.WriteFile(filepath.Join(folder, name, "a.txt"), []byte("kept"), 0o600); err != nil {
			t.Fatal(err)
		}
	}
	for _, bad := range []string{".", "/", "//", "./", "..", "../x", "sales/..",
		"sales/../minutes/a.txt", "sales//a.txt", `sales\..\minutes`, "sales/./a.txt", "\x00"} {
		for name, args := range map[string]map[string]any{
			"share/remove": {"path": bad}, "share/read": {"path": bad},
			"share/write": {"path": bad, "text": "x", "overwrite": true},
			"share/copy":  {"from": bad, "to": "copy"}, "share/move": {"from": bad, "to": "moved"},
			"share/fill_template": {"template": "sales/a.txt", "to": bad, "values": map[string]any{}},
		} {
			if v, err := b.try(name, args, tool.Sending{}); err == nil {
				t.Errorf("%s %v: %v", name, args, v)
			}
		}
		if _, err := b.try("share/copy", map[string]any{"from": "sales/a.txt", "to": bad}, tool.Sending{}); err == nil {
			t.Errorf("copied to %q", bad)
		}
	}
	for _, name := range []string{"sales", "minutes"} {
		if data, err := os.ReadFile(filepath.Join(folder, name, "a.txt")); err != nil || string(data) != "kept" {
			t.Errorf("%s: %q, %v", name, data, err)
		}
	}
	if entries := b.must("share/list", map[string]any{})["entries"].([]any); len(entries) != 2 {
		t.Errorf("the share has %v", entries)
	}
}
