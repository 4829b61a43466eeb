package intake

import (
	"embed"
	"errors"
	"fmt"
	"html/template"
	"log/slog"
	"mime/multipart"
	"net/http"
	"net/mail"
	"strconv"
	"strings"
	"time"
	"unicode/utf8"

	"github.com/go-chi/chi/v5"
	"github.com/google/uuid"

	"woolsignal/core/flow"
	"woolsignal/core/run"
	"woolsignal/core/trigger"
	"woolsignal/server/engine"
	"woolsignal/server/problem"
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
	values, files, err := h.sent(r)
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
	body := map[string]any{}
	for _, f := range view.Form.Asks {
		one := shownField{FormField: f, Value: strings.TrimSpace(strings.Join(values[f.Name], ", "))}
		if f.Type == "file" {
			one.Value, one.Problem = "", fileProblem(f, files)
		} else if v, why := fieldValue(f, one.Value); why != "" {
			one.Problem = why
		} else if v != nil {
			body[f.Name] = v
		}
		if one.Problem != "" {
			view.Problems++
		}
		view.Fields = append(view.Fields, one)
	}
	if view.Problems > 0 {
		h.show(w, http.StatusUnprocessableEntity, "form.html", view)
		return
	}
	id := strings.Join(values["_once"], "")
	if id == "" || len(id) > 100 {
		id = uuid.Must(uuid.NewV7()).String()
	}
	_, err = h.Engine.Accept(r.Context(),
		engine.Admission{Workflow: workflow,
			Signal: &run.Signal{ID: id, Source: t.Source(), Type: "form.sent", Kind: "form", Trigger: t.ID,
				Time: time.Now().UTC().Truncate(time.Millisecond), Body: body, Files: files}})
	if err != nil {
		if !errors.Is(err, engine.ErrBusy) {
			h.Log.Error("a form could not be taken in", "workflow", workflow, "error", err)
		}
		notTaken(w)
		return
	}
	view.Thanks = view.Form.Thanks
	h.show(w, http.StatusOK, "thanks.html", view)
}

// sent reads what was sent, as a form with or without files.
func (h *Forms) sent(r *http.Request) (map[string][]string, []run.File, error) {
	form, err := r.MultipartReader()
	if errors.Is(err, http.ErrNotMultipart) {
		err = r.ParseForm()
		return r.PostForm, nil, err
	} else if err != nil {
		return nil, nil, err
	}
	return h.parts(r, form)
}

// parts leaves out the empty files browsers send where none was chosen.
func (h *Forms) parts(r *http.Request, form *multipart.Reader) (map[string][]string, []run.File, error) {
	values, files, err := parts(r, h.Kit, form, largestFile)
	var kept []run.File
	for _, f := range files {
		if f.Size > 0 {
			kept = append(kept, f)
		}
	}
	return values, kept, err
}

func fileProblem(f trigger.FormField, files []run.File) string {
	found := false
	for _, one := range files {
		if one.Field != f.Name {
			continue
		}
		found = true
		if one.Size > int64(f.Longest()) {
			return fmt.Sprintf("The file may have %d MB at most.", f.Longest()>>20)
		}
	}
	if !found && f.Required {
		return "Please choose a file."
	}
	return ""
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
