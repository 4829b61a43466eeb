// Package loft plays the co-operative's files: a WebDAV server (RFC 4918)
// that asks for a token of Gatehouse with the right scope.
package loft

import (
	_ "embed"
	"fmt"
	"html"
	"net/http"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"github.com/emersion/go-webdav"

	"woolsignal/standin/ledger"
)

// LotSheet is the template of a wool sale's sheet.
//
//go:embed lot-sheet.txt
var LotSheet []byte

// Rules are the depot's, and Recording is what the shearing gang's foreman said.
var (
	//go:embed rules.txt
	Rules []byte
	//go:embed recording.txt
	Recording []byte
)

// New makes the server over a folder. allows tells what a token is good for.
func New(folder string, allows func(token, scope string) (int, string)) (http.Handler, error) {
	for _, dir := range []string{"templates", "sales", "invoices", "incoming", "recordings"} {
		if err := os.MkdirAll(filepath.Join(folder, "files", dir), 0o755); err != nil {
			return nil, fmt.Errorf("loft: %w", err)
		}
	}
	for name, data := range map[string][]byte{"templates/lot-sheet.txt": LotSheet, "rules.txt": Rules,
		"recordings/" + time.Now().Format(time.DateOnly) + ".txt": Recording} {
		if err := os.WriteFile(filepath.Join(folder, "files", name), data, 0o644); err != nil {
			return nil, fmt.Errorf("loft: %w", err)
		}
	}
	dav := &webdav.Handler{FileSystem: webdav.LocalFileSystem(folder)}
	changes := []string{"PUT", "DELETE", "MKCOL", "COPY", "MOVE"}
	return ledger.Wrap(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if r.URL.Path == "/" && r.Method == http.MethodGet {
			list(w, folder)
			return
		}
		if r.URL.Path == "/_put" { // what the demo's outside people do
			put(w, r, folder)
			return
		}
		scope := "files.read"
		if slices.Contains(changes, r.Method) {
			scope = "files.write"
		}
		if status, why := allows(strings.TrimPrefix(r.Header.Get("Authorization"), "Bearer "),
			scope); status != http.StatusOK {
			http.Error(w, why, status)
			return
		}
		if !strings.HasPrefix(r.URL.Path, "/files") {
			http.NotFound(w, r)
			return
		}
		dav.ServeHTTP(w, r)
	})), nil
}

// put drops a file into a folder, as somebody of the co-operative would.
func put(w http.ResponseWriter, r *http.Request, folder string) {
	name := filepath.Clean("/" + r.URL.Query().Get("path"))
	at := filepath.Join(folder, "files", name)
	data := make([]byte, 0, 1024)
	buf := make([]byte, 32<<10)
	for len(data) < 10<<20 {
		n, err := r.Body.Read(buf)
		data = append(data, buf[:n]...)
		if err != nil {
			break
		}
	}
	err := os.MkdirAll(filepath.Dir(at), 0o755)
	if err == nil {
		err = os.WriteFile(at, data, 0o644)
	}
	if err != nil {
		http.Error(w, err.Error(), http.StatusUnprocessableEntity)
		return
	}
	w.WriteHeader(http.StatusCreated)
}

// list shows what is there.
func list(w http.ResponseWriter, folder string) {
	w.Header().Set("Content-Type", "text/html; charset=utf-8")
	fmt.Fprint(w,
		`<!doctype html><html lang="en"><head><meta charset="utf-8"><title>Loft</title><style>body{font:16px/1.5 `+
			`system-ui;max-width:50rem;margin:2rem auto;padding:0 1rem}</style></head><body><h1>Loft</h1><p>The `+
			`demo's simulated files. Put one in with <code>curl -T FILE '…/_put?path=incoming/NAME' -X `+
			`POST</code>.</p><ul>`)
	root := filepath.Join(folder, "files")
	_ = filepath.WalkDir(root, func(p string, d os.DirEntry, err error) error { // what cannot be read is not shown
		if err == nil && !d.IsDir() {
			name, _ := filepath.Rel(root, p)
			data, _ := os.ReadFile(p)
			fmt.Fprintf(w, "<li><b>%s</b><pre>%s</pre></li>", html.EscapeString(name),
				html.EscapeString(strings.ToValidUTF8(string(data[:min(len(data), 4000)]), "·")))
		}
		return nil
	})
	fmt.Fprint(w, "</ul></body></html>")
}
