package flow

import (
	"fmt"
	"slices"
	"strings"
)

// WatchingRows is a kind of trigger that rows of tables may start.
type WatchingRows interface {
	// Starts tells whether a row that was added or changed starts a run.
	Starts(table, did string) bool
}

// rings tells of workflows that start themselves by rows: one that is started
// by rows of a table and writes such rows, itself or by others it starts. That
// may be meant, where some condition ends it; where none does, the limit on
// links does.
func (c *Checker) rings(flow *Workflow) {
	for _, t := range flow.Triggers {
		watched, rows := t.Is.(WatchingRows)
		if !rows {
			continue
		}
		if round := c.leadsTo(flow, watched, map[string]bool{}); round != nil {
			c.Report(t.At, Problem{Severity: Remark, What: "a run of this writes rows that start it again: " +
				strings.Join(append(round, flow.ID), " → "),
				Why: fmt.Sprintf("where no condition ends this, a chain of %d runs is stopped as failed",
					c.Workspace.MostLinks),
				Remedy: "see that rows it writes itself do not start it, as with a step's when:, or by watching for " +
					"the other of added and changed"})
		}
	}
}

// leadsTo gives the workflows on the way from one to a row that a trigger
// watches for; nil where there is no way.
func (c *Checker) leadsTo(from *Workflow, watched WatchingRows, seen map[string]bool) []string {
	if seen[from.ID] {
		return nil
	}
	seen[from.ID] = true
	written := c.writes(from)
	if slices.ContainsFunc(written, func(r rowWrite) bool { return watched.Starts(r.table, r.did) }) {
		return []string{from.ID}
	}
	var next []string
	next = append(next, from.Calls()...)
	for id, other := range c.Workspace.Workflows {
		for _, t := range other.Triggers {
			rows, watches := t.Is.(WatchingRows)
			if watches && slices.ContainsFunc(written, func(r rowWrite) bool { return rows.Starts(r.table, r.did) }) {
				next = append(next, id)
			}
		}
	}
	slices.Sort(next)
	for _, id := range next {
		if other := c.Workspace.Workflows[id]; other != nil {
			if rest := c.leadsTo(other, watched, seen); rest != nil {
				return append([]string{from.ID}, rest...)
			}
		}
	}
	return nil
}

// rowWrite is a tool that writes rows of a table.
type rowWrite struct{ table, did string }

// writes lists the rows a workflow may write, by its steps and its agents.
func (c *Checker) writes(flow *Workflow) []rowWrite {
	var out []rowWrite
	note := func(tool string) {
		table, operation := toolName(tool)
		did := map[string]string{"add": "added", "update": "changed"}[operation]
		if c.Workspace.Tables[table] != nil && did != "" {
			out = append(out, rowWrite{table, did})
		}
	}
	Walk(flow.Steps, func(s *Step) {
		for _, tool := range s.Uses(HoldsTool) {
			note(tool)
		}
	})
	for _, id := range flow.AgentsUsed() {
		if a := c.Workspace.Agents[id]; a != nil {
			for _, t := range a.Tools {
				note(t.Tool)
			}
		}
	}
	return out
}
