package flow

import (
	"maps"
)

// Meaning is what a text of a workflow means, before anybody keeps it.
type Meaning struct {
	Workflow *Workflow // as far as it could be read
	Lines    []Line    // each with what it adds to what may be read behind or inside it
	Sees     []Sight   // what may be read everywhere
	Problems []Problem
}

// Meaning reads a text as a workflow of the workspace, in place of the one that is
// there, and checks that one alone. The workspace stays as it is.
func (w *Workspace) Meaning(id, text string, tool Catalogue, offered ...string) Meaning {
	file := "workflows/" + id + ".yaml"
	one, problems := DecodeWorkflow(file, text)
	as := *w
	as.Workflows = maps.Clone(w.Workflows)
	as.Workflows[id] = one
	as.resolve(one.schemas)
	c := &Checker{Workspace: &as, Tool: tool, offered: offered, file: file, written: one.written, scope: newScope(),
		kinds: map[string]string{}}
	c.triggers(one, as.placesTaken(id))
	c.rings(one)
	c.workflow(one)
	c.secretsIn(file, text)
	problems = append(problems, c.problems...)
	SortProblems(problems)
	return Meaning{Workflow: one, Lines: as.explained(one, tool, c), Sees: c.scope.all, Problems: problems}
}

// placesTaken are the public addresses of all workflows but one.
func (w *Workspace) placesTaken(but string) map[string]string {
	taken := map[string]string{}
	for id, other := range w.Workflows {
		if id == but {
			continue
		}
		for _, t := range other.Triggers {
			if place, _ := t.Place(); place != "" {
				taken[place] = id
			}
		}
	}
	return taken
}

// explained tells a workflow that was checked, with what its lines add.
func (w *Workspace) explained(one *Workflow, tool Catalogue, c *Checker) []Line {
	e := &explainer{w: w, flow: one, tool: tool, naming: one.naming(), kinds: c.kinds, scope: c.scope}
	return e.tell()
}
