package flow

import (
	"errors"
	"slices"
	"strconv"
	"strings"
)

// Gathering is a kind of step whose blocks give what is read otherwise than under
// the step's id and the value's name.
type Gathering interface {
	// Gathered is how an expression outside reads what a block gives under a name.
	Gathered(id string, block BlockName, name string) string
}

// BroughtOut is what is to be written so that a value of a block is seen outside,
// and how it is read there.
type BroughtOut struct {
	Writes []Written `json:"writes"`
	Code   string    `json:"code"`
}

// Written is a text that is to be written where nothing stands.
type Written struct {
	Field string `json:"field"` // where, as a JSON Pointer (RFC 6901)
	Text  string `json:"text"`
}

// ErrNotBroughtOut is why a value cannot be read at a place.
var ErrNotBroughtOut = errors.New("this value cannot be read there: it is not there yet when that is done")

// BringOut makes code, an expression that the step with the path from may be read
// by, readable at a place of the file that stands outside its block: every block on
// the way gives it. Nothing is written where it is seen already.
func (m Meaning) BringOut(code, from, place string) (BroughtOut, error) {
	out := BroughtOut{Writes: []Written{}, Code: code}
	at, own := m.lineAt(place), slices.IndexFunc(m.Lines, func(l Line) bool { return l.Path == from })
	if at < 0 || own < 0 || m.Workflow == nil {
		return out, ErrNotBroughtOut
	}
	around, err := enclosing(m.Workflow.Steps, from)
	if err != nil {
		return out, err
	}
	for _, one := range slices.Backward(around) {
		block, step := m.Workflow.placeOf(one.Block.At), m.Workflow.placeOf(one.Step.At)
		switch {
		case strings.HasPrefix(place, block+"/do/") || strings.HasPrefix(place+"/", block+"/gives/"):
			return out, nil // it is inside
		case strings.HasPrefix(place, step+"/") || at < own:
			return out, ErrNotBroughtOut // another way of the same step, or above it
		}
		out = m.given(out, one)
	}
	return out, nil
}

// standingIn is a block a step stands in, and the step that has it.
type standingIn struct {
	*Step
	NamedBlock
}

// enclosing lists the blocks around the step with a path, the outermost first.
func enclosing(steps []*Step, path string) ([]standingIn, error) {
	var out []standingIn
	for rest := path; ; {
		index, name, inner, err := CutPath(rest)
		if err != nil || index >= len(steps) {
			return nil, ErrNotBroughtOut
		}
		if inner == "" {
			return out, nil
		}
		block, is := steps[index].BlockAt(name)
		if !is {
			return nil, ErrNotBroughtOut
		}
		out = append(out, standingIn{steps[index], block})
		steps, rest = block.Do, inner
	}
}

// given adds to what is written that a block gives what the code so far reads.
func (m Meaning) given(so BroughtOut, in standingIn) BroughtOut {
	taken := func(name string) bool {
		return slices.ContainsFunc(in.Gives, func(e Entry) bool { return e.Key == name })
	}
	text := "${" + so.Code + "}"
	name := free(lastName(so.Code), taken)
	for _, e := range in.Gives {
		if e.Value.Text != nil && e.Value.Text.Source == text {
			name = e.Key // it is given already
		}
	}
	if !taken(name) {
		so.Writes = append(so.Writes, Written{m.Workflow.placeOf(in.Block.At) + "/gives/" + name, text})
	}
	id := in.ID
	if id == "" {
		used := map[string]bool{}
		Walk(m.Workflow.Steps, func(s *Step) { used[s.ID] = true })
		id = free(in.Kind+"_"+name, func(name string) bool { return used[name] })
		so.Writes = append(so.Writes, Written{m.Workflow.placeOf(in.Step.At) + "/id", id})
	}
	so.Code = id + "." + name
	if g, gathers := in.Does.(Gathering); gathers && in.Name != Instead {
		so.Code = g.Gathered(id, in.Name, name)
	}
	return so
}

// lastName is the last name in an expression that reads a value.
func lastName(code string) string {
	words := strings.FieldsFunc(code, func(r rune) bool {
		return r != '_' && (r < '0' || r > '9') && (r < 'a' || r > 'z') && (r < 'A' || r > 'Z')
	})
	for _, w := range slices.Backward(words) {
		if snake.MatchString(w) {
			return w
		}
	}
	return "value"
}

// free is a name nothing has yet.
func free(name string, taken func(string) bool) string {
	if !taken(name) {
		return name
	}
	for n := 2; ; n++ {
		if next := name + "_" + strconv.Itoa(n); !taken(next) {
			return next
		}
	}
}
