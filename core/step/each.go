package step

import (
	"strconv"

	"woolsignal/core/expr"
	"woolsignal/core/flow"
	"woolsignal/core/run"
	"woolsignal/core/shape"
)

// Each does the same for every item of a list. One item's failure does not
// sink the rest.
type Each struct {
	nothingOutside
	Of     *flow.Expression
	AtOnce int
	Finish
	flow.Block
}

// mostItems is how long a list each can go through.
const mostItems = 100_000

var item = flow.BlockName{Word: "item"}

// Fields are what it may say.
func (e *Each) Fields() []flow.Field {
	return append(append([]flow.Field{
		{Name: "of", Into: &e.Of, Missing: "nothing says what to go through",
			Help: "The list; steps inside see item and index, from 0.", Example: "signal.body.lots"},
		{Name: "at_once", Into: &e.AtOnce, Default: "1", Least: 1, Most: 1000,
			Help: "How many items are under way at the same time.", Example: "5"},
	}, e.Block.Fields()...), e.Finish.fields()...)
}

// Check types the list and what is done with its items.
func (e *Each) Check(c *flow.Checker, _ *flow.Step, names expr.Names) shape.Shape {
	list := expr.Type{}
	if e.Of != nil {
		list = c.Insist(e.Of, "list", "give it a list", "each goes through a list", names)
	}
	seen := names.With("item", expr.Type{Shape: list.Shape.Items()})
	seen.Put("index", expr.Type{Shape: shape.Number()})
	gives := shape.Map(c.Block(&e.Block, seen))
	e.Finish.check(c, gives, names)
	failure := shape.Map(map[string]shape.Shape{"index": shape.Number(), "item": nil, "message": shape.Text()})
	out := map[string]shape.Shape{"results": shape.List(gives), "failures": shape.List(failure)}
	if e.first() {
		maybe := shape.Union(gives, shape.Null())
		out["results"], out["first"] = shape.List(maybe), maybe
	}
	return shape.Map(out)
}

// Tell says what it goes through.
func (e *Each) Tell(p *flow.Sentence, _ *flow.Step) {
	p.Say("For each ")
	if e.Of != nil {
		p.Say("of ").Field("of").Expression(e.Of)
	}
	if e.AtOnce > 1 {
		p.Say(", at most ").Field("at_once").Word(strconv.Itoa(e.AtOnce)).Say(" at once")
	}
	e.Finish.tell(p)
}

// Blocks is what is done with an item.
func (e *Each) Blocks() []flow.NamedBlock {
	return []flow.NamedBlock{{Name: item, Block: &e.Block, Many: true}}
}

// Opening stands above it.
func (e *Each) Opening(p *flow.Sentence, _ flow.BlockName) { p.Say("for each item") }

// Unread tells that items may fail and nobody would know.
func (e *Each) Unread(_ *flow.Checker, id string, reads func(string) bool) (what, remedy string) {
	if e.first() || !e.canFail() || reads("failures") {
		return "", ""
	}
	if id == "" {
		return "an item that fails is left out here, and nobody is told",
			"give the step an id:, and read its failures below"
	}
	return "an item of " + id + " that fails is left out, and nobody is told", "read " + id + ".failures below"
}

// canFail tells whether a step inside does more than reckon and speak.
func (e *Each) canFail() bool {
	fails := false
	flow.Walk(e.Do, func(s *flow.Step) {
		switch s.Does.(type) {
		case *Tool, *Agent, *Model, *Call, *Wait, *JavaScript:
			fails = fails || s.IfFails == nil
		}
	})
	return fails
}

// SeenInside is the item, and its place from 0.
func (*Each) SeenInside(did *run.Step, block flow.BlockName) map[string]any {
	list := itemsOf(did)
	if block.Number < 1 || block.Number > len(list) {
		return nil
	}
	return map[string]any{"item": list[block.Number-1], "index": int64(block.Number - 1)}
}

// Advance goes on with every item that is under way, and begins others where
// there is room.
func (e *Each) Advance(at *run.At) run.Outcome {
	if at.Did == nil {
		if out := e.begin(at); out != run.Finished {
			return out
		}
	}
	list := itemsOf(at.Did)
	open := 0
	for i := 0; i < len(list); i++ {
		if i >= len(at.Did.Inside) {
			if open >= e.AtOnce {
				break
			}
			if at.Enter(flow.BlockName{Word: item.Word, Number: i + 1}) == nil {
				return run.Over
			}
		}
		frame := at.Did.Inside[i]
		if frame.Status != "" {
			continue
		}
		names := at.Names(e.SeenInside(at.Did, frame.Name))
		enough, out := at.Way(&e.Block, frame, names, e.Enough)
		switch {
		case out == run.Over:
			return run.Over
		case out == run.Blocked:
			open++
		case enough:
			at.CloseInside("another was enough")
			return e.end(at, list, i)
		}
	}
	if open > 0 {
		return run.Blocked
	}
	return e.end(at, list, -1)
}

func (e *Each) begin(at *run.At) run.Outcome {
	v, err := e.Of.Eval(at.Scope)
	if err != nil {
		return at.Fail("of: %v", err)
	}
	list, ok := v.([]any)
	if !ok {
		return at.Fail("of: %s is %s, and each goes through a list", at.Workflow().Told(e.Of), expr.Kind(v))
	}
	if len(list) > mostItems {
		return at.Fail("of: the list has %d items, and each goes through %d at most", len(list), mostItems)
	}
	if err := run.TooLarge("the list", list); err != nil {
		return at.Fail("%v", err)
	}
	at.Begin(map[string]any{"of": list})
	if at.Broken() {
		return run.Over
	}
	return run.Finished
}

// itemsOf is the list a step goes through.
func itemsOf(did *run.Step) []any {
	input, _ := did.Input.(map[string]any)
	list, _ := input["of"].([]any)
	return list
}

func (e *Each) end(at *run.At, list []any, first int) run.Outcome {
	results, failures := make([]any, len(list)), []any{}
	for i, frame := range at.Did.Inside {
		if i >= len(list) {
			break
		}
		switch frame.Status {
		case run.Done:
			results[i] = frame.Gives
		case run.Failed:
			failures = append(failures, map[string]any{"index": int64(i), "item": list[i], "message": frame.Error})
		}
	}
	out := map[string]any{"results": results, "failures": failures}
	if e.first() {
		out["first"] = any(nil)
		if first >= 0 {
			out["first"] = results[first]
		}
	}
	return at.End(out)
}

// Sample is the first item, for trying a step inside.
func (e *Each) Sample(did *run.Step) map[string]any {
	list := itemsOf(did)
	if len(list) == 0 {
		return nil
	}
	return map[string]any{"item": list[0], "index": int64(0)}
}

// Gathered reads what every item gave as a list; of the first that is enough, it
// alone.
func (e *Each) Gathered(id string, _ flow.BlockName, name string) string {
	if e.first() {
		return id + ".first." + name
	}
	return id + ".results.map(one, one." + name + ")"
}
