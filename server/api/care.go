package api

import (
	"io"
	"net/http"
	"os"
	"path/filepath"
	"strings"
	"time"

	"github.com/go-chi/chi/v5"

	"woolsignal/core/flow"
	"woolsignal/wire"
)

func (a *API) paused(w http.ResponseWriter, _ *http.Request) error {
	return reply(w, wire.Switch{On: !a.Engine.Paused()})
}

func (a *API) pause(w http.ResponseWriter, r *http.Request) error {
	in, err := decode[wire.Switch](r)
	if err != nil {
		return err
	}
	if err := a.Engine.Pause(r.Context(), !in.On); err != nil {
		return err
	}
	return reply(w, in)
}

// backup sends a copy of the database as it is at one moment, while the
// service goes on.
func (a *API) backup(w http.ResponseWriter, r *http.Request) error {
	folder, err := os.MkdirTemp("", "woolsignal-backup-")
	if err != nil {
		return err
	}
	defer os.RemoveAll(folder)
	path := filepath.Join(folder, "woolsignal.db")
	if err := a.Store.Backup(r.Context(), path); err != nil {
		return err
	}
	file, err := os.Open(path)
	if err != nil {
		return err
	}
	defer file.Close()
	w.Header().Set("Content-Type", "application/vnd.sqlite3")
	w.Header().Set("Content-Disposition", `attachment; filename="woolsignal-`+time.Now().UTC().Format("2006-01-02")+`.db"`)
	_, err = io.Copy(w, file)
	return err
}

// language tells what files can say, for forms.
func (a *API) language(w http.ResponseWriter, _ *http.Request) error {
	return reply(w, flow.TheLanguage())
}

// fileSchema serves the JSON Schema of a kind of file, for editors.
func (a *API) fileSchema(w http.ResponseWriter, r *http.Request) error {
	kind := strings.TrimSuffix(chi.URLParam(r, "kind"), ".json")
	text, ok := flow.FileSchema(kind)
	if !ok {
		return refuse(http.StatusNotFound, "Not here", "There are schemas of "+strings.Join(flow.FileKinds(), ", ")+".")
	}
	w.Header().Set("Content-Type", "application/schema+json")
	_, err := io.WriteString(w, text)
	return err
}
