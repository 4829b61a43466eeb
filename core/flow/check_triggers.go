package flow

import (
	"maps"
	"slices"
	"strings"

	"woolsignal/core/expr"
	"woolsignal/core/shape"
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
		c.source(t)
		if t.Webhook != nil && t.Webhook.Subject != nil {
			c.Value(*t.Webhook.Subject, expr.Names{"signal": {Shape: c.Workspace.triggerShape(t, c.Tool)}})
		}
		if t.Failure != nil {
			for _, of := range t.Failure.Of {
				c.workflowNamed(t.At, of)
			}
		}
	}
}

// Hear checks the signal a step waits for, and gives its shape.
func (c *Checker) Hear(h *Hear, names expr.Names) shape.Shape {
	of := c.Workspace.triggerShape(h.Trigger, c.Tool)
	c.Value(h.On, names)
	if h.Match != nil {
		c.Condition(h.Match, With(names, "heard", expr.Type{Shape: of}))
	}
	c.source(h.Trigger)
	if h.Webhook == nil {
		return of
	}
	for _, w := range c.Workspace.Workflows {
		for _, t := range w.Triggers {
			if t.Webhook != nil && t.Webhook.Path == h.Webhook.Path && t.Webhook.Verify != h.Webhook.Verify {
				c.Wrong(h.At, "verify: "+t.Webhook.Verify, "the webhook %s of %s is verified with another key", h.Webhook.Path, w.ID)
			}
		}
	}
	return of
}

// address insists that a place where people write, call or send belongs to one
// trigger alone: who would answer otherwise?
func (c *Checker) address(flow *Workflow, t Trigger, taken map[string]string) {
	place, words := t.Place()
	if place == "" {
		return
	}
	if other, ok := taken[place]; ok {
		c.Report(t.At, Problem{What: "the workflow " + other + " already has " + words, Why: "of two that claim one place nobody could say which answers", Remedy: "choose another"})
	}
	taken[place] = flow.ID
}

// source checks what signals come from: that it is there, and of a kind that
// can send them.
func (c *Checker) source(t Trigger) {
	switch {
	case t.Webhook != nil:
		c.signingKey(t.At, t.Webhook.Verify)
		if a := t.Webhook.Accepts; a != "" && c.Workspace.Schemas[a] == nil {
			c.Wrong(t.At, "add the file", "there is no schema %s", a)
		}
	case t.Phone != nil:
		c.signingKey(t.At, t.Phone.Verify)
	case t.Chat != nil && t.Chat.Connection != "":
		c.connected(t.At, t.Chat.Connection, "chat_server")
	case t.Schedule != nil && t.Schedule.Before != nil:
		c.connected(t.At, t.Schedule.Before.Connection, "caldav")
		c.calendarOf(t.At, t.Schedule.Before.Connection, t.Schedule.Before.Calendar)
	case t.Mail != nil:
		c.connected(t.At, t.Mail.Connection, "mailbox")
	case t.Calendar != nil:
		c.connected(t.At, t.Calendar.Connection, "caldav")
		c.calendarOf(t.At, t.Calendar.Connection, t.Calendar.Calendar)
	case t.File != nil:
		c.connected(t.At, t.File.Connection, "webdav")
	case t.Feed != nil:
		c.connected(t.At, t.Feed.Connection, "web")
	case t.Row != nil:
		c.rows(t)
	}
}

// connected insists on a connection of a kind.
func (c *Checker) connected(at Pos, id, kind string) {
	if id == "" {
		return // its reader has said so
	}
	one, ok := c.Workspace.Connections[id]
	var fit []string
	for _, name := range slices.Sorted(maps.Keys(c.Workspace.Connections)) {
		if c.Workspace.Connections[name].Kind() == kind {
			fit = append(fit, name)
		}
	}
	remedy := didYouMean(id, fit)
	if remedy == "" {
		remedy = "add connections/" + id + ".yaml with " + kind + ":"
	}
	switch {
	case !ok:
		c.Wrong(at, remedy, "there is no connection %s", id)
	case one.Kind() != kind:
		c.Wrong(at, remedy, "the connection %s is a %s, and a %s is needed here", id, one.Kind(), kind)
	}
}

