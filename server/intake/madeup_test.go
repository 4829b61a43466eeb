package intake

import (
	"context"
	"encoding/json"
	"strings"
	"sync/atomic"
	"testing"
	"time"

	"woolsignal/core/expr"
	"woolsignal/core/flow"
	"woolsignal/core/run"
	"woolsignal/core/schema"
	"woolsignal/core/shape"
)

// lambing is a kind of trigger that exists in this file alone.
type lambing struct{ Ewe string }

func init() {
	flow.RegisterTrigger("lambing", "Each lamb of a ewe.", func() flow.Starting { return &lambing{} })
	looks["lambing"] = func(_ *Watches, t flow.Trigger) *looking {
		ewe := t.Is.(*lambing).Ewe
		return &looking{"lambing " + ewe, "lambs of " + ewe, time.Minute, lambs{ewe}}
	}
}

func (l *lambing) Fields() []flow.Field {
	return []flow.Field{{Name: "ewe", Into: &l.Ewe, Holds: flow.HoldsName, Required: true, Help: "The ewe.",
		Example: "mabel"}}
}
func (*lambing) Check(*flow.Checker, *flow.Trigger) {}
func (l *lambing) Tell(p *flow.Sentence, _ *flow.Trigger) {
	p.Say("When ").Word(l.Ewe).Say(" has a lamb")
}
func (*lambing) Source() string        { return "/lambing" }
func (*lambing) HeardBy() flow.HeardBy { return flow.BySubject }
func (*lambing) Shape(*flow.Workspace, flow.Catalogue) shape.Shape {
	return flow.SignalShape(shape.Map(nil), shape.Map(map[string]shape.Shape{"kg": shape.Number()}))
}

// lambs finds one lamb, behind the first look. Who looks for those of the ewe
// "odd_stone" trips.
type lambs struct{ ewe string }

// stumbled is how often somebody looked for those.
var stumbled atomic.Int32

func (l lambs) look(_ context.Context, cursor json.RawMessage) ([]any, any, bool, error) {
	if l.ewe == "odd_stone" {
		stumbled.Add(1)
		panic("over a stone")
	}
	if cursor == nil {
		return nil, 1, false, nil
	}
	return []any{4.5}, 2, false, nil
}

func (lambs) signal(_ flow.Trigger, found any) (*run.Signal, error) {
	return &run.Signal{ID: "lamb", Type: "lamb.born", Subject: "a lamb", Body: map[string]any{"kg": found}}, nil
}

// A kind of trigger that is added in one file here and one in core is read,
// checked, told, described, looked at and documented, and starts a run.
func TestAMadeUpTriggerIsWhole(t *testing.T) {
	l := lookouts(t, "lambing: {ewe: mabel}")
	now := l.bed.Workspace.Now()
	if got := now.Explain(now.Workflows["watch"], now.Tools.Find)[0].Text(); got != "When mabel has a lamb" {
		t.Errorf("told as %q", got)
	}
	if first, second := l.look(), l.look(); first != "" || second != "a lamb" {
		t.Errorf("looked at once %q, then %q", first, second)
	}
	if s := l.listened()[0]; s.Kind != "lambing" || s.Source != "/lambing" || s.Trigger != "it" {
		t.Errorf("its signal is %+v", s)
	}
	_, problems := flow.DecodeWorkflow("workflows/a.yaml",
		"workflow: a\ntitle: A\ntriggers:\n  - id: t\n    lambing: {ewe: Mabel, ram: x}\nsteps:\n"+
			"  - compute: {x: '1'}\n")
	said := ""
	for _, p := range problems {
		said += p.What + "\n"
	}
	if !strings.Contains(said, `"Mabel" cannot be used as ewe`) || !strings.Contains(said, "lambing has no key ram") {
		t.Errorf("the reader says %s", said)
	}
	text, _ := flow.FileSchema("workflow")
	doc, err := expr.DecodeJSON([]byte(text))
	if err != nil {
		t.Fatal(err)
	}
	compiled, err := schema.Compile(doc.(map[string]any))
	if err != nil {
		t.Fatal(err)
	}
	trigger := map[string]any{"id": "t", "lambing": map[string]any{"ewe": "mabel"}}
	if err := compiled.Validate(map[string]any{"workflow": "a", "title": "A", "triggers": []any{trigger},
		"steps": []any{}}); err != nil {
		t.Errorf("an editor refuses it: %v", err)
	}
	if !strings.Contains(flow.TheLanguage().Markdown(), "**lambing.** Each lamb of a ewe.") {
		t.Error("the reference does not have it")
	}
}
