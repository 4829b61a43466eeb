package flow

import (
	"strings"
	"time"

	"go.yaml.in/yaml/v3"

	"woolsignal/core/calendar"
)

// Trigger is one thing that starts a run. Exactly one kind is set.
type Trigger struct {
	ID       string
	At       Pos
	Chat     *Chat
	Webhook  *Webhook
	Schedule *Schedule
	Form     *Form
	Mail     *Mail
	Row      *Row
	Calendar *CalendarWatch
	File     *FileWatch
	Feed     *Feed
	Phone    *Phone
	Failure  *Failure
}

// Chat starts a run with each message of a conversation: on a page of the
// service, or in a room or the private messages of a team's chat server.
type Chat struct {
	Page        string
	Open        bool   // anybody with the address may write on the page
	Connection  string // a chat_server; "" for a page
	Room        string
	Direct      bool   // private messages to the bot
	Acknowledge string // the reaction a message gets at once; "" is none
}

// Webhook starts a run with each verified POST to /in/<Path>.
type Webhook struct {
	Path         string
	Verify       string // a connection of kind signing_key
	Accepts      string // path of a JSON Schema in the workspace
	Computed     bool   // the workflow answers the caller; else a receipt does
	AnswerWithin time.Duration
	Subject      *Value // what the delivery is about, over signal; waits look it up by this
}

// Schedule starts runs at times.
type Schedule struct {
	calendar.Rule
	Before *BeforeEvent // counted from events of a calendar instead of by the rule
	Missed string       // what becomes of times while nothing ran: skip, once or all
}

// BeforeEvent is a stretch of time before each event of a calendar.
type BeforeEvent struct {
	Connection string
	Calendar   string // "" is every calendar of the connection
	Match      string // words the event's title must have; "" takes all
	Lead       Span
}

// Form starts a run with each form somebody sends from /form/<Page>.
type Form struct {
	Page, Title, Intro string
	Fields             []FormField
	Thanks             string
}

// FormField is one thing a form asks for.
type FormField struct {
	Name, Label, Hint string
	Type              string // text, long_text, number, date, choice, email, phone or file
	Optional          bool
	Choices           []string
	Most              int // characters of a text, bytes of a file; 0 is the usual
}

// Mail starts a run with each mail that arrives in a folder, is given a flag,
// or is moved there.
type Mail struct {
	Connection string
	Folder     string
	On         string // arrived, flagged or moved
	Flag       string // for flagged, an IMAP keyword or system flag
	From       []string
	Has, Lacks []string
	Every      time.Duration
}

// Row starts a run with each row that is added or changed: of a table of the
// workspace, or of a list that a tool gives.
type Row struct {
	Table   string
	Tool    string // looked at every so often, where Table is ""
	Args    []Entry
	Of      *Expression // over result: the list of rows
	Key     string      // the field that tells rows apart
	On      string      // added, changed or either
	Columns []string    // only these travel on; none is all
	Every   time.Duration
}

// CalendarWatch starts a run so long before each event, or when one changes.
type CalendarWatch struct {
	Connection string
	Calendar   string // "" is every calendar of the connection
	Before     Span
	Changed    bool // an event was added, moved or removed, or its guests or their answers changed
	Match      string
	Every      time.Duration
}

// FileWatch starts a run with each file that appears in a folder.
type FileWatch struct {
	Connection string
	Folder     string
	Name       string // a pattern such as *.txt; "" takes all
	Every      time.Duration
}

// Feed starts a run with each new item of an RSS or Atom feed.
type Feed struct {
	Connection string
	Address    string
	Every      time.Duration
}

// Phone starts a run with each turn of a telephone call that a VoiceXML
// gateway brings to /call/<Path>. The turns of a call are one thread.
type Phone struct {
	Path   string
	Verify string // a connection of kind signing_key
	Voice  string // a name the gateway knows; "" is its own
	Speed  string // an SSML rate, such as medium or 90%
	Within time.Duration
}

// Failure starts a run when a run of one of these workflows fails; of any
// where none is named.
type Failure struct{ Of []string }

// Kind names the trigger's kind as files do.
func (t Trigger) Kind() string {
	switch {
	case t.Chat != nil:
		return "chat"
	case t.Webhook != nil:
		return "webhook"
	case t.Schedule != nil:
		return "schedule"
	case t.Form != nil:
		return "form"
	case t.Mail != nil:
		return "mail"
	case t.Row != nil:
		return "row"
	case t.Calendar != nil:
		return "calendar"
	case t.File != nil:
		return "file"
	case t.Feed != nil:
		return "feed"
	case t.Phone != nil:
		return "phone"
	}
	return "failure"
}

