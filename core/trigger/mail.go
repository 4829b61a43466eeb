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
	Happens    string // arrived, flagged or moved
	Flag       string // for flagged, an IMAP keyword or system flag
	From       []string
	WholeWords // of the subject and the text
	Every      time.Duration
}

// Fields are what it may say.
func (m *Mail) Fields() []flow.Field {
	return []flow.Field{
		{Name: "connection", Into: &m.Connection, Holds: flow.HoldsConnection, Kind: "mailbox", Required: true,
			Help: "The mailbox.", Example: "office-mail"},
		{Name: "folder", Into: &m.Folder, Default: "INBOX", Help: "The folder.", Example: "Offers"},
		{Name: "happens", Into: &m.Happens, Choices: []string{"arrived", "flagged", "moved"}, Default: "arrived",
			Help: "What happens to the mail.", Example: "flagged"},
		{Name: "flag", Into: &m.Flag, Default: `\Flagged`, Help: "The flag, for happens: flagged.", Example: "Wool"},
		{Name: "from", Into: &m.From, Help: "Only mails from one of these; a part of the address will do.",
			Example: "[nettlecote.example]"},
		m.WholeWords.hasField("Only mails with all of these words, as whole words.", "[offer]"),
		m.WholeWords.lacksField("Only mails with none of these words.", "[out of office]"),
		everyField(&m.Every),
	}
}

// Agree keeps a flag with flagged.
func (m *Mail) Agree(r flow.Reading) {
	notTooOften(r, &m.Every)
	r.Only(m.Flagged(), "add happens: flagged, or remove it", "%s belongs to mails that are given one", "flag")
}

// Flagged tells whether a mail counts once it is given the flag.
func (m *Mail) Flagged() bool { return m.Happens == "flagged" }

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

func (m *Mail) tellFolder(p *flow.Sentence) {
	p.Field("folder").Word(m.Folder).Say(" of ").Field("connection").Connection(m.Connection)
}

// tell says which mails are meant, behind "a mail".
func (m *Mail) tell(p *flow.Sentence) {
	switch m.Happens {
	case "flagged":
		m.tellFolder(p.Say("in "))
		p.Say(" is marked ").Field("flag").Word(strings.TrimPrefix(m.Flag, `\`))
	case "moved":
		m.tellFolder(p.Say("is moved to "))
	default:
		m.tellFolder(p.Say("arrives in "))
	}
	if len(m.From) > 0 {
		p.Say(", from ").Field("from").Either(m.From)
	}
	m.WholeWords.tell(p)
}

// Shape is that of its signals.
func (*Mail) Shape(*flow.Workspace, flow.Catalogue) shape.Shape {
	text, list := shape.Text(), shape.List(shape.Text())
	return flow.SignalShape(shape.Map(map[string]shape.Shape{"name": text, "email": text, "verified": shape.Bool()}),
		shape.Map(map[string]shape.Shape{"message_id": text, "in_reply_to": text, "authentication": text,
			"subject": text, "to": list, "cc": list, "html": text, "folder": text, "uid": shape.Number(),
			"flags": list, "left_out": list, "date": shape.Time()}))
}

// Source is the folder.
func (m *Mail) Source() string { return "/mail/" + m.Connection + "/" + m.Folder }

// HeardBy is the mail it answers.
func (*Mail) HeardBy() flow.HeardBy { return flow.ByAnswered }
