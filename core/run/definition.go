package run

import (
	"fmt"
	"strconv"
	"strings"
	"sync"
	"time"

	"woolsignal/core/agent"
	"woolsignal/core/flow"
	"woolsignal/core/schema"
)

// Definition is what a run needs of the workspace. It is safe for concurrent
// use by many runs.
type Definition struct {
	Workflow *flow.Workflow
	Agents   map[string]*flow.Agent
	Tools    flow.Catalogue
	Zone     *time.Location

	compiled sync.Map // tool name → *schema.Schema
}

// stepAt finds the definition of the step at a path.
func (d *Definition) stepAt(path string) (*flow.Step, error) {
	steps := d.Workflow.Steps
	parts := strings.Split(path, "/")
	for i := 0; ; i += 2 {
		index, err := strconv.Atoi(parts[i])
		if err != nil || index < 0 || index >= len(steps) {
			return nil, fmt.Errorf("the workflow %s has no step at %q", d.Workflow.ID, path)
		}
		step := steps[index]
		if i+1 >= len(parts) {
			return step, nil
		}
		n, err := strconv.Atoi(strings.TrimPrefix(parts[i+1], "c"))
		if err != nil || step.Decide == nil || i+2 >= len(parts) {
			return nil, fmt.Errorf("the workflow %s has no block at %q", d.Workflow.ID, path)
		}
		branch, err := caseAt(step.Decide, n)
		if err != nil {
			return nil, err
		}
		steps = branch.Do
	}
}

// caseAt finds a case by number; the one after the last is the else.
func caseAt(d *flow.DecideStep, n int) (*flow.Case, error) {
	switch {
	case n >= 0 && n < len(d.Cases):
		return &d.Cases[n], nil
	case n == len(d.Cases) && d.Else != nil:
		return d.Else, nil
	}
	return nil, fmt.Errorf("the decision has no case %d", n)
}

// grants are the tools an agent has, as the catalogue describes them now.
// A tool that is gone is left out; the model is told so if it asks for it.
func (d *Definition) grants(def *flow.Agent) []agent.Grant {
	var out []agent.Grant
	for _, t := range def.Tools {
		if spec, ok := d.Tools(t.Tool); ok {
			out = append(out, agent.Grant{AgentTool: t, Spec: spec, Schema: d.schemaOf(spec)})
		}
	}
	return out
}

// schemaOf compiles the schema of a tool's arguments once; nil where it has
// none, or one that does not compile, which the checker has said.
func (d *Definition) schemaOf(t flow.Tool) *schema.Schema {
	if kept, ok := d.compiled.Load(t.Name); ok {
		return kept.(*schema.Schema)
	}
	compiled, err := schema.Compile(t.Input)
	if err != nil || t.Input == nil {
		compiled = nil
	}
	d.compiled.Store(t.Name, compiled)
	return compiled
}
