package flow

import (
	"maps"
	"reflect"
	"slices"
	"strings"
	"unicode/utf8"
)

// notGranted says that what an agent is granted is not there.
func (c *Checker) notGranted(t AgentTool) {
	kind, id, _ := CompanyTool(t.Tool)
	one := c.Workspace.Workflows[id]
	switch {
	case kind == WorkflowTools && t.Workflow == "":
		c.Wrong(t.At, "write workflow: "+id, "a workflow is granted by workflow:, not as a tool of a connection")
	case kind == WorkflowTools && one != nil:
		c.Wrong(t.At, "add inputs: to workflows/"+id+".yaml, each with a description",
			"the workflow %s names no inputs, so an agent cannot start it", id)
	case kind == WorkflowTools:
		c.Wrong(t.At, DidYouMean(id, slices.Sorted(maps.Keys(c.Workspace.Workflows))), "there is no workflow %s", id)
	default:
		c.noTool(place{at: t.At}, t.Tool)
	}
}

// described tells of a workflow that is granted what its model is not told: what it is
// for, and what its inputs mean.
func (c *Checker) described(t AgentTool, spec Tool) {
	if t.Workflow == "" {
		return
	}
	file := "workflows/" + t.Workflow + ".yaml"
	if spec.Description == "" {
		c.add(Remark, t.At, "add purpose: to "+file, "%s says nothing of what it is for, and the model reads only that",
			t.Workflow)
	}
	var bare []string
	properties, _ := spec.Input["properties"].(map[string]any)
	for _, name := range slices.Sorted(maps.Keys(properties)) {
		p, _ := properties[name].(map[string]any)
		if said, _ := p["description"].(string); said == "" && !slices.ContainsFunc(t.Args,
			func(e Entry) bool { return e.Key == name }) {
			bare = append(bare, name)
		}
	}
	if len(bare) > 0 {
		c.add(Remark, t.At, "add description: to each under inputs: of "+file,
			"the model is not told what %s of %s means", strings.Join(bare, ", "), t.Workflow)
	}
}

// helpers checks the agents an agent may consult.
func (c *Checker) helpers(a *Agent) {
	seen := map[string]bool{}
	for _, h := range a.Helpers {
		other := c.Workspace.Agents[h.Agent]
		switch {
		case seen[h.Agent]:
			c.Wrong(h.At, "remove one", "the helper %s is named twice", h.Agent)
		case other == nil:
			c.Wrong(h.At, DidYouMean(h.Agent, slices.Sorted(maps.Keys(c.Workspace.Agents))), "there is no agent %s",
				h.Agent)
		case other.Off:
			c.isOff(h.At, other)
		case other.Purpose == "" && h.Judge == "":
			c.Wrong(h.At, "add purpose: to agents/"+h.Agent+".yaml, or judge: here",
				"nothing says when %s is to be asked", h.Agent)
		}
		seen[h.Agent] = true
	}
}

// handOffs checks the agents that may take over from one.
func (c *Checker) handOffs(a *Agent) {
	seen := map[string]bool{}
	for _, h := range a.HandOffs {
		other := c.Workspace.Agents[h.To]
		switch {
		case seen[h.To]:
			c.Wrong(h.At, "remove one", "the hand-off to %s is written twice", h.To)
		case other == nil:
			c.Wrong(h.At, DidYouMean(h.To, slices.Sorted(maps.Keys(c.Workspace.Agents))), "there is no agent %s", h.To)
		case other == a:
			c.Wrong(h.At, "remove it", "it hands over to itself")
		case other.Off:
			c.isOff(h.At, other)
		case len(requiredOf(other.Inputs)) > 0:
			c.Wrong(h.At, "make these optional in agents/"+h.To+".yaml, or consult it as a helper",
				"%s must be given %s, and a hand-off gives it the conversation alone", other.Title,
				strings.Join(requiredOf(other.Inputs), ", "))
		case !reflect.DeepEqual(a.Answer.Document(), other.Answer.Document()):
			c.Wrong(h.At, "give both the same answer:, or consult it as a helper",
				"%s answers in another shape than %s, and whoever asked waits for one of them", other.Title, a.Title)
		}
		seen[h.To] = true
	}
}

// isOff tells of an agent that is named and switched off.
func (c *Checker) isOff(at Pos, a *Agent) {
	c.add(Remark, at, "take off: out of agents/"+a.ID+".yaml", "%s is switched off, and is refused", a.Title)
}

func requiredOf(s *Schema) []string {
	var out []string
	required, _ := s.Document()["required"].([]any)
	for _, name := range required {
		text, _ := name.(string)
		out = append(out, text)
	}
	return out
}

// longestPicture is how many letters a sign may have: some are made of several.
const longestPicture = 8

// picture checks the sign that stands beside an agent's words.
func (c *Checker) picture(a *Agent) {
	if utf8.RuneCountInString(a.Picture) > longestPicture || strings.ContainsAny(a.Picture, "/\n<>") {
		c.Wrong(Pos{1, 1}, "give it one sign, or two letters", "%q is no picture", a.Picture)
	}
}

// circles tells of agents and workflows that ask each other round and round.
func (c *Checker) circles(a *Agent) {
	self := HelperTools + "/" + a.ID
	for _, t := range a.Kit() {
		if way := c.wayTo(self, t.Tool, map[string]bool{}); way != nil {
			c.Report(t.At, Problem{What: "these ask each other in a circle: " + strings.Join(append([]string{self},
				way...), " → "),
				Why: "each would wait for the next, and the last is refused", Remedy: "take one of them out"})
		}
	}
}

// wayTo gives the names on the way from one to another that it may reach; nil where
// there is none.
func (c *Checker) wayTo(to, from string, seen map[string]bool) []string {
	if from == to {
		return []string{from}
	}
	if seen[from] {
		return nil
	}
	seen[from] = true
	for _, next := range c.reaches(from) {
		if rest := c.wayTo(to, next, seen); rest != nil {
			return append([]string{from}, rest...)
		}
	}
	return nil
}

// reaches lists what an agent or a workflow asks, as an agent's kit names it.
func (c *Checker) reaches(name string) []string {
	var out []string
	kind, id, _ := CompanyTool(name)
	if one := c.Workspace.Workflows[id]; kind == WorkflowTools && one != nil {
		for _, called := range one.Calls() {
			out = append(out, WorkflowTools+"/"+called)
		}
		for _, agent := range one.AgentsUsed() {
			out = append(out, HelperTools+"/"+agent)
		}
	}
	if one := c.Workspace.Agents[id]; kind == HelperTools && one != nil {
		for _, t := range one.Kit() {
			if kind, _, is := CompanyTool(t.Tool); is && kind != HandOffTools { // who hands over does not wait
				out = append(out, t.Tool)
			}
		}
	}
	return out
}

// reserved insists that no connection or table is called as what agents have beside
// the tools of connections.
func (c *Checker) reserved(at Pos, id string) {
	if slices.Contains(companyWords, id) {
		c.Wrong(at, "call it something else", "%s is what an agent's kit calls something else by", id)
	}
}
