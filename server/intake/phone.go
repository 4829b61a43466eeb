package intake

import (
	"context"
	"encoding/xml"
	"errors"
	"fmt"
	"hash/fnv"
	"io"
	"log/slog"
	"net/http"
	"strings"
	"time"

	"github.com/go-chi/chi/v5"
	"github.com/google/uuid"

	"woolsignal/core/flow"
	"woolsignal/core/run"
	"woolsignal/core/trigger"
	"woolsignal/server/engine"
	"woolsignal/server/problem"
	"woolsignal/server/store"
	"woolsignal/server/vault"
	"woolsignal/server/workspace"
)

// Phones answers telephone gateways at /call/{path}: a gateway that speaks
// VoiceXML 2.1 (W3C) posts the call's id, who calls and what was said, and
// gets what to say, as SSML, and where to post the answer.
type Phones struct {
	Workspace *workspace.Holder
	Engine    *engine.Engine
	Secrets   *vault.Vault
	Store     *store.Store
	Log       *slog.Logger
	Limits    *Limits
}

// line is a live telephone line.
type line struct {
	workflow string
	trigger  flow.Trigger
	is       *trigger.Phone
	left     bool // nothing is started here any more
}

// find finds a line: of what is live, or of what has been and whose calls go on.
func (h *Phones) find(path string) (line, bool) {
	for id, w := range h.Workspace.Live() {
		for _, t := range w.Triggers {
			if phone, is := t.Is.(*trigger.Phone); is && phone.Path == path {
				return line{workflow: id, trigger: t, is: phone}, true
			}
		}
	}
	left, t := h.Workspace.Now().Left(func(t flow.Trigger) bool {
		phone, is := t.Is.(*trigger.Phone)
		return is && phone.Path == path
	})
	if t != nil {
		return line{workflow: left.Workflow, trigger: *t, is: t.Is.(*trigger.Phone), left: true}, true
	}
	return line{}, false
}

// ServeHTTP takes one turn of a call.
func (h *Phones) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	left := h.Limits.of(r)
	if left.Tokens() < 1 {
		tooOften(w)
		return
	}
	l, ok := h.find(chi.URLParam(r, "path"))
	if !ok {
		left.Allow()
		problem.Write(w, http.StatusNotFound, "Nobody answers here", "No live workflow has this telephone line.")
		return
	}
	if r.Method != http.MethodPost {
		w.Header().Set("Allow", http.MethodPost)
		problem.Write(w, http.StatusMethodNotAllowed, "Wrong method", "Post each turn of a call.")
		return
	}
	turn, refusal := h.turn(w, r, l)
	if refusal != nil {
		left.Allow()
		refusal.Write(w)
		return
	}
	h.answer(w, r, l, turn)
}

// turn is what a gateway posts.
type turn struct {
	call, from, said string
	after            int64 // the last message the caller has heard
	waiting          bool  // nothing was said; the answer is still awaited
	heard            part  // of it the caller has heard
	ended            bool
}

func (h *Phones) turn(w http.ResponseWriter, r *http.Request, l line) (turn, *problem.Details) {
	body, refusal := whole(w, r)
	if refusal != nil {
		return turn{}, refusal
	}
	key := h.Workspace.Now().Connections[l.is.Verify]
	if signingKey(key) == nil {
		return turn{}, noKey("The gateway's key is gone.")
	}
	if _, refusal := verify(h.Secrets, key, r.Header, body); refusal != nil {
		return turn{}, refusal
	}
	v, refusal := value("application/x-www-form-urlencoded", "", body)
	if refusal != nil {
		return turn{}, refusal
	}
	form, _ := v.(map[string]any)
	text := func(name string) string { s, _ := form[name].(string); return strings.TrimSpace(s) }
	t := turn{call: text("call"), from: text("from"), said: text("said"), waiting: text("waiting") == "yes",
		ended: text("ended") == "yes"}
	_, _ = fmt.Sscan(text("after"), &t.after) // 0 where there is none
	if t.waiting {
		_, _ = fmt.Sscanf(text("heard"), "%d-%x", &t.heard.length, &t.heard.sum) // none where it says something else
	}
	switch {
	case t.call == "" || len(t.call) > 100:
		return t, &problem.Details{Status: http.StatusUnprocessableEntity, Title: "Which call?",
			Detail: "Post call, a name of at most 100 characters."}
	case t.from != "" && !flow.ValidPhone(t.from):
		return t, &problem.Details{Status: http.StatusUnprocessableEntity, Title: "Who calls?",
			Detail: "Post from as E.164 writes numbers: a plus and at most 15 digits."}
	case len(t.said) > 4000:
		return t, &problem.Details{Status: http.StatusRequestEntityTooLarge, Title: "Too long",
			Detail: "A turn may have 4000 bytes."}
	}
	return t, nil
}

