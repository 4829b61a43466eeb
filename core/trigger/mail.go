package trigger

import (
	"strings"
	"time"

	"woolsignal/core/flow"
	"woolsignal/core/shape"
)

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

// Fields are what it may say.
func (m *Mail) Fields() []flow.Field {
	return []flow.Field{
		{Name: "connection", Into: &m.Connection, Holds: flow.HoldsConnection, Kind: "mailbox", Required: true,
			Help: "The mailbox.", Example: "office-mail"},
		{Name: "folder", Into: &m.Folder, Default: "INBOX", Help: "The folder.", Example: "Offers"},
		{Name: "on", Into: &m.On, Choices: []string{"arrived", "flagged", "moved"}, Default: "arrived",
			Help: "What happens to the mail.", Example: "flagged"},
		{Name: "flag", Into: &m.Flag, Default: `\Flagged`, Help: "The flag, for on: flagged.", Example: "Wool"},
		{Name: "from", Into: &m.From, Help: "Only mails from one of these; a part of the address will do.",
			Example: "[nettlecote.example]"},
		{Name: "has", Into: &m.Has, Help: "Only mails with all of these words.", Example: "[offer]"},
		{Name: "lacks", Into: &m.Lacks, Help: "Only mails with none of these words.", Example: "[out of office]"},
		everyField(&m.Every),
	}
}

// Agree keeps a flag with flagged.
func (m *Mail) Agree(r flow.Reading) {
	notTooOften(r, &m.Every)
	r.Only(m.Flagged(), "add on: flagged, or remove it", "%s belongs to mails that are given one", "flag")
}

// Flagged tells whether a mail counts once it is given the flag.
func (m *Mail) Flagged() bool { return m.On == "flagged" }

// Check has nothing more to check.
func (*Mail) Check(*flow.Checker, *flow.Trigger) {}

// Tell says which mails are meant.
func (m *Mail) Tell(p *flow.Sentence, _ *flow.Trigger) {
	p.Say("When a mail ")
	m.tell(p)
}

// TellHeard says which mail is waited for.
func (m *Mail) TellHeard(p *flow.Sentence) {
	p.Say("a mail that ")
	m.tell(p)
	p.Say(", in answer to ")
}

// tell says which mails are meant, behind "a mail".
func (m *Mail) tell(p *flow.Sentence) {
	switch m.On {
	case "flagged":
		p.Say("in ").Word(m.Folder).Say(" of ").Connection(m.Connection).Say(" is marked ").
			Word(strings.TrimPrefix(m.Flag, `\`))
	case "moved":
		p.Say("is moved to ").Word(m.Folder).Say(" of ").Connection(m.Connection)
	default:
		p.Say("arrives in ").Word(m.Folder).Say(" of ").Connection(m.Connection)
	}
	if len(m.From) > 0 {
		p.Say(", from ").Words(m.From, " or ")
	}
	if len(m.Has) > 0 {
		p.Say(", with the words ").Words(m.Has, ", ")
	}
	if len(m.Lacks) > 0 {
		p.Say(", without ").Words(m.Lacks, ", ")
	}
}

// Shape is that of its signals.
func (*Mail) Shape(*flow.Workspace, flow.Catalogue) shape.Shape {
	text, list := shape.Text(), shape.List(shape.Text())
	return flow.SignalShape(flow.Texts("name", "email"),
		shape.Map(map[string]shape.Shape{"message_id": text, "in_reply_to": text,
			"subject": text, "to": list, "cc": list, "html": text, "folder": text, "uid": shape.Number(), "flags": list,
			"date": shape.Time()}))
}

// Source is the folder.
func (m *Mail) Source() string { return "/mail/" + m.Connection + "/" + m.Folder }

// HeardBy is the mail it answers.
func (*Mail) HeardBy() flow.HeardBy { return flow.ByAnswered }
