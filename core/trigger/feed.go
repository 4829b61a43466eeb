package trigger

import (
	"time"

	"woolsignal/core/flow"
	"woolsignal/core/shape"
)

// Feed starts a run with each new item of an RSS or Atom feed.
type Feed struct {
	Connection string
	Address    string
	Every      time.Duration
}

// Fields are what it may say.
func (f *Feed) Fields() []flow.Field {
	return []flow.Field{
		{Name: "connection", Into: &f.Connection, Holds: flow.HoldsConnection, Kind: "web", Required: true,
			Help: "The connection that may read it.", Example: "gazette"},
		{Name: "address", Into: &f.Address, Required: true, Help: "Where the feed is.",
			Example: "https://gazette.example/feed.xml"},
		everyField(&f.Every),
	}
}

// Agree refuses to look too often.
func (f *Feed) Agree(m flow.Reading) { notTooOften(m, &f.Every) }

// Check has nothing more to check.
func (*Feed) Check(*flow.Checker, *flow.Trigger) {}

// Tell says which feed has something new.
func (f *Feed) Tell(p *flow.Sentence, _ *flow.Trigger) {
	p.Say("When the feed ").Field("address").Word(f.Address).Say(" has something new")
}

// Shape is that of its signals.
func (*Feed) Shape(*flow.Workspace, flow.Catalogue) shape.Shape {
	return flow.SignalShape(shape.Map(nil),
		flow.Texts("id", "title", "link", "summary", "content", "author", "published"))
}

// Source is the connection.
func (f *Feed) Source() string { return "/feed/" + f.Connection }

// HeardBy is the subject.
func (*Feed) HeardBy() flow.HeardBy { return flow.BySubject }
