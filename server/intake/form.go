package intake

import (
	"context"
	"embed"
	"errors"
	"fmt"
	"html/template"
	"io"
	"log/slog"
	"mime/multipart"
	"net/http"
	"net/mail"
	"net/url"
	"slices"
	"strconv"
	"strings"
	"sync"
	"time"
	"unicode/utf8"

	"github.com/go-chi/chi/v5"
	"github.com/google/uuid"

	"woolsignal/core/flow"
	"woolsignal/core/run"
	"woolsignal/core/trigger"
	"woolsignal/server/engine"
	"woolsignal/server/problem"
	"woolsignal/server/store"
	"woolsignal/server/tool"
	"woolsignal/server/workspace"
)

//go:embed pages/*.html
var pages embed.FS

var formPages = template.Must(template.ParseFS(pages, "pages/*.html"))

// Forms shows hosted forms at /slip/{page} and takes in what is sent from
// them. They need no script and no cookie.
type Forms struct {
	Workspace *workspace.Holder
	Engine    *engine.Engine
	Kit       *tool.Kit
	Log       *slog.Logger
	Limits    *Limits

	keeping sync.Mutex // held while one form's files are kept
}

// shown is what a form's page is made of.
type shown struct {
	Workspace string
	Title     string
	Form      *trigger.Form
	Fields    []shownField
	Problems  int
	Once      string // told from a second press of the same button by this
	Thanks    string
}

type shownField struct {
	trigger.FormField
	Value, Problem string
}

// Input is the kind of HTML input that asks for the field.
func (f shownField) Input() string {
	switch f.Type {
	case "number", "date", "email", "file":
		return f.Type
	case "phone":
		return "tel"
	}
	return "text"
}

// find gives the live workflow a page belongs to.
func (h *Forms) find(page string) (string, *flow.Trigger, string) {
	for id, w := range h.Workspace.Live() {
		for _, t := range w.Triggers {
			if f, is := t.Is.(*trigger.Form); is && f.Page == page {
				return id, &t, w.Title
			}
		}
	}
	return "", nil, ""
}

// ServeHTTP shows a form, or takes one in.
func (h *Forms) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	workflow, t, title := h.find(chi.URLParam(r, "page"))
	if t == nil {
		h.show(w, http.StatusNotFound, "gone.html", shown{Workspace: h.Workspace.Now().Name})
		return
	}
	form := t.Is.(*trigger.Form)
	if form.Title != "" {
		title = form.Title
	}
	view := shown{Workspace: h.Workspace.Now().Name, Title: title, Form: form, Once: uuid.Must(uuid.NewV7()).String()}
	switch r.Method {
	case http.MethodGet, http.MethodHead:
		for _, f := range form.Asks {
			view.Fields = append(view.Fields, shownField{FormField: f})
		}
		h.show(w, http.StatusOK, "form.html", view)
	case http.MethodPost:
		h.submit(w, r, workflow, t, view)
	default:
		w.Header().Set("Allow", "GET, POST")
		problem.Write(w, http.StatusMethodNotAllowed, "Wrong method", "Forms are read with GET and sent with POST.")
	}
}

func (h *Forms) show(w http.ResponseWriter, status int, page string, view shown) {
	w.Header().Set("Content-Type", "text/html; charset=utf-8")
	w.Header().Set("Cache-Control", "no-store")
	w.WriteHeader(status)
	if err := formPages.ExecuteTemplate(w, page, view); err != nil {
		h.Log.Error("a form could not be shown", "error", err)
	}
}

// largestFile bounds one file of a form, in bytes; largestForm all of it.
const (
	largestFile = 25 << 20
	largestForm = 60 << 20
)

func (h *Forms) submit(w http.ResponseWriter, r *http.Request, workflow string, t *flow.Trigger, view shown) {
	if !h.Limits.mayOpen(r) {
		tooOften(w)
		return
	}
	r.Body = http.MaxBytesReader(w, r.Body, largestForm)
	files, err := sent(r)
	defer discard(r)
	var large *http.MaxBytesError
	switch {
	case errors.As(err, &large):
		problem.Write(w, http.StatusRequestEntityTooLarge, "Too large",
			fmt.Sprintf("A form may have %d MB with all its files.", largestForm>>20))
		return
	case err != nil:
		problem.Write(w, http.StatusBadRequest, "This is not a form", err.Error()+".")
		return
	}
	body := view.fill(r.PostForm, files)
	if view.Problems > 0 {
		h.show(w, http.StatusUnprocessableEntity, "form.html", view)
		return
	}
	kept, err := h.keep(r.Context(), view.Form, files)
	if err == nil {
		_, err = h.Engine.Accept(r.Context(),
			engine.Admission{Workflow: workflow,
				Signal: &run.Signal{ID: once(r.PostForm), Source: t.Source(), Type: "form.sent", Kind: "form",
					Trigger: t.ID, Time: time.Now().UTC().Truncate(time.Millisecond), Body: body, Files: kept,
					Stranger: true}})
	}
	switch {
	case errors.Is(err, store.ErrNoRoom):
		h.Log.Warn("a form's files were refused", "workflow", workflow, "error", err)
		problem.Write(w, http.StatusInsufficientStorage, "There is no room for more files today",
			"Send the form without its files, or tomorrow.")
	case err != nil:
		if !errors.Is(err, engine.ErrBusy) {
			h.Log.Error("a form could not be taken in", "workflow", workflow, "error", err)
		}
		notTaken(w)
	default:
		view.Thanks = view.Form.Thanks
		h.show(w, http.StatusOK, "thanks.html", view)
	}
}