// Source is where signals of this trigger come from, as their source
// attribute says it. Triggers of one source are served by one look at it.
func (t Trigger) Source() string {
	switch {
	case t.Chat != nil && t.Chat.Connection != "" && t.Chat.Direct:
		return "/chat/" + t.Chat.Connection + "/direct"
	case t.Chat != nil && t.Chat.Connection != "":
		return "/chat/" + t.Chat.Connection + "/rooms/" + t.Chat.Room
	case t.Chat != nil:
		return "/chat/" + t.Chat.Page
	case t.Webhook != nil:
		return "/in/" + t.Webhook.Path
	case t.Schedule != nil:
		return "/schedule"
	case t.Form != nil:
		return "/form/" + t.Form.Page
	case t.Mail != nil:
		return "/mail/" + t.Mail.Connection + "/" + t.Mail.Folder
	case t.Row != nil && t.Row.Table != "":
		return "/tables/" + t.Row.Table
	case t.Row != nil:
		return "/rows/" + t.Row.Tool
	case t.Calendar != nil:
		return "/calendar/" + t.Calendar.Connection
	case t.File != nil:
		return "/files/" + t.File.Connection + "/" + t.File.Folder
	case t.Feed != nil:
		return "/feed/" + t.Feed.Connection
	case t.Phone != nil:
		return "/call/" + t.Phone.Path
	}
	return "/failure"
}

// Place is what a trigger claims for itself alone, and how it is called: a
// webhook's path, the page of a form or chat, a telephone line, a room or the
// private messages of a chat server. Both are "" where triggers may share.
func (t Trigger) Place() (place, words string) {
	switch {
	case t.Webhook != nil:
		words = "the webhook path " + t.Webhook.Path
	case t.Form != nil:
		words = "the form's page " + t.Form.Page
	case t.Phone != nil:
		words = "the telephone line " + t.Phone.Path
	case t.Chat != nil && t.Chat.Connection != "" && t.Chat.Direct:
		words = "the private messages of " + t.Chat.Connection
	case t.Chat != nil && t.Chat.Connection != "":
		words = "the room " + t.Chat.Room + " of " + t.Chat.Connection
	case t.Chat != nil:
		words = "the chat page " + t.Chat.Page
	default:
		return "", ""
	}
	return strings.ToLower(t.Source()), words // servers do not tell rooms apart by capitals
}

// Connection is the id of the connection a trigger watches or is verified
// by; "" where it needs none.
func (t Trigger) Connection() string {
	switch {
	case t.Chat != nil:
		return t.Chat.Connection
	case t.Webhook != nil:
		return t.Webhook.Verify
	case t.Schedule != nil && t.Schedule.Before != nil:
		return t.Schedule.Before.Connection
	case t.Mail != nil:
		return t.Mail.Connection
	case t.Row != nil:
		return connectionOf(t.Row.Tool)
	case t.Calendar != nil:
		return t.Calendar.Connection
	case t.File != nil:
		return t.File.Connection
	case t.Feed != nil:
		return t.Feed.Connection
	case t.Phone != nil:
		return t.Phone.Verify
	}
	return ""
}

// Talks tells whether somebody can be answered where the signal came from.
func (t Trigger) Talks() bool { return t.Chat != nil || t.Phone != nil }

// Hear is a signal a run waits for.
type Hear struct {
	Trigger          // its kind and where it comes from
	On         Value // what the signal must be about: its thread in a chat, else its subject
	Match      *Expression
	AlsoStarts bool // it starts a run of its own trigger as well
}

// Fields are what hear may say beside where the signal comes from.
func (h *Hear) Fields() []Field {
	return []Field{
		{Name: "on", Into: &h.On, Missing: "nothing says which signal is meant", Example: "${sent.message_id}",
			Help: "What the signal must be about: the thread of a chat, the mail it answers, else its subject."},
		{Name: "match", Into: &h.Match, Help: "Only a signal this holds for; it sees heard.", Example: "heard.body.kg > 0"},
		{Name: "also_starts", Into: &h.AlsoStarts, Help: "The signal starts a run of its own trigger as well.", Example: "true"},
	}
}

// readFrom reads the fields, and the one key that says where signals come
// from.
func (h *Hear) readFrom(r *reader, n *yaml.Node) {
	table := Described(h.Fields())
	f, ok := r.mapping(n, "hear", append(names(table), hearKinds...)...)
	if !ok {
		return
	}
	r.table(Reading{r, f, "hear"}, table)
	h.Trigger, _ = r.source(f, "hear", hearKinds)
}