func (c *Checker) signingKey(at Pos, id string) {
	if v, ok := c.Workspace.Connections[id]; id != "" && (!ok || v.SigningKey == nil) {
		c.Report(at, Problem{What: "there is no signing key called " + id, Why: "without it nobody can tell a delivery from a forgery",
			Remedy: "add connections/" + id + ".yaml with signing_key:"})
	}
}

func (c *Checker) calendarOf(at Pos, connection, calendar string) {
	if one := c.Workspace.Connections[connection]; one != nil && one.CalDAV != nil && calendar != "" && !slices.Contains(one.CalDAV.Calendars, calendar) {
		c.Wrong(at, didYouMean(calendar, one.CalDAV.Calendars), "%s has no calendar %s", connection, calendar)
	}
}

// rows checks which rows are watched, and which of their columns travel on.
func (c *Checker) rows(t Trigger) {
	r := t.Row
	var all shape.Shape
	switch {
	case r.Table != "":
		table := c.Workspace.Tables[r.Table]
		if table == nil {
			c.Wrong(t.At, didYouMean(r.Table, slices.Sorted(maps.Keys(c.Workspace.Tables))), "there is no table %s", r.Table)
			return
		}
		all = table.RowShape()
	default:
		spec, ok := c.Tool(r.Tool)
		switch {
		case !ok:
			c.noTool(t.At, r.Tool)
			return
		case !spec.ReadOnly:
			c.Report(t.At, Problem{What: r.Tool + " changes something, and would be called again and again", Remedy: "use a tool that reads"})
		}
		c.Arguments(r.Tool, r.Args, c.Entries(r.Args, expr.Names{}), spec.Input, t.At, true)
		if r.Of == nil {
			return
		}
		list := c.Infer(r.Of, expr.Names{"result": {Shape: spec.Output}})
		if k := list.Shape.Kind(); k != "" && k != "list" {
			c.Wrong(r.Of.At, "give it a list", "%s is %s, and rows are a list", r.Of.Source, orMissing(k, list.Optional))
		}
		if all = list.Shape.Items(); all == nil {
			return
		}
		if _, presence := all.Field(r.Key); presence == shape.Absent {
			c.Wrong(t.At, all.Has("a row"), "the rows have no %s to tell them apart by", r.Key)
		}
	}
	for _, column := range r.Columns {
		if _, presence := all.Field(column); presence == shape.Absent {
			c.Wrong(t.At, all.Has("a row"), "the rows have no %s", column)
		}
	}
}

// tables checks the names tables take: their tools stand beside those of
// connections.
func (c *Checker) tables() {
	for _, id := range slices.Sorted(maps.Keys(c.Workspace.Tables)) {
		c.file = c.Workspace.Tables[id].file
		if _, taken := c.Workspace.Connections[id]; taken {
			c.Wrong(c.Workspace.Tables[id].At, "rename one of the two", "a connection is called %s too, and tools are named after both", id)
		}
	}
	for path := range c.Workspace.Files {
		if id, ok := strings.CutPrefix(path, "tables/"); ok && strings.HasSuffix(id, ".csv") && c.Workspace.Tables[strings.TrimSuffix(id, ".csv")] == nil {
			c.file = path
			c.Wrong(Pos{1, 1}, "add tables/"+strings.TrimSuffix(id, ".csv")+".yaml with its columns", "these rows belong to no table")
		}
	}
}

// connections checks what connections say of each other and of files.
func (c *Checker) connections() {
	for _, id := range slices.Sorted(maps.Keys(c.Workspace.Connections)) {
		one := c.Workspace.Connections[id]
		c.file = one.file
		if o := one.OpenAPI; o != nil && c.Workspace.Files[o.Description] == "" {
			c.Wrong(one.At, "put the description there", "there is no file %s", o.Description)
		}
		if one.Drafts != "" {
			c.connected(one.At, one.Drafts, one.Kind())
		}
		if s := one.ChatServer; s != nil && s.Events != "" {
			c.signingKey(one.At, s.Events)
		}
	}
}
