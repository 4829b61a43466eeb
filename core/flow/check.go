package flow

import (
	"fmt"
	"maps"
	"slices"
	"strings"

	"woolsignal/core/expr"
)

// Catalogue finds a tool by its full name, connection/operation.
type Catalogue func(name string) (Tool, bool)

type checker struct {
	w        *Workspace
	tool     Catalogue
	problems []Problem
	file     string
}

// Check holds everything in the workspace against everything else: names
// that are used against what exists, values that are read against what is in
// scope, arguments against the schemas of tools.
func (w *Workspace) Check(tool Catalogue) []Problem {
	c := &checker{w: w, tool: tool}
	paths := map[string]string{}
	for _, id := range slices.Sorted(maps.Keys(w.Workflows)) {
		flow := w.Workflows[id]
		c.file = flow.file
		c.triggers(flow, paths)
		c.steps(flow, flow.Steps, map[string]Shape{"signal": w.signalShape(flow)})
	}
	for _, id := range slices.Sorted(maps.Keys(w.Agents)) {
		c.file = w.Agents[id].file
		c.agent(w.Agents[id])
	}
	for _, id := range slices.Sorted(maps.Keys(w.Connections)) {
		c.file = w.Connections[id].file
		if o := w.Connections[id].OpenAPI; o != nil && w.Files[o.Description] == "" {
			c.wrong(w.Connections[id].At, "put the description there", "there is no file %s", o.Description)
		}
	}
	SortProblems(c.problems)
	return c.problems
}

func (c *checker) add(severity Severity, at Pos, remedy, format string, args ...any) {
	c.problems = append(c.problems, Problem{File: c.file, Line: at.Line, Column: at.Column, Severity: severity,
		What: fmt.Sprintf(format, args...), Remedy: remedy})
}

func (c *checker) wrong(at Pos, remedy, format string, args ...any) {
	c.add(Wrong, at, remedy, format, args...)
}

func (c *checker) triggers(flow *Workflow, paths map[string]string) {
	seen := map[string]bool{}
	for _, t := range flow.Triggers {
		if seen[t.ID] {
			c.wrong(t.At, "give each trigger its own id", "there are two triggers called %s", t.ID)
		}
		seen[t.ID] = true
		if t.Webhook == nil {
			continue
		}
		if other, taken := paths[t.Webhook.Path]; taken {
			c.wrong(t.At, "choose another path", "the webhook path %s is already that of %s", t.Webhook.Path, other)
		}
		paths[t.Webhook.Path] = flow.ID
		if v, ok := c.w.Connections[t.Webhook.Verify]; t.Webhook.Verify != "" && (!ok || !v.SigningKey) {
			c.wrong(t.At, "add connections/"+t.Webhook.Verify+".yaml with signing_key:", "there is no signing key called %s", t.Webhook.Verify)
		}
		if a := t.Webhook.Accepts; a != "" && c.w.Schemas[a] == nil {
			c.wrong(t.At, "add the file", "there is no schema %s", a)
		}
	}
}

// steps checks a block. The scope it is given is not changed.
func (c *checker) steps(flow *Workflow, steps []*Step, outer map[string]Shape) map[string]Shape {
	scope := maps.Clone(outer)
	for i, s := range steps {
		if _, taken := scope[s.ID]; taken && s.ID != "" {
			c.wrong(s.At, "choose another id", "the name %s is already taken here", s.ID)
		}
		c.step(flow, s, scope)
		if s.ID != "" {
			scope[s.ID] = c.outputShape(s)
		}
		if s.Kind == "stop" && i < len(steps)-1 {
			c.wrong(steps[i+1].At, "move it up, or remove it", "this step is never reached: the run stops before it")
			break
		}
	}
	return scope
}

func (c *checker) step(flow *Workflow, s *Step, scope map[string]Shape) {
	visit := func(at Pos, ref expr.Reference) { c.reference(at, ref, scope) }
	entries := func(list []Entry) {
		for _, e := range list {
			e.Value.references(visit)
		}
	}
	switch s.Kind {
	case "agent":
		if _, ok := c.w.Agents[s.Agent.Agent]; !ok {
			c.wrong(s.At, didYouMean(s.Agent.Agent, slices.Sorted(maps.Keys(c.w.Agents))), "there is no agent %s", s.Agent.Agent)
		}
		s.Agent.Task.references(visit)
		if s.Agent.Thread != nil {
			s.Agent.Thread.references(visit)
		}
	case "tool":
		entries(s.Tool.Args)
		if t, ok := c.tool(s.Tool.Tool); !ok {
			c.wrong(s.At, "look at the connection's operations", "there is no tool %s", s.Tool.Tool)
		} else {
			c.args(s.At, t, s.Tool.Args, true)
		}
	case "compute":
		inner := maps.Clone(scope)
		for _, v := range s.Compute.Values {
			if v.Expression != nil {
				v.references(func(at Pos, ref expr.Reference) { c.reference(at, ref, inner) })
			}
			inner[v.Name] = nil
		}
	case "decide":
		for _, branch := range s.Decide.branches() {
			if branch.When != nil {
				branch.When.references(visit)
			}
			inner := c.steps(flow, branch.Do, scope)
			for _, e := range branch.Gives {
				e.Value.references(func(at Pos, ref expr.Reference) { c.reference(at, ref, inner) })
			}
		}
	case "say":
		s.Say.Text.references(visit)
		if !flow.hears(func(t Trigger) bool { return t.Chat != nil }) {
			c.wrong(s.At, "add a chat trigger, or remove the step", "nobody is talking here: no trigger of this workflow has a conversation")
		}
	case "respond":
		entries(s.Respond.Headers)
		if s.Respond.Body != nil {
			s.Respond.Body.references(visit)
		}
		if !flow.hears(func(t Trigger) bool { return t.Webhook != nil && t.Webhook.Computed }) {
			c.wrong(s.At, "add answer: computed to the webhook, or remove the step", "no caller waits for this answer")
		}
	case "review":
		s.Review.Show.references(visit)
		entries(s.Review.Edit)
		c.by(s.At, s.Review.Of)
	case "stop":
		if s.Stop.Because != nil {
			s.Stop.Because.references(visit)
		}
	}
}

