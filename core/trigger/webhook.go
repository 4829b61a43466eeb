package trigger

import (
	"strings"
	"time"

	"woolsignal/core/expr"
	"woolsignal/core/flow"
	"woolsignal/core/shape"
)

// Webhook starts a run with each verified POST to /in/<Path>.
type Webhook struct {
	Path         string
	Verify       string // a connection of kind signing_key
	Accepts      *flow.Schema
	Answer       string // receipt or computed
	AnswerWithin time.Duration
	Subject      *flow.Value // what the delivery is about, over signal; waits look it up by this

	// Answers is the change of the file by which a step answers the caller.
	Answers *flow.Fix
}

const computed = "computed"

// Computed tells whether the workflow answers the caller; else a receipt does.
func (w *Webhook) Computed() bool { return w.Answer == computed }

// Fields are what it may say.
func (w *Webhook) Fields() []flow.Field {
	return []flow.Field{
		{Name: "path", Into: &w.Path, Holds: flow.HoldsSlug, Required: true,
			Help: "Posted to at /in/PATH, the draft's at /in/PATH/draft.", Example: "weighbridge"},
		{Name: "verify", Into: &w.Verify, Holds: flow.HoldsConnection, Kind: "signing_key", Required: true,
			Help: "The key that verifies a delivery.", Example: "scale-key"},
		{Name: "accepts", Into: &w.Accepts, Help: "What a delivery must look like; others are refused.",
			Example: "schemas/delivery.json"},
		{Name: "answer", Into: &w.Answer, Choices: []string{"receipt", computed}, Default: "receipt",
			Help: "Whether the caller gets a receipt, or what a step answers.", Example: computed},
		{Name: "answer_within", Into: &w.AnswerWithin, Default: "10s",
			Help: "After that the caller is told where to look.", Example: "30s"},
		{Name: "subject", Into: &w.Subject, Help: "What a delivery is about, for steps that wait; it sees signal.",
			Example: "${signal.body.offer}"},
	}
}

// Agree keeps how it would be written that a step answers.
func (w *Webhook) Agree(m flow.Reading) { w.Answers = m.Writing("answer", computed) }

// Check types the subject.
func (w *Webhook) Check(c *flow.Checker, t *flow.Trigger) {
	if w.Subject != nil {
		c.Value(*w.Subject, expr.NamesOf(map[string]expr.Type{
			"signal": {Shape: w.Shape(c.Workspace, c.Tool)}}))
	}
}

// Tell says who posts what.
func (w *Webhook) Tell(p *flow.Sentence, t *flow.Trigger) {
	p.Say("When ").Word(flow.Plain(t.ID)).Say(" posts to ").Field("path").Word(w.Source()).Say(", checked by ").
		Field("verify").Connection(w.Verify)
	if w.Accepts != nil && w.Accepts.Path != "" {
		p.Say(", filled in as ").Field("accepts").
			Word(strings.TrimSuffix(strings.TrimPrefix(w.Accepts.Path, "schemas/"), ".json"))
	}
}

// TellHeard says which delivery is waited for.
func (w *Webhook) TellHeard(p *flow.Sentence) {
	p.Say("a delivery to ").Field("path").Word(w.Source()).Say(" about ")
}

// Shape is that of its signals.
func (w *Webhook) Shape(*flow.Workspace, flow.Catalogue) shape.Shape {
	return flow.SignalShape(shape.Map(nil), w.Accepts.Document())
}

// Source is its address.
func (w *Webhook) Source() string { return "/in/" + w.Path }

// Claims names the address.
func (w *Webhook) Claims() string { return "the webhook path " + w.Path }

// HeardBy is the subject.
func (*Webhook) HeardBy() flow.HeardBy { return flow.BySubject }
