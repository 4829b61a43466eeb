package run

import (
	"cmp"
	"fmt"
	"sync"
	"time"

	"woolsignal/core/agent"
	"woolsignal/core/calendar"
	"woolsignal/core/flow"
	"woolsignal/core/schema"
)

// Definition is what a run needs of the workspace. It is safe for concurrent
// use by many runs.
type Definition struct {
	Workflow *flow.Workflow
	Agents   map[string]*flow.Agent
	Tools    flow.Catalogue
	Models   func(name string) (flow.Model, bool)
	Off      func(agent string) bool // whether an agent is switched off now; nil is that none is
	Zone     *time.Location
	Holidays map[string]bool
	Model    string // the workspace's, for steps that name none

	whole    *flow.Workflow // what a tried step was taken from
	compiled *sync.Map      // tool or file name → *schema.Schema
	tried    sync.Map       // path of a step → *Definition of that step alone
}

// Unreadable stands for the definition of a run that can no longer be read. The
// run can be ended by it, and nothing else.
func Unreadable(workflow string) *Definition {
	return &Definition{Workflow: &flow.Workflow{ID: workflow, Title: workflow}, Zone: time.UTC,
		Tools: func(string) (flow.Tool, bool) { return flow.Tool{}, false }}
}

// Calendar is how the workspace counts its days.
func (d *Definition) Calendar() calendar.Calendar {
	return calendar.Calendar{Zone: d.Zone, Holidays: d.Holidays}
}

// model names the model for a step that names one, or not.
func (d *Definition) model(named string) string {
	return cmp.Or(named, d.Workflow.Model, d.Model)
}

// Of gives the definition a run follows: the whole workflow, or the one step
// that is tried.
func (d *Definition) Of(s *State) *Definition {
	if s.Origin == nil || s.Origin.Kind != OfTry || s.Origin.Step == "" {
		return d
	}
	if kept, ok := d.tried.Load(s.Origin.Step); ok {
		return kept.(*Definition)
	}
	step, err := d.stepAt(s.Origin.Step)
	if err != nil {
		return d
	}
	alone := *d.Workflow
	tried := *step
	tried.When, tried.Off = nil, false
	alone.Steps, alone.Gives = []*flow.Step{&tried}, nil
	out := &Definition{Workflow: &alone, Agents: d.Agents, Tools: d.Tools, Models: d.Models, Off: d.Off, Zone: d.Zone,
		Holidays: d.Holidays,
		Model:    d.Model, whole: d.Workflow, compiled: d.kept()}
	d.tried.Store(s.Origin.Step, out)
	return out
}

// stepAt finds the definition of the step at a path.
func (d *Definition) stepAt(path string) (*flow.Step, error) {
	steps := d.Workflow.Steps
	for rest := path; ; {
		index, name, deeper, err := flow.CutPath(rest)
		if err != nil || index >= len(steps) {
			return nil, fmt.Errorf("the workflow %s has no step at %q", d.Workflow.ID, path)
		}
		if deeper == "" {
			return steps[index], nil
		}
		block, there := steps[index].BlockAt(name)
		if !there {
			return nil, fmt.Errorf("the workflow %s has no block at %q", d.Workflow.ID, path)
		}
		steps, rest = block.Do, deeper
	}
}

// Fit holds a value against a schema of the workflow.
func Fit(what string, s *flow.Schema, v any) error {
	if err := s.Validate(v); err != nil {
		return fmt.Errorf("%s does not fit its schema: %w", what, err)
	}
	return nil
}

// grants are the tools an agent has, as the catalogue describes them now.
// A tool that is gone is left out; the model is told so if it asks for it.
func (d *Definition) grants(def *flow.Agent) []agent.Grant {
	var out []agent.Grant
	for _, t := range def.Kit() {
		if spec, ok := d.Tools(t.Tool); ok {
			spec.Description = def.DescribedFor(spec)
			out = append(out, agent.Grant{AgentTool: t, Spec: spec, Schema: d.schemaOf(spec)})
		}
	}
	return out
}

// schemaOf compiles the schema of a tool's arguments once; nil where it has
// none, or one that does not compile, which the checker has said.
func (d *Definition) schemaOf(t flow.Tool) *schema.Schema {
	kept := d.kept()
	if known, ok := kept.Load(t.Name); ok {
		return known.(*schema.Schema)
	}
	compiled, err := schema.Compile(t.Input)
	if err != nil || t.Input == nil {
		compiled = nil
	}
	kept.Store(t.Name, compiled)
	return compiled
}

// keptMu guards the place of compiled schemas in every definition.
var keptMu sync.Mutex

// kept is where compiled schemas are kept, shared with the definitions of
// single steps.
func (d *Definition) kept() *sync.Map {
	keptMu.Lock()
	defer keptMu.Unlock()
	if d.compiled == nil {
		d.compiled = &sync.Map{}
	}
	return d.compiled
}
