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

func (a *API) paused(_ *request, _ none) (wire.Switch, error) {
	return wire.Switch{On: !a.Engine.Paused()}, nil
}

func (a *API) pause(r *request, in wire.Switch) (wire.Switch, error) {
	if err := a.Engine.Pause(r.Context(), !in.On); err != nil {
		return wire.Switch{}, err
	}
	r.touches(onOrOff(in.On))
	return in, nil
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
	w.Header().Set("Content-Disposition", `attachment; filename="woolsignal-`+time.Now().UTC().Format("2006-01-02")+
		`.db"`)
	_, err = io.Copy(w, file)
	return err
}

// language tells what files can say, for forms.
func (a *API) language(_ *request, _ none) (flow.Language, error) {
	return flow.TheLanguage(), nil
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
