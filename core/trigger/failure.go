package trigger

import (
	"slices"

	"woolsignal/core/flow"
	"woolsignal/core/shape"
)

// Failure starts a run when a run of one of these workflows fails; of any
// other where none is named.
type Failure struct{ Workflows []string }

// Fields are what it may say.
func (f *Failure) Fields() []flow.Field {
	return []flow.Field{{Name: "workflows", Into: &f.Workflows, Holds: flow.HoldsWorkflow,
		Help:    "The workflows whose failures it looks after; any but itself where it is missing.",
		Example: "[weighbridge]"}}
}

// LooksAfter tells whether the failures of a workflow are meant.
func (f *Failure) LooksAfter(workflow string) bool {
	return len(f.Workflows) == 0 || slices.Contains(f.Workflows, workflow)
}

// Check has nothing more to check.
func (*Failure) Check(*flow.Checker, *flow.Trigger) {}

// Tell says what fails.
func (f *Failure) Tell(p *flow.Sentence, _ *flow.Trigger) {
	if len(f.Workflows) == 0 {
		p.Say("When any other workflow fails")
		return
	}
	p.Say("When ").Field("workflows").Either(f.Workflows).Say(" fails")
}

// Shape is that of its signals.
func (*Failure) Shape(*flow.Workspace, flow.Catalogue) shape.Shape {
	return flow.SignalShape(shape.Map(nil), flow.Texts("run", "workflow", "title", "because", "about", "address"))
}

// Source is that of all failures.
func (*Failure) Source() string { return "/failure" }

// HeardBy is the subject.
func (*Failure) HeardBy() flow.HeardBy { return flow.BySubject }