// answer takes a turn in and says what the run has to say. A caller who waits
// in silence hangs up: past the line's patience they are told to hold on.
func (h *Phones) answer(w http.ResponseWriter, r *http.Request, l line, t turn) {
	thread := run.Thread{Workflow: l.workflow,
		Conversation: run.Conversation{Source: l.trigger.Source(), Thread: t.call}}.String()
	patience, cancel := context.WithTimeout(r.Context(), l.is.Within)
	defer cancel()
	before := t.after
	if !t.waiting {
		signal := &run.Signal{ID: uuid.Must(uuid.NewV7()).String(), Source: l.trigger.Source(), Type: "phone.said",
			Time: time.Now().UTC().Truncate(time.Millisecond), Kind: "phone", Trigger: l.trigger.ID, Stranger: true,
			Thread: t.call, Text: t.said, From: map[string]string{"phone": t.from},
			Body: map[string]any{"call": t.call, "said": t.said}}
		if before == 0 {
			before = h.last(r.Context(), thread)
		}
		ticket, err := h.take(r.Context(), l, signal)
		if l.left && errors.Is(err, engine.ErrNobodyWaits) {
			h.speak(w, r, l, t, before, hangUp, nobody)
			return
		} else if err != nil {
			if !errors.Is(err, engine.ErrBusy) {
				h.Log.Error("a turn of a call could not be taken in", "workflow", l.workflow, "error", err)
			}
			h.speak(w, r, l, t, before, hangUp, sorry)
			return
		}
		_ = ticket.Answered(patience) // past it the caller is told to hold on
	}
	for {
		words, last, open, err := h.said(r.Context(), thread, before)
		switch {
		case err != nil:
			h.Log.Error("a call's conversation could not be read", "error", err)
			h.speak(w, r, l, t, before, hangUp, sorry)
			return
		case len(words) > 0:
			words[0] = behind(words[0], t.heard)
			h.speak(w, r, l, t, last, listen, words...) // the caller may have more to say
			return
		case !open:
			h.speak(w, r, l, t, last, hangUp, "Goodbye.")
			return
		}
		select {
		case <-patience.Done():
			saying := h.Engine.Saying(thread)
			rest := behind(saying, t.heard)
			words := sentences(rest)
			if words == "" {
				words = "One moment, please."
			} else {
				t.heard = partOf(saying[:len(saying)-len(rest)+len(words)])
			}
			h.speak(w, r, l, t, before, holdOn, words)
			return
		case <-time.After(50 * time.Millisecond):
		}
	}
}

func (h *Phones) take(ctx context.Context, l line, signal *run.Signal) (*engine.Ticket, error) {
	if l.left {
		return onlyHeard(ctx, h.Engine, signal)
	}
	return h.Engine.Receive(ctx, l.workflow, signal)
}

// part is the beginning of an answer: how long it is, and what tells whether another
// answer begins so too.
type part struct {
	length int // bytes
	sum    uint64
}

func partOf(text string) part {
	h := fnv.New64a()
	_, _ = io.WriteString(h, text) // a hash takes anything
	return part{len(text), h.Sum64()}
}

// behind is what of an answer the caller has not heard yet: all of one that begins
// otherwise.
func behind(answer string, heard part) string {
	if heard.length <= 0 || heard.length > len(answer) || partOf(answer[:heard.length]) != heard {
		return answer
	}
	return answer[heard.length:]
}

// sentences are those of a text that are there whole: a sentence may be spoken once
// another begins.
func sentences(text string) string {
	end := 0
	for i := 0; i+1 < len(text); i++ {
		if strings.ContainsRune(".!?", rune(text[i])) && text[i+1] == ' ' {
			end = i + 2
		}
	}
	return text[:end]
}

// last is the number of a conversation's newest message.
func (h *Phones) last(ctx context.Context, thread string) (n int64) {
	// 0 says all that was said
	_ = h.Store.Read().QueryRowContext(ctx, "SELECT coalesce(max(n), 0) FROM messages WHERE thread = ?",
		thread).Scan(&n)
	return n
}

