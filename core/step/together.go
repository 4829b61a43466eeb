package step

import (
	"slices"
	"strconv"

	"woolsignal/core/expr"
	"woolsignal/core/flow"
	"woolsignal/core/run"
	"woolsignal/core/shape"
)

// Together goes several ways at once.
type Together struct {
	nothingOutside
	Branches []Branch
	Finish
}

// Branch is one of several ways.
type Branch struct {
	ID string
	flow.Block
}

func way(i int) flow.BlockName { return flow.BlockName{Word: "way", Number: i + 1} }

// Fields are what it may say.
func (t *Together) Fields() []flow.Field {
	return append([]flow.Field{{Name: "branches", Into: flow.ListOf(&t.Branches), Required: true,
		Help: "The ways, at least two.", Example: "[{id: letter, do: […]}, {id: row, do: […]}]"}},
		t.Finish.fields()...)
}

// Fields are what a branch may say.
func (b *Branch) Fields() []flow.Field {
	return append([]flow.Field{{Name: "id", Into: &b.ID, Holds: flow.HoldsName, Required: true,
		Help: "Its name in what the step gives.", Example: "letter"}}, b.Block.Fields()...)
}

// Agree keeps the branches apart.
func (t *Together) Agree(m flow.Reading) {
	t.Finish.Agree(m)
	for i, b := range t.Branches {
		if b.ID == "first" {
			m.WrongAt(b.At, "choose another id", "first cannot be a branch's id: it says which was the first")
		}
		if slices.ContainsFunc(t.Branches[:i], func(o Branch) bool { return o.ID == b.ID }) {
			m.WrongAt(b.At, "choose another id", "there are two branches called %s", b.ID)
		}
	}
	if m.Has("branches") && len(t.Branches) < 2 {
		m.Wrong("", "add branches: with at least two", "there is nothing to do at the same time")
	}
}

// Check checks every branch.
func (t *Together) Check(c *flow.Checker, _ *flow.Step, names expr.Names) shape.Shape {
	var all []shape.Shape
	out := map[string]shape.Shape{}
	var optional []string
	for i := range t.Branches {
		b := &t.Branches[i]
		gives := shape.Map(c.Block(&b.Block, names))
		all, out[b.ID] = append(all, gives), gives
		if t.first() {
			optional = append(optional, b.ID)
		}
	}
	t.Finish.check(c, shape.Union(all...), names)
	if t.first() {
		out["first"] = shape.Union(shape.Text(), shape.Null())
	}
	return shape.Map(out, optional...)
}

// Tell says how many ways it goes.
func (t *Together) Tell(p *flow.Sentence, _ *flow.Step) {
	p.Say("Go ").Field("branches").Word(strconv.Itoa(len(t.Branches))).Say(" ways at once")
	t.Finish.tell(p)
}

// Blocks are the branches.
func (t *Together) Blocks() []flow.NamedBlock {
	var out []flow.NamedBlock
	for i := range t.Branches {
		out = append(out, flow.NamedBlock{Name: way(i), Block: &t.Branches[i].Block, Many: true})
	}
	return out
}

// Opening names a branch.
func (t *Together) Opening(p *flow.Sentence, b flow.BlockName) {
	p.Say("the way ").Field("branches/" + strconv.Itoa(b.Number-1) + "/id").
		Word(flow.Plain(t.Branches[b.Number-1].ID))
}

// Advance goes on in every branch that is not done.
func (t *Together) Advance(at *run.At) run.Outcome {
	for i := range t.Branches {
		if at.Did == nil || i >= len(at.Did.Inside) {
			if at.Enter(way(i)) == nil {
				return run.Over
			}
		}
	}
	open, done := 0, 0
	for i := range t.Branches {
		b, frame := &t.Branches[i], at.Did.Inside[i]
		if frame.Status == "" {
			enough, out := at.Way(&b.Block, frame, at.Names(nil), t.Enough)
			switch {
			case out == run.Over:
				return run.Over
			case out == run.Blocked:
				open++
			case enough:
				at.CloseInside("another was enough")
				return t.end(at, b.ID)
			}
		}
		if frame.Status == run.Done {
			done++
		}
		if frame.Status == run.Failed && !t.first() {
			at.CloseInside("a way beside it failed")
			return at.Fail("%s: %s", b.ID, frame.Error)
		}
	}
	switch {
	case open > 0:
		return run.Blocked
	case done == 0:
		return at.Fail("every way failed, the last because of %s", at.Did.Inside[len(t.Branches)-1].Error)
	}
	return t.end(at, "")
}

func (t *Together) end(at *run.At, first string) run.Outcome {
	out := map[string]any{}
	for i, b := range t.Branches {
		if at.Did.Inside[i].Status == run.Done {
			out[b.ID] = at.Did.Inside[i].Gives
		}
	}
	if t.first() {
		out["first"] = any(nil)
		if first != "" {
			out["first"] = first
		}
	}
	return at.End(out)
}

// Gathered reads what a branch gave under its id.
func (t *Together) Gathered(id string, way flow.BlockName, name string) string {
	return id + "." + t.Branches[way.Number-1].ID + "." + name
}
