package trigger

import (
	"time"

	"woolsignal/core/flow"
	"woolsignal/core/shape"
)

// Phone starts a run with each turn of a telephone call that a VoiceXML
// gateway brings to /call/<Path>. The turns of a call are one thread.
type Phone struct {
	Path   string
	Verify string // a connection of kind signing_key
	Voice  string // a name the gateway knows; "" is its own
	Speed  string // an SSML rate, such as medium or 90%
	Within time.Duration
}

// Fields are what it may say.
func (t *Phone) Fields() []flow.Field {
	return []flow.Field{
		{Name: "path", Into: &t.Path, Holds: flow.HoldsSlug, Required: true, Help: "The gateway calls /call/PATH.",
			Example: "hill-line"},
		{Name: "verify", Into: &t.Verify, Holds: flow.HoldsConnection, Kind: "signing_key", Required: true,
			Help: "The key the gateway shows.", Example: "gateway-key"},
		{Name: "voice", Into: &t.Voice, Help: "A voice the gateway knows; its own where it is missing.",
			Example: "moor"},
		{Name: "speed", Into: &t.Speed, Help: "How fast it speaks, as SSML says.", Example: "90%"},
		{Name: "answer_within", Into: &t.Within, Default: "2s",
			Help:    "After that the caller hears that it takes a moment.",
			Example: "3s"},
	}
}

// Check has nothing more to check.
func (*Phone) Check(*flow.Checker, *flow.Trigger) {}

// Tell says on which line somebody speaks.
func (t *Phone) Tell(p *flow.Sentence, _ *flow.Trigger) {
	p.Say("When somebody speaks on the telephone line ").Field("path").Word(t.Path).
		Say(", answered within ").Field("answer_within").Word(flow.DurationWords(t.Within))
}

// Shape is that of its signals.
func (*Phone) Shape(*flow.Workspace, flow.Catalogue) shape.Shape {
	return flow.SignalShape(flow.Texts("phone"), flow.Texts("call", "said"))
}

// Source is the line.
func (t *Phone) Source() string { return "/call/" + t.Path }

// Claims names the line.
func (t *Phone) Claims() string { return "the telephone line " + t.Path }

// HeardBy is the call.
func (*Phone) HeardBy() flow.HeardBy { return flow.ByConversation }

// Talks tells that somebody can be answered.
func (*Phone) Talks() {}
