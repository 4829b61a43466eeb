// Package carter plays the haulier's own booking agent, which speaks A2A 1.0
// over JSON-RPC 2.0. It asks for what it was not told, and books a lorry.
package carter

import (
	"cmp"
	"encoding/json"
	"fmt"
	"html"
	"net/http"
	"regexp"
	"strconv"
	"strings"
	"sync"
	"time"

	"github.com/go-chi/chi/v5"

	"woolsignal/standin/ledger"
)

// Part is a part of a message or an artifact; Carter deals in words.
type Part struct {
	Text string `json:"text"`
}

// Message is something one side says.
type Message struct {
	ID      string `json:"messageId"`
	Context string `json:"contextId,omitempty"`
	Task    string `json:"taskId,omitempty"`
	Role    string `json:"role"`
	Parts   []Part `json:"parts"`
}

// Status is how a task fares.
type Status struct {
	State   string   `json:"state"`
	Message *Message `json:"message,omitempty"`
	At      string   `json:"timestamp"`
}

// Artifact is what came of a task.
type Artifact struct {
	ID    string `json:"artifactId"`
	Name  string `json:"name"`
	Parts []Part `json:"parts"`
}

// Task is one booking.
type Task struct {
	ID        string     `json:"id"`
	Context   string     `json:"contextId"`
	Status    Status     `json:"status"`
	Artifacts []Artifact `json:"artifacts,omitempty"`
	History   []Message  `json:"history"`
	day       string
	bales     string
}

// The states of a task (A2A 1.0, TaskState).
const (
	needsInput = "TASK_STATE_INPUT_REQUIRED"
	completed  = "TASK_STATE_COMPLETED"
	canceled   = "TASK_STATE_CANCELED"
	working    = "TASK_STATE_WORKING"
)

// Agent keeps the bookings.
type Agent struct {
	key string

	mu    sync.Mutex // guards what follows
	tasks map[string]*Task
	known map[string]string // the task a message began or went on with, by its id
	n     int
}

// New makes the agent; whoever asks it shows key as a bearer token.
func New(key string) http.Handler {
	a := &Agent{key: key, tasks: map[string]*Task{}, known: map[string]string{}}
	r := chi.NewRouter()
	r.Get("/.well-known/agent-card.json", card)
	r.Get("/", a.page)
	r.Post("/_confirm", a.confirm)
	r.Post("/a2a", a.serve)
	return ledger.Wrap(r)
}

// card says what the agent is and where it is spoken with.
func card(w http.ResponseWriter, r *http.Request) {
	write(w, map[string]any{"name": "Carter",
		"description": "Books lorries of the haulier. A simulation: no lorry comes.", "version": "1",
		"supportedInterfaces": []any{map[string]any{"url": "http://" + r.Host + "/a2a", "protocolBinding": "JSONRPC",
			"protocolVersion": "1.0"}},
		"capabilities":      map[string]any{"streaming": false, "pushNotifications": false},
		"defaultInputModes": []string{"text/plain"}, "defaultOutputModes": []string{"text/plain"},
		"securitySchemes": map[string]any{
			"key": map[string]any{"httpAuthSecurityScheme": map[string]any{"scheme": "Bearer"}}},
		"securityRequirements": []any{
			map[string]any{"schemes": map[string]any{"key": map[string]any{"list": []string{}}}}},
		"skills": []any{map[string]any{"id": "book", "name": "Book a lorry",
			"description": "Books a lorry for so many bales on a day.", "tags": []string{"haulage"}}}})
}

func write(w http.ResponseWriter, v any) {
	w.Header().Set("Content-Type", "application/json")
	_ = json.NewEncoder(w).Encode(v) // the caller has gone
}

// page shows the bookings to whoever plays the haulier.
func (a *Agent) page(w http.ResponseWriter, _ *http.Request) {
	a.mu.Lock()
	defer a.mu.Unlock()
	w.Header().Set("Content-Type", "text/html; charset=utf-8")
	fmt.Fprintf(w, `<!doctype html><html lang="en"><meta charset="utf-8"><title>Carter</title>
<body style="font:16px/1.5 system-ui;max-width:40rem;margin:2rem auto;background:#eef0ea"><h1>Carter</h1>
<p>The haulier's booking agent, simulated. More than 20 bales wait for the yard's yes.</p>
<form method="post" action="/_confirm"><button>The yard says yes</button></form><p>%d tasks</p><ul>`, len(a.tasks))
	for _, t := range a.tasks {
		fmt.Fprintf(w, "<li>%s: %s bales, %s: %s</li>", t.ID, html.EscapeString(cmp.Or(t.bales, "?")),
			html.EscapeString(cmp.Or(t.day, "?")), t.Status.State)
	}
	fmt.Fprint(w, "</ul></body></html>")
}

// fault is an error of JSON-RPC 2.0 or of A2A.
type fault struct {
	Code    int    `json:"code"`
	Message string `json:"message"`
}

