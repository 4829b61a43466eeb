package a2a

import (
	"context"
	"encoding/base64"
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"slices"
	"strings"
	"time"

	"woolsignal/core/flow"
	"woolsignal/core/protocol"
	"woolsignal/server/tool"
)

// operation is one skill of an agent, as a tool.
type operation struct {
	kit    *tool.Kit
	client *http.Client
	c      *flow.Connection
	skill  string // as the agent calls it
}

// ref is by which a task is known that takes long.
type ref struct {
	Task  string    `json:"task"`
	Since time.Time `json:"since"`
	Asked int       `json:"asked"`
	// Before marks the question that was answered; see [task.rests].
	Before string `json:"before,omitempty"`
}

// refresh reads an agent's card and keeps its skills.
func refresh(ctx context.Context, k *tool.Kit, c *flow.Connection) (bool, error) {
	client, err := k.Client(c)
	if err != nil {
		return false, err
	}
	found, err := readCard(ctx, client, c)
	if err != nil {
		return false, err
	}
	data, err := json.Marshal(found)
	if err != nil {
		return false, err
	}
	return tool.KeepOffers(ctx, k, c.ID, data)
}

// operations makes tools of the skills of a card. Before anybody has read it, those its
// file names are known by name alone.
func operations(k *tool.Kit, _ *flow.Workspace, c *flow.Connection) ([]*tool.Operation, error) {
	client, err := k.Client(c)
	if err != nil {
		return nil, err
	}
	var known card
	if data, err := tool.KeptOffers(k, c.ID); err == nil {
		if err := json.Unmarshal(data, &known); err != nil {
			return nil, fmt.Errorf("what %s offers cannot be read: %w", c.Title, err)
		}
	}
	wanted := c.Is.(*protocol.A2A).Offer
	skills := slices.Clone(known.Skills)
	for _, name := range wanted {
		if !slices.ContainsFunc(skills, func(s skill) bool { return s.operation() == name }) {
			skills = append(skills, skill{ID: name, Description: "Not described yet: nobody has asked " + c.Title +
				"."})
		}
	}
	var out []*tool.Operation
	for _, s := range skills {
		if len(wanted) > 0 && !slices.Contains(wanted, s.operation()) {
			continue
		}
		o := &operation{k, client, c, s.ID}
		op := tool.NewOperation(c.ID, c.Title, s.operation(), describe(s), input(), output(), tool.Sends, o.call)
		if s.Name != "" {
			op.Title = c.Title + ": " + s.Name
		} else if !slices.ContainsFunc(known.Skills, func(k skill) bool { return k.ID == s.ID }) {
			op.Output = nil // nobody knows that there is one
		}
		op.OpenWorld, op.Abandon = true, o.abandon
		out = append(out, op)
	}
	return out, nil
}

// describe is what a model reads of a skill.
func describe(s skill) string {
	text := s.Description
	if len(s.Examples) > 0 {
		text += " For example: " + s.Examples[0]
	}
	return strings.TrimSpace(text)
}

func input() map[string]any {
	return tool.Object([]any{"message"}, map[string]any{
		"message": tool.Prop("string", "What it is asked, with all it needs to know", "minLength", 1.0),
		"task":    tool.Prop("string", "The task whose question this answers; a new one where it is missing"),
		"data":    map[string]any{"type": "object", "description": "Values that go along"},
		"files":   tool.ListOf(tool.FileSchema("A file"), "Files that go along")})
}

func output() map[string]any {
	return tool.Result(map[string]any{
		"state": tool.Prop("string", "done, or asks: it needs an answer to its question first", "enum",
			[]any{"done", "asks"}),
		"text": tool.Prop("string", "What it says, or asks"),
		"task": tool.Prop("string", "Which task it is; an answer to its question names it")})
}

// patience bounds one exchange. A task may take longer, and is then asked about.
const patience = 45 * time.Second

func (o *operation) call(ctx context.Context, args map[string]any, s tool.Sending) (any, error) {
	if s.Ref != "" {
		return o.again(ctx, s)
	}
	found, err := readCard(ctx, o.client, o.c)
	if err != nil {
		return nil, notSent(err)
	}
	if !slices.ContainsFunc(found.Skills, func(k skill) bool { return k.ID == o.skill }) {
		return nil, &tool.RefusedError{Message: fmt.Sprintf("%s no longer has the skill %s; its card has: %s",
			o.c.Title,
			o.skill, strings.Join(names(found.Skills), ", "))}
	}
	said, err := o.message(ctx, args, s)
	if err != nil {
		return nil, err
	}
	at, err := found.face(o.c)
	if err != nil {
		return nil, err
	}
	return o.send(ctx, &peer{o.client, o.c, at}, found.Capabilities.Streaming, said, s)
}

// notSent says of an error before anything was sent that nothing was.
func notSent(err error) error {
	var refused *tool.RefusedError
	if errors.As(err, &refused) {
		return err
	}
	return &tool.NotSentError{Err: err}
}

func names(skills []skill) []string {
	var out []string
	for _, s := range skills {
		out = append(out, s.ID)
	}
	return out
}

// message is what the agent is told.
func (o *operation) message(ctx context.Context, args map[string]any, s tool.Sending) (*message, error) {
	out := &message{ID: s.Key, Task: tool.Text(args, "task"), Role: "ROLE_USER",
		Parts: []part{{Text: tool.Text(args, "message")}}}
	if data, is := args["data"].(map[string]any); is && len(data) > 0 {
		out.Parts = append(out.Parts, part{Data: data})
	}
	files, _ := args["files"].([]any)
	for _, f := range files {
		c, err := o.kit.Load(ctx, f)
		if err != nil {
			return nil, err
		}
		out.Parts = append(out.Parts, part{Raw: base64.StdEncoding.EncodeToString(c.Data), Filename: c.Name,
			MediaType: c.Kind})
	}
	return out, nil
}

