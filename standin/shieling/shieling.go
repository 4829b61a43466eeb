// Package shieling plays the co-operative's team chat: rooms, threads,
// private messages, reactions and bots, as docs/chat-server.md describes a
// chat server, with a page to type in as anybody.
package shieling

import (
	"bytes"
	_ "embed"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"slices"
	"strconv"
	"strings"
	"sync"
	"time"
	"unicode/utf8"

	"github.com/go-chi/chi/v5"
	webhooks "github.com/standard-webhooks/standard-webhooks/libraries/go"

	"woolsignal/standin/ledger"
)

// Description is the server's OpenAPI description.
//
//go:embed openapi.json
var Description string

//go:embed page.html
var page []byte

// Person is somebody with a name in the chat.
type Person struct {
	Handle string `json:"handle"`
	Name   string `json:"name"`
	Email  string `json:"email"`
	Sign   string `json:"sign,omitempty"` // beside the name of who writes by the bot
}

// people are the co-operative's, all made up.
var people = []Person{
	{Handle: "ines", Name: "Ines Faro", Email: "ines@larkrigg.example"}, {Handle: "tobias", Name: "Tobias Quill",
		Email: "tobias@larkrigg.example"},
	{Handle: "elin", Name: "Elin Marrack", Email: "elin@larkrigg.example"}, {Handle: "owen", Name: "Owen Thrale",
		Email: "owen@larkrigg.example"},
}

// Room is a room; bot tells whether the bot is in it.
type Room struct {
	Name   string `json:"name"`
	Title  string `json:"title"`
	Member bool   `json:"member"`
}

// File is a file somebody put into the chat.
type File struct {
	Name string `json:"name"`
	Path string `json:"path"`
	kind string
	data []byte
}

// Message is what somebody wrote.
type Message struct {
	ID        string    `json:"id"`
	Room      string    `json:"room"`
	Direct    bool      `json:"direct,omitempty"`
	Thread    string    `json:"thread"`
	From      Person    `json:"from"`
	Bot       bool      `json:"bot,omitempty"`
	Text      string    `json:"text"`
	Picture   any       `json:"picture,omitempty"`
	File      any       `json:"file,omitempty"`
	Buttons   []string  `json:"buttons,omitempty"`
	Layout    []any     `json:"layout,omitempty"`
	Files     []File    `json:"files,omitempty"`
	Reactions []string  `json:"reactions,omitempty"`
	At        time.Time `json:"at"`
}

// Server is the chat.
type Server struct {
	token string // the bot's
	hook  *webhooks.Webhook

	mu       sync.Mutex // guards what follows
	rooms    []*Room
	messages []*Message
	files    []*File
	kept     map[string]*Message // by idempotency key
	events   string              // where messages are told
	client   *http.Client
}

// bot is who the bot is.
var bot = Person{Handle: "woolsignal", Name: "Depot bot"}

// New makes the chat. token is the bot's; secret signs what it is told.
func New(token, secret string) (*Server, http.Handler, error) {
	hook, err := webhooks.NewWebhook(secret)
	if err != nil {
		return nil, nil, fmt.Errorf("shieling: %w", err)
	}
	s := &Server{token: token, hook: hook, kept: map[string]*Message{}, client: &http.Client{Timeout: 10 * time.Second},
		rooms: []*Room{{"docks", "Docks and slots", true}, {"office", "Office", true}, {"market", "Market", true},
			{"gang", "Shearing gang", false}, {"shearing", "Shearing log", true},
			{"rules", "Rules and letters", true}, {"papers", "What the papers say", true}}}
	r := chi.NewRouter()
	r.Get("/", func(w http.ResponseWriter, _ *http.Request) {
		w.Header().Set("Content-Type", "text/html; charset=utf-8")
		_, _ = w.Write(page)
	})
	r.Get("/openapi.json", func(w http.ResponseWriter, _ *http.Request) {
		w.Header().Set("Content-Type", "application/json")
		_, _ = io.WriteString(w, Description)
	})
	r.Get("/files/{n}/{name}", s.file)
	r.Route("/api", func(r chi.Router) {
		r.Use(s.signedIn)
		r.Get("/me", func(w http.ResponseWriter, _ *http.Request) { answer(w, http.StatusOK, bot) })
		r.Get("/rooms", s.listRooms)
		r.Post("/rooms/{room}/messages", s.post)
		r.Get("/rooms/{room}/threads/{thread}", s.thread)
		r.Post("/people/{handle}/messages", s.direct)
		r.Post("/messages/{id}/reactions", s.react)
		r.Post("/files", s.upload)
	})
	// What the demo and the page use; a real server asks who you are.
	r.Get("/_all", s.all)
	r.Post("/_say", s.say)
	r.Post("/_events", s.setEvents)
	r.Post("/_invite", s.invite)
	return s, ledger.Wrap(r), nil
}

func (s *Server) signedIn(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if r.Header.Get("Authorization") != "Bearer "+s.token {
			refuse(w, http.StatusUnauthorized, "the bot's token is missing or wrong")
			return
		}
		next.ServeHTTP(w, r)
	})
}

