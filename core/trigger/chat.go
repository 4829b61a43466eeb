package trigger

import (
	"unicode"
	"unicode/utf8"

	"woolsignal/core/flow"
	"woolsignal/core/shape"
)

// Chat starts a run with each message of a conversation: on a page of the
// service, or in a room or the private messages of a team's chat server.
type Chat struct {
	Page        string
	Open        bool   // anybody with the address may write on the page
	SpeaksFirst bool   // the page begins by itself: a run is started before anybody wrote
	Connection  string // a chat_server; "" for a page
	Room        string
	Direct      bool   // private messages to the bot
	Nod         string // the emoji a message is marked with at once; "" is none
}

// BallOfYarn is what a message is marked with unless a file says otherwise.
const BallOfYarn = "🧶"

// longestEmoji is how many code points an emoji has at most: a family of four,
// each with a skin tone.
const longestEmoji = 15

// isEmoji tells whether a text is one emoji, as far as can be told without a
// table of them all: symbols and what joins them, no words.
func isEmoji(s string) bool {
	symbols := 0
	for _, r := range s {
		switch {
		case unicode.IsLetter(r) || unicode.IsSpace(r) || unicode.IsControl(r):
			return false
		case r > unicode.MaxLatin1:
			symbols++
		}
	}
	return symbols > 0 && utf8.RuneCountInString(s) <= longestEmoji
}

// Fields are what it may say.
func (c *Chat) Fields() []flow.Field {
	return []flow.Field{
		{Name: "page", Into: &c.Page, Holds: flow.HoldsSlug, Help: "The conversation in the console and at /talk/PAGE.",
			Example: "depot"},
		{Name: "open", Into: &c.Open, Help: "Anybody with the address may write on the page, without signing in.",
			Example: "true"},
		{Name: "speaks_first", Into: &c.SpeaksFirst, Example: "true",
			Help: "The page begins by itself: whoever opens it reads what the workflow says or asks first."},
		{Name: "connection", Into: &c.Connection, Holds: flow.HoldsConnection, Kind: "chat_server",
			Help: "Or the chat server where it is held.", Example: "shieling"},
		{Name: "room", Into: &c.Room, Help: "The room there.", Example: "docks"},
		{Name: "direct", Into: &c.Direct, Help: "Private messages to the bot instead of a room.", Example: "true"},
		{Name: "nod", Into: &c.Nod, Default: BallOfYarn,
			Help: `The emoji a message is marked with at once on a chat server; "" is none.`, Example: "🐑"},
	}
}

// Agree insists on one place where the conversation is held.
func (c *Chat) Agree(m flow.Reading) {
	switch {
	case m.Has("page") == m.Has("connection"):
		m.Wrong("", "add page: a name such as depot, or connection: a chat_server",
			"a conversation is on a page, or on a chat server: say which")
	case c.Connection != "" && m.Has("room") == c.Direct:
		m.Wrong("", "add room: its name, or direct: true",
			"on a chat server a conversation is in a room, or private: say which")
	case c.Connection != "":
		m.Only(false, "remove it", "%s belongs to a page of the service", "open", "speaks_first")
	}
	if m.Has("nod") && c.Nod != "" && !isEmoji(c.Nod) {
		m.Wrong("nod", `write one, such as "🐑", or "" for none`, "%q is no emoji", c.Nod)
	}
}

// Check has nothing more to check.
func (*Chat) Check(*flow.Checker, *flow.Trigger) {}

// Tell says where somebody writes.
func (c *Chat) Tell(p *flow.Sentence, _ *flow.Trigger) {
	p.Say("When somebody writes ").Say(c.where()).Field(c.field()).Word(c.name(p))
	c.on(p)
}

// TellHeard says which message is waited for.
func (c *Chat) TellHeard(p *flow.Sentence) {
	p.Say("a message ").Say(c.where()).Field(c.field()).Word(c.name(p))
	c.on(p)
	p.Say(" in the conversation ")
}

func (c *Chat) where() string {
	switch {
	case c.Page != "":
		return "in the chat page "
	case c.Direct:
		return "to the bot in private on "
	}
	return "in the room "
}

// field is the one that says where.
func (c *Chat) field() string {
	switch {
	case c.Page != "":
		return "page"
	case c.Direct:
		return "connection"
	}
	return "room"
}

func (c *Chat) name(p *flow.Sentence) string {
	switch {
	case c.Page != "":
		return c.Page
	case c.Direct:
		return p.Title(c.Connection)
	}
	return c.Room
}

func (c *Chat) on(p *flow.Sentence) {
	if c.Page == "" && !c.Direct {
		p.Say(" on ").Field("connection").Connection(c.Connection)
	}
}

// Shape is that of its signals.
func (c *Chat) Shape(*flow.Workspace, flow.Catalogue) shape.Shape {
	if c.Connection != "" {
		return flow.SignalShape(flow.Texts("name", "email", "handle"), flow.Texts("room", "message"))
	}
	return flow.SignalShape(flow.PersonShape(), shape.Map(nil))
}

// Source is where its signals come from.
func (c *Chat) Source() string {
	switch {
	case c.Connection != "" && c.Direct:
		return "/chat/" + c.Connection + "/direct"
	case c.Connection != "":
		return "/chat/" + c.Connection + "/rooms/" + c.Room
	}
	return "/chat/" + c.Page
}

// Claims names the place it has for itself alone.
func (c *Chat) Claims() string {
	switch {
	case c.Connection != "" && c.Direct:
		return "the private messages of " + c.Connection
	case c.Connection != "":
		return "the room " + c.Room + " of " + c.Connection
	}
	return "the chat page " + c.Page
}

// HeardBy is the conversation.
func (*Chat) HeardBy() flow.HeardBy { return flow.ByConversation }

// Talks tells that somebody can be answered.
func (*Chat) Talks() {}
