package step

import (
	"maps"
	"strconv"

	"woolsignal/core/expr"
	"woolsignal/core/flow"
	"woolsignal/core/run"
	"woolsignal/core/shape"
)

// Repeat goes round until it is enough.
type Repeat struct {
	nothingOutside
	Till         *flow.Expression // over last, the round's gives
	RoundsAtMost int
	flow.Block
}

// mostRounds bounds how often a repeat may go round.
const mostRounds = 10_000

var round = flow.BlockName{Word: "round"}

// Fields are what it may say.
func (r *Repeat) Fields() []flow.Field {
	return append(r.Block.Fields(),
		flow.Field{Name: "till", Into: &r.Till, Help: "When it is enough; it sees last, what the round gave.",
			Example: "last.n > 3"},
		flow.Field{Name: "rounds_at_most", Into: &r.RoundsAtMost, Default: "1", Least: 1, Most: mostRounds,
			Help: "After so many rounds the step fails.", Example: "5"})
}

// Agree insists on an end.
func (r *Repeat) Agree(m flow.Reading) {
	if !m.Has("till") || !m.Has("rounds_at_most") {
		m.Report("", flow.Problem{What: "this repeat has no end",
			Why:    "it could go round for ever and cost money all the while",
			Remedy: "add till: an expression over last, and rounds_at_most: 5"})
	}
}

// Check types a round. What one gives depends on what the one before gave: the
// first look finds the names, the second holds the steps against them.
func (r *Repeat) Check(c *flow.Checker, _ *flow.Step, names expr.Names) shape.Shape {
	seen := names.With("index", expr.Type{Shape: shape.Number()})
	known := map[string]shape.Shape{}
	c.Quietly(func(quiet *flow.Checker) {
		for name := range quiet.Block(&r.Block, seen.With("last", expr.Type{Optional: true})) {
			known[name] = nil
		}
	})
	gives := c.Block(&r.Block, seen.With("last", expr.Type{Shape: shape.Map(known), Optional: true}))
	if r.Till != nil {
		c.Condition(r.Till, seen.With("last", expr.Type{Shape: shape.Map(gives)}))
	}
	out := maps.Clone(gives)
	out["times"] = shape.Number()
	return shape.Map(out)
}

// Tell says when it ends.
func (r *Repeat) Tell(p *flow.Sentence, _ *flow.Step) {
	p.Say("Repeat ")
	if r.Till != nil {
		p.Say("till ").Field("till").Condition(r.Till)
	}
	p.Say(", at most ").Field("rounds_at_most").Word(strconv.Itoa(r.RoundsAtMost)).Say(" times")
}

// Blocks is what a round does.
func (r *Repeat) Blocks() []flow.NamedBlock {
	return []flow.NamedBlock{{Name: round, Block: &r.Block, Many: true}}
}

// Opening stands above it.
func (r *Repeat) Opening(p *flow.Sentence, _ flow.BlockName) { p.Say("in each round") }

// SeenInside is the place of the round from 0, and what the one before gave.
func (*Repeat) SeenInside(did *run.Step, block flow.BlockName) map[string]any {
	last := expr.Optional{}
	if n := block.Number - 1; n > 0 && n <= len(did.Inside) {
		last = expr.Optional{Value: did.Inside[n-1].Gives, There: true}
	}
	return map[string]any{"index": int64(block.Number - 1), "last": last}
}

// Advance goes on with the round that is under way.
func (r *Repeat) Advance(at *run.At) run.Outcome {
	for n := 0; ; n++ {
		if at.Did == nil || n >= len(at.Did.Inside) {
			if at.Enter(flow.BlockName{Word: round.Word, Number: n + 1}) == nil {
				return run.Over
			}
		}
		frame := at.Did.Inside[n]
		if frame.Status == run.Done {
			continue // the round after it is already there, or is begun next
		}
		names := at.Names(r.SeenInside(at.Did, frame.Name))
		gives, out := at.Through(&r.Block, frame, names)
		if out == run.FailedInside {
			return at.Outwards()
		}
		if out != run.Finished {
			return out
		}
		at.Leave(frame, gives)
		names["last"] = gives
		holds, err := r.Till.Holds(at.Eval(names))
		switch {
		case err != nil:
			return at.Fail("till: %v", err)
		case holds:
			result := maps.Clone(gives)
			result["times"] = int64(n + 1)
			return at.End(result)
		case n+1 >= r.RoundsAtMost:
			return at.Fail("it went round %d times, and %s never held", n+1, at.Workflow().Told(r.Till))
		}
	}
}
