package api

import (
	"encoding/json"
	"fmt"
	"io/fs"
	"net/http"
	"path"
	"strings"
	"time"

	"woolsignal/core/run"
	"woolsignal/server/access"
	"woolsignal/server/engine"
)

// heartbeat keeps proxies from closing a quiet stream.
const heartbeat = 20 * time.Second

// lookAgain is how soon a stream ends whose token or session did.
const lookAgain = time.Second

// live streams what changes as server-sent events. A conversation's pieces go
// only to the person whose it is, and to builders.
func (a *API) live(w http.ResponseWriter, r *http.Request) error {
	p := person(r.Context())
	if !a.streams.open(p) {
		w.Header().Set("Retry-After", "60")
		return refuse(http.StatusTooManyRequests, "Too many streams", fmt.Sprintf(
			"You have %d open, which is the most; close some of them.", mostStreams))
	}
	defer a.streams.close(p)
	control := http.NewResponseController(w)
	w.Header().Set("Content-Type", "text/event-stream")
	w.Header().Set("Cache-Control", "no-store")
	w.Header().Set("X-Accel-Buffering", "no")
	news, end := a.Engine.Hub.Listen()
	defer end()
	if _, err := fmt.Fprint(w, "retry: 1000\n\nevent: ready\ndata: {}\n\n"); err != nil {
		return nil
	}
	if err := control.Flush(); err != nil {
		return err
	}
	beat, again := time.NewTicker(heartbeat), time.NewTicker(lookAgain)
	defer beat.Stop()
	defer again.Stop()
	for {
		var err error
		select {
		case n := <-news:
			if !mayHear(p, n.Thread) {
				continue
			}
			if n.Kind == "piece" && !p.Role.Allows(access.Builder) &&
				run.ParseThread(n.Thread).Source != consoleSource(p) {
				continue
			}
			err = event(w, n)
		case <-beat.C:
			_, err = fmt.Fprint(w, ": still here\n\n")
		case <-again.C:
			token, cookie := shown(r)
			// Signed out, revoked, or of another role by now?
			if now, err := a.Access.Stands(r.Context(), token, cookie); err != nil || now != p {
				return nil
			}
			continue
		case <-r.Context().Done():
			return nil
		}
		if err == nil {
			err = control.Flush()
		}
		if err != nil {
			return nil // the browser went away
		}
	}
}

func event(w http.ResponseWriter, n engine.News) error {
	data, err := json.Marshal(n)
	if err != nil {
		return err
	}
	_, err = fmt.Fprintf(w, "event: %s\ndata: %s\n\n", n.Kind, data)
	return err
}

// console serves the built console; any address that is no file is a page of
// it, which the browser lays out.
func (a *API) console(w http.ResponseWriter, r *http.Request) {
	name := strings.TrimPrefix(path.Clean(r.URL.Path), "/")
	if info, err := fs.Stat(a.Console, name); name == "" || err != nil || info.IsDir() {
		if strings.HasPrefix(name, "assets/") {
			http.NotFound(w, r)
			return
		}
		name = "index.html"
	}
	if strings.HasPrefix(name, "assets/") {
		w.Header().Set("Cache-Control", "public, max-age=31536000, immutable") // their names change with their content
	} else {
		w.Header().Set("Cache-Control", "no-cache")
	}
	if _, err := fs.Stat(a.Console, name); err != nil {
		http.Error(w, "The console was not built into this program. Build it with: make build", http.StatusNotFound)
		return
	}
	http.ServeFileFS(w, r, a.Console, name)
}
