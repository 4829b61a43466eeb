package tool

import (
	"context"
	"fmt"
	"maps"

	"woolsignal/core/expr"
	"woolsignal/core/flow"
)

// showings lets operations tell what a call is about by others, as their connections'
// files say.
func showings(w *flow.Workspace, kit *Kit, all Catalogue) []flow.Problem {
	var problems []flow.Problem
	for id, c := range w.Connections {
		for operation, note := range c.Tools {
			op := all[id+"/"+operation]
			if note.Shows == nil || op == nil {
				continue
			}
			by := all[id+"/"+note.Shows.Operation]
			if by == nil || !by.ReadOnly {
				problems = append(problems, flow.Problem{File: "connections/" + id + ".yaml", Line: c.At.Line,
					Column: c.At.Column, Severity: flow.Wrong, What: fmt.Sprintf("shows: of %s names %s, which is no "+
						"operation of %s that only reads", operation, note.Shows.Operation, id)})
				continue
			}
			op.Show = shownBy(kit, all, by.Name, note.Shows.Args, op.Destructive)
		}
	}
	return problems
}

// shownBy reads what a call is about by another operation. What a call says of the thing
// is what it will be, unless it is to be gone.
func shownBy(kit *Kit, all Catalogue, by string, args []flow.Entry, gone bool) func(context.Context, map[string]any,
	Sending) (Shown, error) {
	return func(ctx context.Context, call map[string]any, s Sending) (Shown, error) {
		given, err := flow.EvalEntries(args, expr.Scope{Names: map[string]any{"args": call}})
		if err != nil {
			return Shown{}, err
		}
		s.Key += ":shows"
		got, err := all.Call(ctx, kit, by, given, s)
		if err != nil {
			return Shown{}, err
		}
		before, is := got.(map[string]any)
		if !is || gone {
			return Shown{Before: got}, nil
		}
		after := maps.Clone(before)
		for name, v := range call {
			if _, has := before[name]; has {
				after[name] = v
			}
		}
		return Shown{Before: before, After: after}, nil
	}
}
