package step

import (
	"woolsignal/core/expr"
	"woolsignal/core/flow"
	"woolsignal/core/run"
	"woolsignal/core/shape"
)

// Section groups steps under one title.
type Section struct {
	nothingOutside
	flow.Block
}

var inside = flow.BlockName{Word: "inside"}

// Check checks the steps.
func (b *Section) Check(c *flow.Checker, _ *flow.Step, names expr.Names) shape.Shape {
	return shape.Map(c.Block(&b.Block, names))
}

// Ends tells whether they end the run.
func (b *Section) Ends() bool { return flow.EndRun(b.Do) }

// Tell says the title.
func (b *Section) Tell(p *flow.Sentence, s *flow.Step) {
	title := s.Title
	if title == "" {
		title = "These belong together"
	}
	p.Field("").Word(title)
}

// Blocks is the one.
func (b *Section) Blocks() []flow.NamedBlock {
	return []flow.NamedBlock{{Name: inside, Block: &b.Block}}
}

// Opening stands above it.
func (b *Section) Opening(p *flow.Sentence, _ flow.BlockName) { p.Say("in this section") }

// Advance goes through the steps.
func (b *Section) Advance(at *run.At) run.Outcome {
	frame := at.Entered(inside)
	if frame == nil {
		if frame = at.Enter(inside); frame == nil {
			return run.Over
		}
	}
	gives, out := at.Through(&b.Block, frame, at.Names(nil))
	switch out {
	case run.FailedInside:
		return at.Outwards()
	case run.Finished:
		at.Leave(frame, nil)
		return at.End(gives)
	}
	return out
}
