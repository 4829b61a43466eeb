package flow

import (
	"woolsignal/core/expr"
	"woolsignal/core/shape"
)

func (c *Checker) agent(a *Agent) {
	if _, _, ok := c.Workspace.FindModel(a.Model); a.Model != "" && !ok {
		c.Wrong(Pos{1, 1}, DidYouMean(a.Model, c.Workspace.ModelNames()), "no connection offers the model %s", a.Model)
	}
	names := expr.NamesOf(map[string]expr.Type{"signal": {}})
	c.Value(a.Instructions, names)
	c.schema(a.Inputs)
	c.chosen(a.Inputs, "inputs")
	c.schema(a.Answer)
	c.chosen(a.Answer, "answer")
	seen := map[string]bool{}
	for _, t := range a.Tools {
		if seen[t.Tool] {
			c.Wrong(t.At, "remove one", "the tool %s is granted twice", t.Tool)
		}
		seen[t.Tool] = true
		spec, ok := c.Tool(t.Tool)
		if !ok {
			c.notGranted(t)
			continue
		}
		c.Arguments(spec.Name, t.Args, c.Entries(t.Args, names), spec.Input, t.At, false)
		c.described(t, spec)
		c.ownTool(t)
		c.approval(t, spec)
	}
	c.helpers(a)
	c.handOffs(a)
	c.picture(a)
	if a.Plan != nil && a.Plan.Ask != "" && a.Plan.Ask != Speaker {
		c.people(a.Plan.At, a.Plan.Ask)
	}
	c.circles(a)
	c.abilities(a)
	c.kit(a)
}

// approval insists that what an agent may change without asking was written
// down by somebody.
func (c *Checker) approval(t AgentTool, spec Tool) {
	switch {
	case IsOwnTool(t.Tool):
	case t.Approval == nil && !spec.ReadOnly:
		c.Report(t.At, Problem{What: t.Tool + " changes something outside, and nobody wrote down who approves it",
			Why:    "what an agent reads may talk it into using the tool",
			Remedy: "add approval: none, or approval: with always: true and ask:"})
	case t.Approval == nil:
	case t.Approval.None && !spec.ReadOnly:
		c.add(Remark, t.At, "", "the agent uses %s without asking anybody", t.Tool)
	case !t.Approval.None:
		if t.Approval.Ask != Speaker {
			c.people(t.At, t.Approval.Ask)
		}
		if t.Approval.Says != nil {
			c.Value(*t.Approval.Says, expr.NamesOf(map[string]expr.Type{
				"args": {Shape: trusting(spec.Input)}, "before": {}, "after": {}, "signal": {}}))
		}
		if t.Approval.When != nil {
			c.Condition(t.Approval.When, expr.NamesOf(map[string]expr.Type{
				"args": {Shape: trusting(spec.Input)}, "signal": {}}))
		}
	}
}

// trusting takes a schema's fields as given: a condition over args that are
// missing asks, which is the safe way.
func trusting(s shape.Shape) shape.Shape {
	properties, _ := s["properties"].(map[string]any)
	required := make([]any, 0, len(properties))
	for name := range properties {
		required = append(required, name)
	}
	out := shape.Shape{}
	for k, v := range s {
		out[k] = v
	}
	out["required"] = required
	return out
}