// hears tells whether some trigger of the workflow is of a kind.
func (w *Workflow) hears(is func(Trigger) bool) bool { return slices.ContainsFunc(w.Triggers, is) }

// reference holds one value that is read against what is in scope.
func (c *checker) reference(at Pos, ref expr.Reference, scope map[string]Shape) {
	shape, ok := scope[ref.Path[0]]
	if !ok {
		known := slices.Sorted(maps.Keys(scope))
		c.wrong(at, didYouMean(ref.Path[0], known), "there is no %s here", ref.Path[0])
		return
	}
	name := ref.Path[0]
	for _, field := range ref.Path[1:] {
		inner, ok := shape.field(field)
		if !ok {
			c.wrong(at, has(name, shape), "%s.%s: there is no %s", name, field, field)
			return
		}
		shape, name = inner, name+"."+field
	}
}

// args holds written arguments against a tool's schema.
func (c *checker) args(at Pos, t Tool, args []Entry, complete bool) {
	input := Shape(t.Input)
	given := map[string]bool{}
	for _, e := range args {
		given[e.Key] = true
		if _, ok := input.field(e.Key); !ok {
			c.wrong(e.Value.At, has(t.Name, input), "%s takes no %s", t.Name, e.Key)
		}
	}
	if !complete {
		return
	}
	required, _ := input["required"].([]any)
	for _, name := range required {
		if n, _ := name.(string); !given[n] {
			c.wrong(at, "add "+n+": under args", "%s needs %s", t.Name, n)
		}
	}
}

// by checks that somebody could be asked.
func (c *checker) by(at Pos, who string) {
	if who == "" || strings.Contains(who, "@") || slices.Contains([]string{"owner", "builder", "reviewer"}, who) {
		return
	}
	if members, ok := c.w.Teams[who]; !ok {
		c.wrong(at, "name a person's e-mail, a role, or a team of "+MainFile+": "+strings.Join(slices.Sorted(maps.Keys(c.w.Teams)), ", "), "nobody is called %s", who)
	} else if len(members) == 0 {
		c.wrong(at, "add members to it in "+MainFile, "the team %s has no members", who)
	}
}

func (c *checker) agent(a *Agent) {
	if _, _, ok := c.w.FindModel(a.Model); a.Model != "" && !ok {
		c.wrong(Pos{1, 1}, didYouMean(a.Model, c.w.ModelNames()), "no connection offers the model %s", a.Model)
	}
	if a.Instructions != nil {
		for _, ref := range a.Instructions.References() {
			c.reference(a.InstructionsAt.after(a.Instructions.Source, ref.Offset), ref, map[string]Shape{"signal": nil})
		}
	}
	seen := map[string]bool{}
	for _, t := range a.Tools {
		if seen[t.Tool] {
			c.wrong(t.At, "remove one", "the tool %s is granted twice", t.Tool)
		}
		seen[t.Tool] = true
		spec, ok := c.tool(t.Tool)
		if !ok {
			c.wrong(t.At, "look at the connection's operations", "there is no tool %s", t.Tool)
			continue
		}
		c.args(t.At, spec, t.Args, false)
		c.approval(t, spec)
	}
}

// approval insists that what an agent may change without asking was written
// down by somebody.
func (c *checker) approval(t AgentTool, spec Tool) {
	switch {
	case t.Approval == nil && !spec.ReadOnly:
		c.wrong(t.At, "add approval: none, or approval: with each: true and by:", "%s changes something outside, and nobody wrote down who approves it", t.Tool)
	case t.Approval == nil:
	case t.Approval.None && !spec.ReadOnly:
		c.add(Remark, t.At, "", "the agent uses %s without asking anybody", t.Tool)
	case !t.Approval.None:
		c.by(t.At, t.Approval.By)
		if t.Approval.When != nil {
			t.Approval.When.references(func(at Pos, ref expr.Reference) {
				c.reference(at, ref, map[string]Shape{"args": spec.Input, "signal": nil})
			})
		}
	}
}
