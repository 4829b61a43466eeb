package flow

import "slices"

// Leaving is a kind of step that may leave something nobody reads.
type Leaving interface {
	// Unread says what is lost where nobody reads some of its results: what, and
	// what to do. reads tells whether an expression of the workflow reads a path
	// below the step's id; "" is the whole.
	Unread(c *Checker, id string, reads func(path string) bool) (what, remedy string)
}

// unread tells of results that cost something or say what went wrong, and that
// nothing in the workflow reads.
func (c *Checker) unread(flow *Workflow) {
	all := dotted(flow.reads())
	Walk(flow.Steps, func(s *Step) {
		leaving, is := s.Does.(Leaving)
		if !is {
			return
		}
		what, remedy := leaving.Unread(c, s.ID, func(path string) bool { return readsAny(all, s.ID, path) })
		if what != "" {
			c.Report(s.At, Problem{Severity: Remark, What: what, Remedy: remedy})
		}
	})
}

// readsAny tells whether one of some paths is a step's result, or leads into
// it or around it.
func readsAny(all []string, id, path string) bool {
	if id == "" {
		return false
	}
	want := id
	if path != "" {
		want += "." + path
	}
	return slices.ContainsFunc(all, func(read string) bool {
		return read == id || read == want || len(read) > len(want) && read[:len(want)+1] == want+"."
	})
}
