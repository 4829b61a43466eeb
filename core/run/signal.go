package run

import (
	"bytes"
	"encoding/json"
	"fmt"
	"strings"
	"time"

	"woolsignal/core/expr"
	"woolsignal/core/flow"
)

// Signal is what starts a run. Its attributes are those of CloudEvents 1.0.
type Signal struct {
	ID      string            `json:"id"`
	Source  string            `json:"source"`
	In      string            `json:"in,omitempty"` // where it came in, where the sender names another source
	Type    string            `json:"type"`
	Time    time.Time         `json:"time"`
	Subject string            `json:"subject,omitempty"`
	Kind    string            `json:"kind"`    // trigger kind: chat, webhook, schedule
	Trigger string            `json:"trigger"` // the trigger's id
	Thread  string            `json:"thread,omitempty"`
	From    map[string]string `json:"from,omitempty"` // what the sender says of themselves: name, email …
	// For is the e-mail of who is acted for: somebody who is signed in in this
	// very conversation, or said to start the run. Nobody else's word counts.
	For     string `json:"for,omitempty"`
	Text    string `json:"text,omitempty"`
	Body    any    `json:"body,omitempty"`
	Files   []File `json:"files,omitempty"`
	Answers string `json:"answers,omitempty"` // the mail it is a reply to
	Unasked bool   `json:"unasked,omitempty"` // that one was not written to its sender
	// the run that brought it about: one that failed, or wrote a row
	Cause string `json:"cause,omitempty"`
	// somebody sent it who showed no key and is not signed in: their words are kept
	// as they are, so that nothing tells them that they guessed a secret
	Stranger bool `json:"stranger,omitempty"`
	// somebody who is signed in wrote it, or took it from a sample or another run: what it
	// says of its sender is for reading, and nobody stands for it
	Written bool `json:"written,omitempty"`
	Draft   bool `json:"draft,omitempty"` // it starts what is written rather than what is live
	Via     *Via `json:"via,omitempty"`   // how it is answered where it came from
}

// Verified is the name among a mail's From that is "true" where the mailbox's
// server stands for the sender's domain.
const Verified = "verified"

// File is a file that came with a signal. Its bytes are kept by the service
// under their hash.
type File struct {
	Name  string `json:"name"`
	Type  string `json:"type"` // media type
	Size  int64  `json:"size"` // bytes
	Blob  string `json:"blob"`
	Field string `json:"field,omitempty"` // of the form it was in
}

// Value is the file as expressions and tools see it.
func (f File) Value() map[string]any {
	return map[string]any{"name": f.Name, "type": f.Type, "size": f.Size, "blob": f.Blob, "field": f.Field}
}

// Via is the tool that brings words back to where a signal came from.
type Via struct {
	Tool string         `json:"tool"`
	Args map[string]any `json:"args"` // the place and thread
}

// Words are all that the sender wrote, for looking for something in it.
func (s *Signal) Words() string {
	all, err := json.Marshal([]any{s.Subject, s.Text, s.Body, s.From})
	if err != nil {
		return s.Subject + "\n" + s.Text // a body that is no JSON came from nowhere
	}
	return string(all)
}

// Vouched is the e-mail of the sender where the service or a signed chat server
// stands for it; "" where it is only what the sender says.
func (s *Signal) Vouched() string {
	if s.Kind == "chat" && !s.Written {
		return s.From["email"]
	}
	return s.For
}

// value is the signal as expressions see it.
func (s *Signal) value(zone *time.Location) map[string]any {
	from := map[string]any{}
	for k, v := range s.From {
		from[k] = v
	}
	if s.Kind == "mail" {
		from[Verified] = s.From[Verified] == "true"
	}
	files := make([]any, len(s.Files))
	for i, f := range s.Files {
		files[i] = f.Value()
	}
	return map[string]any{
		"id": s.ID, "source": s.Source, "type": s.Type, "time": s.Time.In(zone).Format(time.RFC3339),
		"subject": s.Subject,
		"kind":    s.Kind, "trigger": s.Trigger, "thread": s.Thread, "from": from, "text": s.Text, "body": s.Body,
		"files": files,
	}
}

// HeardAs is what a step that waits names the signal by: where it comes from,
// and its conversation in a chat, the mail it answers, or else what it is about.
func (s *Signal) HeardAs() (source, key string) {
	switch flow.HeardByOf(s.Kind) {
	case flow.ByConversation:
		return ChatSource, s.Conversation().String()
	case flow.ByAnswered:
		return s.Source, s.Answers
	}
	if s.In != "" {
		return s.In, s.Subject
	}
	return s.Source, s.Subject
}

// Hearing is a signal a step waits for.
type Hearing struct {
	Source     string `json:"source"` // as a signal's source says it
	Key        string `json:"key"`
	AlsoStarts bool   `json:"also_starts,omitempty"`
}

// ChatSource is what messages of all conversations are waited for by.
const ChatSource = "/chat"

// ConsoleSource begins the sources of conversations in the console.
const ConsoleSource = "/console/"

// Private tells whether the signal belongs to a person's own conversation with
// one workflow, which no other one's runs hear: names of such conversations
// are not told apart by workflow.
func (s *Signal) Private() bool { return strings.HasPrefix(s.Source, ConsoleSource) }

// KeyOf gives what the limits of a workflow tell a signal's run apart by; ""
// where it has no such key or it cannot be computed.
func (d *Definition) KeyOf(s *Signal, now time.Time) string {
	key := d.Workflow.Limits.Same.By
	if key == nil {
		return ""
	}
	names := map[string]any{"signal": s.value(d.Zone), "inputs": s.Body}
	v, err := key.Eval(expr.Scope{Names: names, Now: now, Calendar: d.Calendar()})
	if err != nil {
		return ""
	}
	return expr.Text(v)
}

// About says what a signal is about, by what its trigger's file says.
func (d *Definition) About(subject *flow.Value, s *Signal) (string, error) {
	v, err := subject.Eval(expr.Scope{Names: map[string]any{"signal": s.value(d.Zone)}, Now: s.Time,
		Calendar: d.Calendar()})
	if err != nil {
		return "", fmt.Errorf("subject: %w", err)
	}
	return expr.Text(v), nil
}

// DecodeSignal reads a signal that was kept as JSON.
func DecodeSignal(data []byte) (*Signal, error) {
	s := &Signal{}
	d := json.NewDecoder(bytes.NewReader(data))
	d.UseNumber()
	if err := d.Decode(s); err != nil {
		return nil, fmt.Errorf("run: this is not a signal: %w", err)
	}
	s.gate(&gate{})
	return s, nil
}