// send sends a message, and stays for a while for what comes of it.
func (o *operation) send(ctx context.Context, p *peer, streams bool, said *message, s tool.Sending) (got any,
	err error) {
	short, cancel := context.WithTimeout(ctx, patience)
	defer cancel()
	method := "SendMessage"
	if streams {
		method = "SendStreamingMessage"
	}
	known := &task{ID: said.Task}
	before := ""
	if said.Task != "" {
		if known, err = p.task(short, said.Task); err != nil {
			return nil, o.refusedOr(notSent(err))
		}
		before = known.Status.mark()
	}
	var words *message
	var lied error
	heard := false
	err = p.ask(short, method, s.Key, map[string]any{"message": said, "metadata": map[string]any{"skill": o.skill},
		"configuration": map[string]any{"acceptedOutputModes": []string{"text/plain", "application/json"},
			"returnImmediately": true}}, func(data json.RawMessage) bool {
		words, lied = known.take(data, o.c.Title)
		heard = true
		return words == nil && lied == nil && !known.rests(before)
	})
	_, refused := refusal(err)
	switch {
	case refused:
		return nil, o.refusedOr(err)
	case lied != nil:
		return nil, lied
	case words != nil:
		return o.answer(ctx, words.Parts, "")
	case !heard && err != nil:
		return nil, err // nobody knows whether it arrived
	case !heard:
		return nil, &tool.HappenedError{Message: o.c.Title + " took the message, and said nothing of what comes of it"}
	case known.rests(before):
		return o.outcome(ctx, known)
	}
	return nil, later(ref{Task: known.ID, Since: time.Now(), Before: before})
}

// refusedOr is what the agent refused, as tools say it; other errors stay.
func (o *operation) refusedOr(err error) error {
	if rpc, refused := refusal(err); refused {
		return &tool.RefusedError{Message: o.c.Title + " refused: " + rpc.Error(), NotFound: rpc.Code == noTask}
	}
	return err
}

// task asks how far a task is.
func (p *peer) task(ctx context.Context, id string) (*task, error) {
	got := &task{ID: id}
	var lied error
	heard := false
	err := p.ask(ctx, "GetTask", "get-"+id, map[string]any{"id": id, "historyLength": 0},
		func(data json.RawMessage) bool {
			data, _ = json.Marshal(map[string]json.RawMessage{"task": data}) // as a stream would have it
			_, lied = got.take(data, p.c.Title)
			heard = true
			return false
		})
	switch {
	case err != nil:
		return got, err
	case !heard:
		return got, fmt.Errorf("%s said nothing of the task %s", p.c.Title, id)
	}
	return got, lied
}

// later is a task to be asked about.
func later(r ref) error {
	after := pause(r.Asked)
	r.Asked++
	data, err := json.Marshal(r)
	if err != nil {
		return err
	}
	return &tool.PendingError{Ref: string(data), After: after}
}

// again asks about a task that takes long. One that cannot be asked about now is asked
// about later.
func (o *operation) again(ctx context.Context, s tool.Sending) (any, error) {
	r, p, err := o.known(ctx, s.Ref)
	if err != nil {
		return nil, o.orLater(r, err)
	}
	short, cancel := context.WithTimeout(ctx, patience)
	defer cancel()
	got, err := p.task(short, r.Task)
	rpc, refused := refusal(err)
	var lied *tool.RefusedError
	switch {
	case errors.As(err, &lied):
		return nil, &tool.HappenedError{Message: lied.Message}
	case refused && rpc.Code == noTask:
		return nil, &tool.HappenedError{Message: fmt.Sprintf("%s knows nothing of the task %s any more", o.c.Title,
			r.Task)}
	case err != nil:
		return nil, o.orLater(r, err)
	case got.rests(r.Before):
		return o.outcome(ctx, got)
	}
	return nil, o.orLater(r, nil)
}

// orLater asks about a task later, unless it has taken too long: then it is called off.
func (o *operation) orLater(r ref, err error) error {
	within := o.c.Is.(*protocol.A2A).Within
	if r.Task == "" {
		return err
	}
	if time.Since(r.Since) < within {
		return later(r)
	}
	text := fmt.Sprintf("%s did not end the task %s within %s; it was called off", o.c.Title, r.Task,
		flow.Span{Duration: within})
	if err != nil {
		text += ". It was last said: " + err.Error()
	}
	if data, wrong := json.Marshal(r); wrong == nil {
		_ = o.abandon(context.Background(), string(data)) // it has been given up all the same
	}
	return &tool.HappenedError{Message: text}
}

// known reads what a task is known by, and how its agent is spoken with now.
func (o *operation) known(ctx context.Context, text string) (ref, *peer, error) {
	var r ref
	if err := json.Unmarshal([]byte(text), &r); err != nil {
		return r, nil, &tool.RefusedError{Message: "what the task is known by cannot be read: " + err.Error()}
	}
	found, err := readCard(ctx, o.client, o.c)
	if err != nil {
		return r, nil, err
	}
	at, err := found.face(o.c)
	return r, &peer{o.client, o.c, at}, err
}

// abandon calls a task off.
func (o *operation) abandon(ctx context.Context, text string) error {
	ctx, cancel := context.WithTimeout(ctx, patience)
	defer cancel()
	r, p, err := o.known(ctx, text)
	if err != nil {
		return err
	}
	err = p.ask(ctx, "CancelTask", "cancel-"+r.Task, map[string]any{"id": r.Task},
		func(json.RawMessage) bool { return false })
	if rpc, refused := refusal(err); refused && (rpc.Code == noTask || rpc.Code == notCancelable) {
		return nil
	}
	return err
}
