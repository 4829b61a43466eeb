package flow

import (
	"maps"
	"slices"
	"strings"
)

// triggers checks what starts a workflow. taken holds the public addresses
// that are in use, with the workflow they belong to.
func (c *Checker) triggers(flow *Workflow, taken map[string]string) {
	seen := map[string]bool{}
	for _, t := range flow.Triggers {
		if seen[t.ID] {
			c.Wrong(t.At, "give each trigger its own id", "there are two triggers called %s", t.ID)
		}
		if t.ID == "called" {
			c.Wrong(t.At, "choose another word", "called is what a run says whose workflow was called")
		}
		seen[t.ID] = true
		c.address(flow, t, taken)
		c.source(&t)
	}
}

// address insists that a place where people write, call or send belongs to one
// trigger alone: who would answer otherwise?
func (c *Checker) address(flow *Workflow, t Trigger, taken map[string]string) {
	place, words := t.Place()
	if place == "" {
		return
	}
	if other, ok := taken[place]; ok {
		c.Report(t.At, Problem{What: "the workflow " + other + " already has " + words,
			Why: "of two that claim one place nobody could say which answers", Remedy: "choose another"})
	}
	taken[place] = flow.ID
	for _, id := range slices.Sorted(maps.Keys(c.Workspace.Workflows)) {
		if id != flow.ID && c.Workspace.Workflows[id].waitsAt(t) {
			c.Report(t.At, Problem{Severity: Remark,
				What: "runs of " + id + " wait for deliveries to " + words + " too",
				Why:  "what one of them waits for goes to it, and starts nothing here"})
		}
	}
}

// waitsAt tells whether a step waits for the signals of a trigger.
func (w *Workflow) waitsAt(t Trigger) (yes bool) {
	Walk(w.Steps, func(s *Step) {
		h := s.Hears()
		yes = yes || h != nil && h.Is != nil && h.Kind == t.Kind && h.Source() == t.Source()
	})
	return yes
}

// source checks what signals come from.
func (c *Checker) source(t *Trigger) {
	c.exist(t.At, t.Is)
	t.Is.Check(c, t)
}

// connected insists on a connection of a kind.
func (c *Checker) connected(at Pos, id, kind string) {
	if id == "" {
		return // its reader has said so
	}
	one, ok := c.Workspace.Connections[id]
	var fit []string
	for _, name := range slices.Sorted(maps.Keys(c.Workspace.Connections)) {
		if c.Workspace.Connections[name].Kind == kind {
			fit = append(fit, name)
		}
	}
	remedy := DidYouMean(id, fit)
	if remedy == "" {
		remedy = "add connections/" + id + ".yaml with " + kind + ":"
	}
	switch {
	case !ok:
		c.Wrong(at, remedy, "there is no connection %s", id)
	case one.Kind != kind:
		c.Wrong(at, remedy, "the connection %s is a %s, and a %s is needed here", id, one.Kind, kind)
	}
}

func (c *Checker) signingKey(at Pos, id string) {
	if v, ok := c.Workspace.Connections[id]; id != "" && (!ok || v.Kind != "signing_key") {
		c.Report(at, Problem{What: "there is no signing key called " + id,
			Why:    "without it nobody can tell a delivery from a forgery",
			Remedy: "add connections/" + id + ".yaml with signing_key:"})
	}
}

// tables checks the names tables take: their tools stand beside those of
// connections.
func (c *Checker) tables() {
	for _, id := range slices.Sorted(maps.Keys(c.Workspace.Tables)) {
		c.file = c.Workspace.Tables[id].file
		c.reserved(c.Workspace.Tables[id].At, id)
		if _, taken := c.Workspace.Connections[id]; taken {
			c.Wrong(c.Workspace.Tables[id].At, "rename one of the two",
				"a connection is called %s too, and tools are named after both", id)
		}
	}
	for path := range c.Workspace.Files {
		if id, ok := strings.CutPrefix(path, "tables/"); ok && strings.HasSuffix(id, ".csv") &&
			c.Workspace.Tables[strings.TrimSuffix(id, ".csv")] == nil {
			c.file = path
			c.Wrong(Pos{1, 1}, "add tables/"+strings.TrimSuffix(id, ".csv")+".yaml with its columns",
				"these rows belong to no table")
		}
	}
}

// connections checks what connections say of each other and of files.
func (c *Checker) connections() {
	for _, id := range slices.Sorted(maps.Keys(c.Workspace.Connections)) {
		one := c.Workspace.Connections[id]
		c.file = one.file
		c.reserved(one.At, id)
		if one.Is != nil {
			c.exist(one.At, one.Is)
		}
		if one.Drafts != "" {
			c.connected(one.At, one.Drafts, one.Kind)
		}
	}
}