func (a *Agent) serve(w http.ResponseWriter, r *http.Request) {
	if r.Header.Get("Authorization") != "Bearer "+a.key {
		http.Error(w, "Carter does not know this caller", http.StatusUnauthorized)
		return
	}
	var in struct {
		ID     json.RawMessage `json:"id"`
		Method string          `json:"method"`
		Params struct {
			ID      string  `json:"id"`
			Message Message `json:"message"`
		} `json:"params"`
	}
	out := map[string]any{"jsonrpc": "2.0", "id": nil}
	if err := json.NewDecoder(http.MaxBytesReader(w, r.Body, 1<<20)).Decode(&in); err != nil {
		out["error"] = fault{-32700, "this is not JSON: " + err.Error()}
		write(w, out)
		return
	}
	out["id"] = in.ID
	if result, problem := a.do(in.Method, in.Params.ID, in.Params.Message); problem != nil {
		out["error"] = problem
	} else {
		out["result"] = result
	}
	write(w, out)
}

func (a *Agent) do(method, id string, m Message) (any, *fault) {
	a.mu.Lock()
	defer a.mu.Unlock()
	switch method {
	case "SendMessage":
		return a.send(m)
	case "GetTask", "CancelTask":
		t := a.tasks[id]
		switch {
		case t == nil:
			return nil, &fault{-32001, "there is no task " + id}
		case method == "CancelTask" && t.Status.State != needsInput && t.Status.State != working:
			return nil, &fault{-32002, "the task has ended"}
		case method == "CancelTask":
			t.Status = Status{State: canceled, At: now()}
		}
		return t, nil
	}
	return nil, &fault{-32601, "Carter has no method " + method}
}

var (
	baleCount = regexp.MustCompile(`(?i)\b(\d{1,3})\s*bales?\b`)
	dayName   = regexp.MustCompile(`(?i)\b(monday|tuesday|wednesday|thursday|friday|saturday|\d{4}-\d{2}-\d{2})\b`)
)

// send takes a message in. The same message again is the same task.
func (a *Agent) send(m Message) (any, *fault) {
	var words []string
	for _, p := range m.Parts {
		words = append(words, p.Text)
	}
	said := strings.Join(words, " ")
	if m.ID == "" || strings.TrimSpace(said) == "" {
		return nil, &fault{-32602, "a message has a messageId and at least one part with text"}
	}
	if known := a.known[m.ID]; known != "" {
		return map[string]any{"task": a.tasks[known]}, nil
	}
	t := a.tasks[m.Task]
	switch {
	case m.Task != "" && t == nil:
		return nil, &fault{-32001, "there is no task " + m.Task}
	case t != nil && t.Status.State != needsInput:
		return nil, &fault{-32004, "the task has ended; begin another"}
	case t == nil:
		a.n++
		t = &Task{ID: fmt.Sprintf("lorry-%d", a.n), Context: cmp.Or(m.Context, fmt.Sprintf("talk-%d", a.n))}
		a.tasks[t.ID] = t
	}
	a.known[m.ID] = t.ID
	t.History = append(t.History, m)
	if found := baleCount.FindStringSubmatch(said); found != nil {
		t.bales = found[1]
	}
	if found := dayName.FindStringSubmatch(said); found != nil {
		t.day = found[1]
	}
	switch {
	case t.bales == "":
		t.asks("For how many bales?")
	case t.day == "":
		t.asks("On which day?")
	case many(t.bales):
		t.Status = Status{State: working, At: now()}
	default:
		t.booked()
	}
	return map[string]any{"task": t}, nil
}

// many tells whether a load is so large that somebody in the yard says yes first.
func many(bales string) bool { n, _ := strconv.Atoi(bales); return n > 20 }

// booked ends a task with its booking.
func (t *Task) booked() {
	t.Status = Status{State: completed, At: now()}
	t.Artifacts = []Artifact{{ID: "booking", Name: "Booking",
		Parts: []Part{{fmt.Sprintf("A lorry is booked: %s bales, %s, between 08:00 and 12:00. Our number is %s.",
			t.bales, t.day, t.ID)}}}}
}

// confirm is the yard's yes to every large load that waits for it.
func (a *Agent) confirm(w http.ResponseWriter, r *http.Request) {
	a.mu.Lock()
	defer a.mu.Unlock()
	for _, t := range a.tasks {
		if t.Status.State == working {
			t.booked()
		}
	}
	http.Redirect(w, r, "/", http.StatusSeeOther)
}

// asks puts a question, which the next message of the task answers.
func (t *Task) asks(question string) {
	m := Message{ID: fmt.Sprintf("%s-%d", t.ID, len(t.History)), Context: t.Context, Task: t.ID, Role: "ROLE_AGENT",
		Parts: []Part{{question}}}
	t.Status = Status{State: needsInput, Message: &m, At: now()}
	t.History = append(t.History, m)
}

func now() string { return time.Now().UTC().Format(time.RFC3339Nano) }