// said gives what was said behind a message, and whether the conversation
// goes on: a run of it waits or runs.
func (h *Phones) said(ctx context.Context, thread string, after int64) (words []string, last int64, open bool,
	err error) {
	rows, err := h.Store.Read().QueryContext(ctx,
		"SELECT n, text FROM messages WHERE thread = ? AND n > ? AND who = 'agent' ORDER BY n", thread, after)
	if err != nil {
		return nil, 0, false, err
	}
	defer rows.Close()
	last = after
	for rows.Next() {
		var text string
		if err := rows.Scan(&last, &text); err != nil {
			return nil, 0, false, err
		}
		words = append(words, text)
	}
	if err := rows.Err(); err != nil {
		return nil, 0, false, err
	}
	var n int
	err = h.Store.Read().QueryRowContext(ctx, "SELECT count(*) FROM runs WHERE thread = ? AND ended IS NULL",
		thread).Scan(&n)
	return words, last, n > 0, err
}

// document is a VoiceXML 2.1 document with one prompt and one field.
type document struct {
	XMLName xml.Name `xml:"http://www.w3.org/2001/vxml vxml"`
	Version string   `xml:"version,attr"`
	Lang    string   `xml:"xml:lang,attr"`
	Form    voiceForm
}

type voiceForm struct {
	XMLName xml.Name   `xml:"form"`
	ID      string     `xml:"id,attr"`
	Vars    []variable `xml:"var"`
	Block   *block     `xml:"block,omitempty"`
	Field   *field     `xml:"field,omitempty"`
}

type variable struct {
	Name string `xml:"name,attr"`
	Expr string `xml:"expr,attr"`
}

type block struct {
	Prompt prompt    `xml:"prompt"`
	Submit *submit   `xml:"submit,omitempty"`
	End    *struct{} `xml:"disconnect,omitempty"`
}

type field struct {
	Name   string `xml:"name,attr"`
	Type   string `xml:"type,attr,omitempty"`
	Prompt prompt `xml:"prompt"`
	Filled filled `xml:"filled"`
}

type filled struct {
	Submit submit `xml:"submit"`
}

type submit struct {
	Next   string `xml:"next,attr"`
	Method string `xml:"method,attr"`
	Names  string `xml:"namelist,attr"`
}

// prompt is SSML 1.1 inside VoiceXML.
type prompt struct {
	Voice voice `xml:"voice"`
}

type voice struct {
	Name    string  `xml:"name,attr,omitempty"`
	Prosody prosody `xml:"prosody"`
}

type prosody struct {
	Rate  string   `xml:"rate,attr,omitempty"`
	Words []spoken `xml:"s"`
}

type spoken struct {
	Text string `xml:",chardata"`
}

// after is what a gateway does once it has said what it was given.
type after int

const (
	listen after = iota // for what the caller says
	holdOn              // come back at once and ask for the answer that is awaited
	hangUp
)

// What is said where nobody is listened to.
const nobody = "Nobody answers here any more. Goodbye."

const sorry = "I am sorry, something is wrong here. Please call again in a minute."

// speak answers a gateway: what to say and what to do then. last is the newest
// message the caller has heard.
func (h *Phones) speak(w http.ResponseWriter, r *http.Request, l line, t turn, last int64, then after,
	words ...string) {
	p := prompt{voice{Name: l.is.Voice, Prosody: prosody{Rate: l.is.Speed}}}
	for _, text := range words {
		p.Voice.Prosody.Words = append(p.Voice.Prosody.Words, spoken{text})
	}
	quoted := func(s string) string {
		return "'" + strings.NewReplacer(`\`, `\\`, "'", `\'`, "\n", " ").Replace(s) + "'"
	}
	d := document{Version: "2.1", Lang: "en-GB",
		Form: voiceForm{ID: "turn", Vars: []variable{{"call", quoted(t.call)}, {"from", quoted(t.from)},
			{"after", quoted(fmt.Sprint(last))}}}}
	next := submit{Next: r.URL.Path, Method: "post", Names: "call from after said"}
	switch then {
	case holdOn:
		d.Form.Vars = append(d.Form.Vars, variable{"waiting", quoted("yes")},
			variable{"heard", quoted(fmt.Sprintf("%d-%x", t.heard.length, t.heard.sum))})
		next.Names = "call from after waiting heard"
		d.Form.Block = &block{Prompt: p, Submit: &next}
	case hangUp:
		d.Form.Block = &block{Prompt: p, End: &struct{}{}}
	case listen:
		d.Form.Field = &field{Name: "said", Prompt: p, Filled: filled{next}}
	}
	body, err := xml.MarshalIndent(d, "", " ")
	if err != nil {
		h.Log.Error("a telephone answer could not be written", "error", err)
		problem.Write(w, http.StatusInternalServerError, "Something went wrong here", "It is in the service's log.")
		return
	}
	w.Header().Set("Content-Type", "application/voicexml+xml; charset=utf-8")
	w.Header().Set("Cache-Control", "no-store")
	_, _ = w.Write(append([]byte(xml.Header), body...))
}
