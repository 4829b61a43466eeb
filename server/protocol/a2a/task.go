package a2a

import (
	"context"
	"encoding/base64"
	"encoding/json"
	"fmt"
	"strings"

	"woolsignal/server/tool"
)

// part is a part of a message or an artifact (Part): words, data, or a file.
type part struct {
	Text      string `json:"text,omitempty"`
	Data      any    `json:"data,omitempty"`
	Raw       string `json:"raw,omitempty"` // base64
	URL       string `json:"url,omitempty"`
	Filename  string `json:"filename,omitempty"`
	MediaType string `json:"mediaType,omitempty"`
}

// message is something one side says (Message).
type message struct {
	ID      string `json:"messageId"`
	Context string `json:"contextId,omitempty"`
	Task    string `json:"taskId,omitempty"`
	Role    string `json:"role"`
	Parts   []part `json:"parts"`
}

type artifact struct {
	ID    string `json:"artifactId"`
	Parts []part `json:"parts"`
}

type status struct {
	State   string   `json:"state"`
	Message *message `json:"message"`
	At      string   `json:"timestamp"`
}

// mark tells one status of a task from the one before.
func (s status) mark() string {
	id := ""
	if s.Message != nil {
		id = s.Message.ID
	}
	return s.State + " " + id + " " + s.At
}

// task is the work on one request (Task).
type task struct {
	ID        string     `json:"id"`
	Context   string     `json:"contextId"`
	Status    status     `json:"status"`
	Artifacts []artifact `json:"artifacts"`
}

// event is one result: of a plain call a task or a message, of a stream also what
// changed (StreamResponse).
type event struct {
	Task    *task    `json:"task"`
	Message *message `json:"message"`
	Status  *struct {
		Task    string `json:"taskId"`
		Context string `json:"contextId"`
		Status  status `json:"status"`
	} `json:"statusUpdate"`
	Artifact *struct {
		Task     string   `json:"taskId"`
		Artifact artifact `json:"artifact"`
		Append   bool     `json:"append"`
	} `json:"artifactUpdate"`
}

// The states of a task (TaskState).
const (
	completed     = "TASK_STATE_COMPLETED"
	failed        = "TASK_STATE_FAILED"
	canceled      = "TASK_STATE_CANCELED"
	rejected      = "TASK_STATE_REJECTED"
	inputRequired = "TASK_STATE_INPUT_REQUIRED"
	authRequired  = "TASK_STATE_AUTH_REQUIRED"
)

// rests tells whether nothing more comes of a task by itself. before marks the question
// that was just answered: while the task stands there, it has not gone on yet.
func (t *task) rests(before string) bool {
	if before != "" && t.Status.mark() == before {
		return false
	}
	switch t.Status.State {
	case completed, failed, canceled, rejected, inputRequired, authRequired:
		return true
	}
	return false
}

// take puts an event into what is known of a task. It gives the message where the agent
// answered with one instead.
func (t *task) take(data json.RawMessage, title string) (*message, error) {
	var e event
	if err := json.Unmarshal(data, &e); err != nil {
		return nil, fmt.Errorf("%s answered with what is no result: %w", title, err)
	}
	known := t.ID
	switch {
	case e.Message != nil:
		return e.Message, nil
	case e.Task != nil:
		*t = *e.Task
	case e.Status != nil:
		t.Status, t.Context = e.Status.Status, e.Status.Context
		t.ID = e.Status.Task
	case e.Artifact != nil:
		t.add(e.Artifact.Artifact, e.Artifact.Append)
		t.ID = e.Artifact.Task
	}
	if t.ID == "" || known != "" && t.ID != known {
		return nil, &tool.RefusedError{Message: fmt.Sprintf("%s answered about the task %q; asked was about %q", title,
			t.ID, known)}
	}
	return nil, nil
}

func (t *task) add(a artifact, more bool) {
	for i := range t.Artifacts {
		if t.Artifacts[i].ID == a.ID {
			if more {
				a.Parts = append(t.Artifacts[i].Parts, a.Parts...)
			}
			t.Artifacts[i] = a
			return
		}
	}
	t.Artifacts = append(t.Artifacts, a)
}

// outcome is what came of a task that rests: a result, the question it asks back, or an
// error.
func (o *operation) outcome(ctx context.Context, t *task) (any, error) {
	words := ""
	if t.Status.Message != nil {
		words, _, _ = o.parts(ctx, t.Status.Message.Parts)
	}
	switch t.Status.State {
	case inputRequired:
		return map[string]any{"state": "asks", "text": words, "task": t.ID}, nil
	case authRequired:
		return nil, o.refused("asks for a sign-in of its own", words)
	case failed:
		return nil, o.refused("failed", words)
	case rejected:
		return nil, o.refused("refused the task", words)
	case canceled:
		return nil, o.refused("called the task off", words)
	}
	var all []part
	for _, a := range t.Artifacts {
		all = append(all, a.Parts...)
	}
	if len(all) == 0 && t.Status.Message != nil {
		all = t.Status.Message.Parts
	}
	return o.answer(ctx, all, t.ID)
}

func (o *operation) refused(what, words string) error {
	text := o.c.Title + " " + what
	if words != "" {
		text += ": " + words
	}
	return &tool.RefusedError{Message: text}
}

// answer is a result that parts make.
func (o *operation) answer(ctx context.Context, all []part, task string) (any, error) {
	words, data, files := o.parts(ctx, all)
	out := map[string]any{"state": "done", "text": words}
	if len(data) > 0 {
		out["data"] = data
	}
	if len(files) > 0 {
		out["files"] = files
	}
	if task != "" {
		out["task"] = task
	}
	return out, nil
}

// parts sorts parts into words, data and files. A file that cannot be kept is told of in
// the words.
func (o *operation) parts(ctx context.Context, all []part) (words string, data, files []any) {
	var texts []string
	for _, p := range all {
		switch {
		case p.Text != "":
			texts = append(texts, p.Text)
		case p.URL != "":
			texts = append(texts, p.URL)
		case p.Raw != "":
			kept, err := o.keep(ctx, p)
			if err != nil {
				texts = append(texts, fmt.Sprintf("(a file that could not be kept: %v)", err))
				continue
			}
			files = append(files, kept)
		case p.Data != nil:
			data = append(data, p.Data)
		}
	}
	return strings.Join(texts, "\n"), data, files
}

func (o *operation) keep(ctx context.Context, p part) (any, error) {
	bytes, err := base64.StdEncoding.DecodeString(p.Raw)
	if err != nil {
		return nil, err
	}
	return o.kit.Save(ctx, tool.Content{Name: tool.SafeName(p.Filename), Kind: p.MediaType, Data: bytes})
}