// once is what tells a second press of the same button from another form.
func once(values url.Values) string {
	id := strings.Join(values["_once"], "")
	if id == "" || len(id) > 100 {
		id = uuid.Must(uuid.NewV7()).String()
	}
	return id
}

// fill reads the fields the form asks for; what else was sent is left alone.
func (v *shown) fill(values url.Values, files map[string][]*multipart.FileHeader) map[string]any {
	body := map[string]any{}
	for _, f := range v.Form.Asks {
		one := shownField{FormField: f, Value: strings.TrimSpace(strings.Join(values[f.Name], ", "))}
		if f.Type == "file" {
			one.Value, one.Problem = "", fileProblem(f, files[f.Name])
		} else if read, why := fieldValue(f, one.Value); why != "" {
			one.Problem = why
		} else if read != nil {
			body[f.Name] = read
		}
		if one.Problem != "" {
			v.Problems++
		}
		v.Fields = append(v.Fields, one)
	}
	return body
}

// inMemory is how much of a form's files is held in memory while it is read;
// the rest waits on the disk.
const inMemory = 1 << 20

// sent reads what was sent, as a form with or without files, and gives these
// without the empty ones browsers send where none was chosen.
func sent(r *http.Request) (map[string][]*multipart.FileHeader, error) {
	err := r.ParseMultipartForm(inMemory)
	if errors.Is(err, http.ErrNotMultipart) {
		return nil, r.ParseForm()
	} else if err != nil {
		return nil, err
	}
	for name, all := range r.PostForm {
		if !utf8.ValidString(strings.Join(all, "")) {
			return nil, fmt.Errorf("%s is not UTF-8", name)
		}
	}
	files := map[string][]*multipart.FileHeader{}
	for name, all := range r.MultipartForm.File {
		files[name] = slices.DeleteFunc(slices.Clone(all), func(f *multipart.FileHeader) bool { return f.Size == 0 })
	}
	return files, nil
}

// discard removes what of a form waits on the disk.
func discard(r *http.Request) {
	if r.MultipartForm != nil {
		_ = r.MultipartForm.RemoveAll() // what is left is in the system's folder for passing things
	}
}

// keep keeps the files of the fields that ask for some. One form's files at a
// time are in memory whole.
func (h *Forms) keep(ctx context.Context, form *trigger.Form, files map[string][]*multipart.FileHeader) ([]run.File,
	error) {
	h.keeping.Lock()
	defer h.keeping.Unlock()
	var kept []run.File
	for _, f := range form.Asks {
		if f.Type != "file" {
			continue
		}
		for _, one := range files[f.Name] {
			data, err := bytesOf(one)
			if err != nil {
				return nil, err
			}
			file, err := h.Kit.Leave(ctx, one.Filename, one.Header.Get("Content-Type"), data)
			if err != nil {
				return nil, err
			}
			file.Field = f.Name
			kept = append(kept, file)
		}
	}
	return kept, nil
}

func bytesOf(f *multipart.FileHeader) ([]byte, error) {
	file, err := f.Open()
	if err != nil {
		return nil, err
	}
	defer file.Close()
	return io.ReadAll(file)
}

// mostFiles bounds how many files one field takes.
const mostFiles = 10

func fileProblem(f trigger.FormField, files []*multipart.FileHeader) string {
	switch {
	case len(files) == 0 && f.Required:
		return "Please choose a file."
	case len(files) > mostFiles:
		return fmt.Sprintf("At most %d files, please.", mostFiles)
	}
	for _, one := range files {
		if one.Size > int64(min(f.Longest(), largestFile)) {
			return "The file may have " + size(min(f.Longest(), largestFile)) + " at most."
		}
	}
	return ""
}

// size says how many bytes that are.
func size(bytes int) string {
	switch {
	case bytes >= 1<<20:
		return fmt.Sprintf("%d MB", bytes>>20)
	case bytes >= 1<<10:
		return fmt.Sprintf("%d KB", bytes>>10)
	}
	return fmt.Sprintf("%d bytes", bytes)
}

// fieldValue reads a field as its type; why is "" where it is one.
func fieldValue(f trigger.FormField, text string) (v any, why string) {
	if text == "" {
		if !f.Required {
			return nil, ""
		}
		return nil, "Please fill this in."
	}
	switch f.Type {
	case "number":
		plain := strings.ReplaceAll(text, ",", ".")
		if n, err := strconv.ParseInt(plain, 10, 64); err == nil {
			return n, ""
		}
		n, err := strconv.ParseFloat(plain, 64)
		if err != nil || n != n || n > 1e15 || n < -1e15 {
			return nil, "Please write a number, such as 412.5."
		}
		return n, ""
	case "date":
		if _, err := time.Parse(time.DateOnly, text); err != nil {
			return nil, "Please write a date as 2026-11-26."
		}
	case "email":
		if a, err := mail.ParseAddress(text); err != nil || a.Address != text {
			return nil, "Please write an e-mail address, such as name@farm.example."
		}
	case "phone":
		plain := strings.NewReplacer(" ", "", "-", "", "(", "", ")", "").Replace(text)
		if !flow.ValidPhone(plain) {
			return nil, "Please write the number with its country, such as +44 1632 960 100."
		}
		return plain, ""
	case "choice":
		for _, c := range f.Choices {
			if c == text {
				return text, ""
			}
		}
		return nil, "Please choose one of the answers."
	}
	if utf8.RuneCountInString(text) > f.Longest() {
		return nil, fmt.Sprintf("At most %d characters, please.", f.Longest())
	}
	return text, ""
}