func (s *Server) listRooms(w http.ResponseWriter, _ *http.Request) {
	s.mu.Lock()
	defer s.mu.Unlock()
	answer(w, http.StatusOK, map[string]any{"rooms": s.rooms})
}

func (s *Server) room(name string) *Room {
	for _, r := range s.rooms {
		if strings.EqualFold(r.Name, name) {
			return r
		}
	}
	return nil
}

// longest is how many characters a message may have.
const longest = 4000

func (s *Server) post(w http.ResponseWriter, r *http.Request) {
	s.mu.Lock()
	room := s.room(chi.URLParam(r, "room"))
	s.mu.Unlock()
	switch {
	case room == nil:
		refuse(w, http.StatusNotFound, "there is no room "+chi.URLParam(r, "room"))
	case !room.Member:
		refuse(w, http.StatusForbidden, "the bot is not in the room "+room.Name+"; invite it there")
	default:
		s.write(w, r, Message{Room: room.Name})
	}
}

func (s *Server) direct(w http.ResponseWriter, r *http.Request) {
	handle := chi.URLParam(r, "handle")
	if !slices.ContainsFunc(people, func(p Person) bool { return p.Handle == handle }) {
		refuse(w, http.StatusNotFound, "nobody here is called "+handle)
		return
	}
	s.write(w, r, Message{Room: handle, Direct: true})
}

// write takes the bot's message. The same Idempotency-Key gives the same one.
func (s *Server) write(w http.ResponseWriter, r *http.Request, m Message) {
	dec := json.NewDecoder(http.MaxBytesReader(w, r.Body, 256<<10))
	var in struct {
		Text, Thread  string
		Picture, File any
		Buttons       []string
		Layout        []any
		As            struct{ Name, Picture string }
	}
	if err := dec.Decode(&in); err != nil {
		refuse(w, http.StatusBadRequest, err.Error())
		return
	}
	if utf8.RuneCountInString(in.Text) > longest {
		refuse(w, http.StatusUnprocessableEntity, fmt.Sprintf("a message has at most %d characters", longest))
		return
	}
	key := r.Header.Get("Idempotency-Key")
	s.mu.Lock()
	defer s.mu.Unlock()
	if known := s.kept[key]; key != "" && known != nil {
		answer(w, http.StatusOK, map[string]any{"id": known.ID, "thread": known.Thread})
		return
	}
	m.From, m.Bot, m.Text, m.Thread = bot, true, in.Text, in.Thread
	if in.As.Name != "" { // it stays the bot, as its handle says
		m.From.Name, m.From.Sign = in.As.Name, in.As.Picture
	}
	m.Picture, m.File, m.Buttons, m.Layout = in.Picture, in.File, in.Buttons, in.Layout
	kept := s.keep(m)
	if key != "" {
		s.kept[key] = kept
	}
	answer(w, http.StatusCreated, map[string]any{"id": kept.ID, "thread": kept.Thread})
}

// keep numbers a message. s.mu is held.
func (s *Server) keep(m Message) *Message {
	m.ID, m.At = fmt.Sprintf("m-%d", len(s.messages)+1), time.Now()
	if m.Thread == "" {
		m.Thread = m.ID
	}
	s.messages = append(s.messages, &m)
	return &m
}

func (s *Server) thread(w http.ResponseWriter, r *http.Request) {
	s.mu.Lock()
	defer s.mu.Unlock()
	out := []map[string]any{}
	for _, m := range s.messages {
		if m.Thread == chi.URLParam(r, "thread") && strings.EqualFold(m.Room, chi.URLParam(r, "room")) {
			out = append(out, map[string]any{"id": m.ID, "from": m.From.Name, "text": m.Text,
				"at": m.At.Format(time.RFC3339)})
		}
	}
	answer(w, http.StatusOK, map[string]any{"messages": out})
}

func (s *Server) react(w http.ResponseWriter, r *http.Request) {
	var in struct{ Emoji string }
	if err := json.NewDecoder(r.Body).Decode(&in); err != nil {
		refuse(w, http.StatusBadRequest, err.Error())
		return
	}
	if in.Emoji == "" {
		refuse(w, http.StatusBadRequest, "emoji is missing")
		return
	}
	s.mu.Lock()
	defer s.mu.Unlock()
	for _, m := range s.messages {
		if m.ID == chi.URLParam(r, "id") {
			if !slices.Contains(m.Reactions, in.Emoji) {
				m.Reactions = append(m.Reactions, in.Emoji)
			}
			answer(w, http.StatusOK, map[string]any{})
			return
		}
	}
	refuse(w, http.StatusNotFound, "there is no such message")
}

