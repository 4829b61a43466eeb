package run

import (
	"fmt"
	"maps"

	"woolsignal/core/agent"
	"woolsignal/core/flow"
)

// Recorded gives the records a run begins with that repeats another from a
// step on: everything before that step is as it was, but for the outputs that
// are edited, by the step's id or path. was is what the other run followed, is
// what the new one does; before the step they must agree.
func Recorded(was, is *Definition, old *State, from string, edited map[string]any) ([]Record, error) {
	path, err := is.Find(from)
	if err != nil {
		return nil, err
	}
	used := map[string]bool{}
	var out []Record
	steps, before, prefix, frame := is.Workflow.Steps, was.Workflow.Steps, "", old.Root
	for rest := path; ; {
		index, name, deeper, err := flow.CutPath(rest)
		if err != nil || index >= len(steps) {
			return nil, fmt.Errorf("the workflow has no step at %q", path)
		}
		for i := range index {
			at := flow.StepPath(prefix, i)
			if i >= len(before) || before[i].Kind != steps[i].Kind || before[i].ID != steps[i].ID {
				return nil, fmt.Errorf("the step before it on line %d is not the one the run went through; repeat "+
					"it on the version it followed", steps[i].At.Line)
			}
			if i >= len(frame.Steps) || !settled(frame.Steps[i]) {
				return nil, fmt.Errorf("%s was not finished in that run, so there are no values to go on from; "+
					"repeat it from there", stepName(steps[i]))
			}
			did := frame.Steps[i]
			r := &StepEnded{Step: at, Status: did.Status, Input: did.Input, Output: did.Output, Error: did.Error,
				Recorded: true}
			for _, name := range []string{steps[i].ID, at} {
				if v, ok := edited[name]; ok && name != "" {
					r.Output, r.Status, r.Error, used[name] = v, Done, "", true
				}
			}
			out = append(out, r)
		}
		if deeper == "" {
			break
		}
		inner, there := steps[index].BlockAt(name)
		if index >= len(frame.Steps) || frame.Steps[index].block(name) == nil || there &&
			(inner.Many || name == flow.Instead) {
			return nil, fmt.Errorf("%s cannot be begun in the middle; repeat from it as a whole",
				stepName(steps[index]))
		}
		did := frame.Steps[index]
		at := flow.StepPath(prefix, index)
		entered := &BlockEntered{Step: at, Block: name}
		if did.Block == name {
			entered.Choice = &Choice{Reason: did.Reason, Confidence: did.Confidence}
		}
		out = append(out, entered)
		outer, was := before[index].BlockAt(name)
		if !there || !was {
			return nil, fmt.Errorf("%s no longer goes the way the run took; repeat from it as a whole",
				stepName(steps[index]))
		}
		prefix = flow.BlockPath(at, name)
		steps, before, frame, rest = inner.Do, outer.Do, did.block(name), deeper
	}
	for name := range edited {
		if !used[name] {
			return nil, fmt.Errorf("%s is no step before %s, so its value cannot be edited", name, from)
		}
	}
	return out, nil
}

// settled tells whether a step gave all it will give.
func settled(s *Step) bool { return s.Status == Done || s.Status == Skipped || s.Status == Failed }

// Find gives the path of a step named by its id or its path.
func (d *Definition) Find(name string) (string, error) {
	if _, err := d.stepAt(name); err == nil {
		return name, nil
	}
	found := ""
	var look func(steps []*flow.Step, prefix string)
	look = func(steps []*flow.Step, prefix string) {
		for i, s := range steps {
			at := flow.StepPath(prefix, i)
			if s.ID == name && found == "" {
				found = at
			}
			for _, b := range s.Blocks() {
				look(b.Do, flow.BlockPath(at, b.Name))
			}
		}
	}
	look(d.Workflow.Steps, "")
	if found == "" {
		return "", fmt.Errorf("the workflow has no step called %s", name)
	}
	return found, nil
}

// Values gives what the steps of a run gave, by id, for trying a step on them.
func Values(d *Definition, s *State) map[string]any {
	out := map[string]any{}
	s.Each(func(step *Step) {
		def, err := d.stepAt(step.Path)
		if err == nil && def.ID != "" && step.Status == Done {
			if _, taken := out[def.ID]; !taken {
				out[def.ID] = step.Output
			}
		}
		if err == nil {
			if sees, is := def.Does.(Scoping); is {
				maps.Copy(out, sees.Sample(step))
			}
		}
	})
	return out
}

// ToolsUsed lists the tools the workflow may call: in its steps, and by its
// agents.
func (d *Definition) ToolsUsed() []string {
	out := d.Workflow.Uses(flow.HoldsTool)
	for _, id := range d.Workflow.AgentsUsed() {
		if a := d.Agents[id]; a != nil {
			for _, t := range a.Kit() {
				out = append(out, t.Tool)
			}
		}
	}
	return out
}

// Gave gives what the tools gave that a run really called, by their names.
func Gave(d *Definition, s *State) map[string]any {
	out := map[string]any{}
	s.Each(func(step *Step) {
		if step.Agent != nil {
			for _, c := range step.Agent.Calls {
				if c.State == agent.Done && !c.Held && c.Result != nil {
					out[c.Tool] = c.Result
				}
			}
		}
		def, err := d.stepAt(step.Path)
		if err != nil || step.Status != Done || step.Held != "" || step.Recorded || step.Output == nil {
			return
		}
		for _, tool := range def.Uses(flow.HoldsTool) {
			if def.Kind == "tool" {
				out[tool] = step.Output
			}
		}
	})
	return out
}
