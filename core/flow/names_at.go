package flow

import (
	"strings"

	"woolsignal/core/expr"
)

// Unfolding is a kind of step some of whose expressions see others of the same
// step.
type Unfolding interface {
	// Before lists the names a field's expression sees of its own step, and which
	// of the step's results each is.
	Before(field string) []string
}

// NamesAt gives what an expression sees that stands, or is to stand, at a place
// of the file, a JSON Pointer (RFC 6901).
func (m Meaning) NamesAt(place string) expr.Names {
	names := expr.Names{}.Inside()
	add := func(all []Sight) {
		for _, s := range all {
			names.Put(s.Name, expr.Type{Shape: s.Shape, Optional: s.Optional})
		}
	}
	add(m.Sees)
	at := m.lineAt(place)
	if at < 0 {
		return names
	}
	own := m.Lines[at].Path
	for _, l := range m.Lines[:at] {
		if m.reaches(l, own) {
			add(l.Adds)
		}
	}
	m.unfold(m.Lines[at], place, names)
	return names
}

// Above are the steps whose results may be read at a place, in their order, each
// with where it stands; the last is the step the place is in.
func (m Meaning) Above(place string) []Standing {
	at := m.lineAt(place)
	if at < 0 || m.Workflow == nil {
		return nil
	}
	byID := map[string]*Step{}
	Walk(m.Workflow.Steps, func(s *Step) { byID[s.ID] = s })
	var out []Standing
	for i, l := range m.Lines[:at+1] {
		if s := byID[l.ID]; s != nil && l.ID != "" && l.Kind == s.Kind && (i == at || m.reaches(l, m.Lines[at].Path)) {
			out = append(out, Standing{s, l.Field})
		}
	}
	return out
}

// Standing is a step and where it stands in the file, as a JSON Pointer.
type Standing struct {
	*Step
	Place string
}

// lineAt is the last line that tells what stands at a place or around it.
func (m Meaning) lineAt(place string) int {
	found := -1
	for i, l := range m.Lines {
		if place == l.Field || strings.HasPrefix(place, l.Field+"/") {
			found = i
		}
	}
	return found
}

// reaches tells whether what a line adds may be read on a line further down: a
// block's inside it, a step's in its own block and those inside that.
func (m Meaning) reaches(l Line, path string) bool {
	block := l.Path
	if l.Kind != "case" {
		i := strings.LastIndexByte(l.Path, '/')
		if block = ""; i >= 0 {
			block = l.Path[:i]
		}
	}
	return len(l.Adds) > 0 && (block == "" || strings.HasPrefix(path, block+"/"))
}

// unfold adds what an expression sees of its own step.
func (m Meaning) unfold(l Line, place string, names expr.Names) {
	if m.Workflow == nil || l.Number == "" {
		return
	}
	Walk(m.Workflow.Steps, func(s *Step) {
		u, unfolds := s.Does.(Unfolding)
		if !unfolds || m.Workflow.placeOf(s.At) != l.Field {
			return
		}
		for _, name := range u.Before(place[strings.LastIndexByte(place, '/')+1:]) {
			t := expr.Type{}
			if len(l.Adds) > 0 {
				t.Shape, _ = l.Adds[0].Shape.Field(name)
			}
			names.Put(name, t)
		}
	})
}

// Told tells an expression in words, as the workflow's sentences would.
func (m Meaning) Told(p *expr.Program) []expr.Word {
	if m.Workflow == nil {
		return p.Words(expr.Naming{Name: expr.PlainName})
	}
	return p.Words(m.Workflow.naming())
}