func (s *Server) upload(w http.ResponseWriter, r *http.Request) {
	data, err := io.ReadAll(http.MaxBytesReader(w, r.Body, 10<<20))
	if err != nil {
		refuse(w, http.StatusRequestEntityTooLarge, "a file has at most 10 MB")
		return
	}
	s.mu.Lock()
	defer s.mu.Unlock()
	f := &File{Name: r.URL.Query().Get("name"), kind: r.Header.Get("Content-Type"), data: data}
	f.Path = "/files/" + strconv.Itoa(len(s.files)) + "/" + f.Name
	s.files = append(s.files, f)
	answer(w, http.StatusCreated, f)
}

func (s *Server) file(w http.ResponseWriter, r *http.Request) {
	s.mu.Lock()
	defer s.mu.Unlock()
	n, err := strconv.Atoi(chi.URLParam(r, "n"))
	if err != nil || n < 0 || n >= len(s.files) {
		refuse(w, http.StatusNotFound, "there is no such file")
		return
	}
	w.Header().Set("Content-Type", s.files[n].kind)
	_, _ = w.Write(s.files[n].data)
}

func (s *Server) all(w http.ResponseWriter, _ *http.Request) {
	s.mu.Lock()
	defer s.mu.Unlock()
	answer(w, http.StatusOK, map[string]any{"people": people, "rooms": s.rooms,
		"messages": slices.Concat([]*Message{}, s.messages)})
}

// Said is what somebody types on the page.
type Said struct {
	As, Room, To, Thread, Text string // To is whom a private message of theirs is for: the bot
	Direct                     bool
	Files                      map[string][]byte
}

// say posts as a person, and tells the bot of it.
func (s *Server) say(w http.ResponseWriter, r *http.Request) {
	var in Said
	if err := json.NewDecoder(r.Body).Decode(&in); err != nil {
		refuse(w, http.StatusBadRequest, err.Error())
		return
	}
	i := slices.IndexFunc(people, func(p Person) bool { return p.Handle == in.As })
	if i < 0 {
		refuse(w, http.StatusUnprocessableEntity, "nobody here is called "+in.As)
		return
	}
	s.mu.Lock()
	m := Message{Room: in.Room, Direct: in.Direct, Thread: in.Thread, From: people[i], Text: in.Text}
	if in.Direct {
		m.Room = in.As
	}
	for name, data := range in.Files {
		f := &File{Name: name, kind: http.DetectContentType(data), data: data}
		f.Path = "/files/" + strconv.Itoa(len(s.files)) + "/" + f.Name
		s.files = append(s.files, f)
		m.Files = append(m.Files, *f)
	}
	kept := *s.keep(m)
	events := s.events
	s.mu.Unlock()
	if events != "" {
		go s.tell(events, kept)
	}
	answer(w, http.StatusCreated, kept)
}

// tell brings a message to the bot, again and again while it is not taken.
func (s *Server) tell(to string, m Message) {
	body, err := json.Marshal(map[string]any{"type": "message.posted", "id": m.ID, "room": m.Room, "direct": m.Direct,
		"thread": m.Thread, "text": m.Text, "bot": m.Bot, "from": m.From, "files": m.Files})
	if err != nil {
		return
	}
	for try := range 8 {
		at := time.Now()
		signature, err := s.hook.Sign(m.ID, at, body)
		if err != nil {
			return
		}
		request, err := http.NewRequest(http.MethodPost, to, bytes.NewReader(body))
		if err != nil {
			return
		}
		for name, v := range map[string]string{"Content-Type": "application/json", "webhook-id": m.ID,
			"webhook-timestamp": strconv.FormatInt(at.Unix(), 10), "webhook-signature": signature} {
			request.Header.Set(name, v)
		}
		response, err := s.client.Do(request)
		if err == nil {
			response.Body.Close()
			if response.StatusCode < 500 && response.StatusCode != http.StatusTooManyRequests {
				return
			}
		}
		time.Sleep(time.Duration(try+1) * 500 * time.Millisecond)
	}
}

// setEvents says where messages are told.
func (s *Server) setEvents(w http.ResponseWriter, r *http.Request) {
	var in struct{ URL string }
	if err := json.NewDecoder(r.Body).Decode(&in); err != nil {
		refuse(w, http.StatusBadRequest, err.Error())
		return
	}
	s.mu.Lock()
	defer s.mu.Unlock()
	s.events = in.URL
	w.WriteHeader(http.StatusNoContent)
}

// invite puts the bot into a room.
func (s *Server) invite(w http.ResponseWriter, r *http.Request) {
	var in struct{ Room string }
	if err := json.NewDecoder(r.Body).Decode(&in); err != nil {
		refuse(w, http.StatusBadRequest, err.Error())
		return
	}
	s.mu.Lock()
	defer s.mu.Unlock()
	if room := s.room(in.Room); room != nil {
		room.Member = true
	}
	w.WriteHeader(http.StatusNoContent)
}

func answer(w http.ResponseWriter, status int, v any) {
	w.Header().Set("Content-Type", "application/json")
	w.WriteHeader(status)
	_ = json.NewEncoder(w).Encode(v)
}

func refuse(w http.ResponseWriter, status int, detail string) {
	answer(w, status, map[string]any{"title": http.StatusText(status), "status": status, "detail": detail})
}
